package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

var (
	phpCall  = regexp.MustCompile(`^\s*#\d+ (?:(\S.*?)\((\d+)\)|(\[internal function\])): (.+)$`)
	phpMain  = regexp.MustCompile(`^\s*#\d+ \{main\}`)
	phpThrow = regexp.MustCompile(`^(?:PHP )?(?:Fatal error: +)?(?:Uncaught |Next )?(?:exception ')?((?:\\?[A-Za-z_]\w*)+)'?(?:: (.*)| with message '(.*)')? in (.+?)(?::| on line )(\d+)$`)
	phpBegin = regexp.MustCompile(`^(?:PHP )?(?:Fatal error: +)?(?:Uncaught |Next )(?:exception ')?((?:\\?[A-Za-z_]\w*)+)'?: (.*)$`)
)

func isPHP(line string) bool {
	if !beginsNumber(line) {
		return false
	}
	m := phpCall.FindStringSubmatch(line)
	return m != nil && (strings.HasSuffix(m[4], ")") || m[3] != "") && !strings.HasPrefix(m[1], "0x") || phpMain.MatchString(line)
}

// readPHP reads what an uncaught exception prints, and getTraceAsString. Each
// place is where the function before it was called; the exception's own place
// comes first. Causes are printed before what they caused ("Next").
func readPHP(b *builder, lines []string) {
	var places []event.RawFrame
	var calls []string
	flush := func() {
		if len(b.list) > 0 {
			x := &b.list[len(b.list)-1]
			b.shifted(x, places, append(calls, "{main}"))
		}
		places, calls = nil, nil
	}
	place := func(file, line string) {
		f := event.RawFrame{File: file}
		f.Line, _ = strconv.Atoi(line)
		places = append(places, f)
	}
	pending := "" // a message that goes on over lines
	for _, l := range lines {
		if pending != "" {
			l, pending = pending+"\n"+l, ""
		}
		first, _, _ := strings.Cut(l, "\n")
		switch m := phpCall.FindStringSubmatch(l); {
		case m != nil:
			if len(b.list) == 0 {
				b.begin("", "", -1, "")
			}
			file := m[1]
			if m[3] != "" {
				file = m[3]
			}
			name := m[4]
			if i := strings.IndexByte(name, '('); i > 0 && !strings.HasPrefix(name, "{") {
				name = name[:i]
			}
			name = strings.TrimSuffix(strings.TrimSuffix(name, "()"), ":")
			if len(places) == 0 && len(calls) == 0 { // a trace without its exception: the first place is of the caller
				calls = append(calls, name)
				place("", "")
			} else {
				calls = append(calls, name)
			}
			place(file, m[2])
		case phpMain.MatchString(l), strings.TrimSpace(l) == "Stack trace:", strings.TrimSpace(l) == "", strings.HasPrefix(strings.TrimSpace(l), "thrown in "):
		default:
			if m := phpThrow.FindStringSubmatch(strings.ReplaceAll(l, "\n", "\x01")); m != nil {
				flush()
				b.begin(m[1], strings.ReplaceAll(m[2]+m[3], "\x01", "\n"), -1, "")
				place(m[4], m[5])
				continue
			}
			if phpBegin.MatchString(first) && strings.Count(l, "\n") < 100 {
				pending = l
				continue
			}
			b.other(l)
		}
	}
	flush()
	b.outermostLast()
}
