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

var (
	// phpBefore is what logs write before PHP's own words.
	phpBefore = regexp.MustCompile(`^.*?\bPHP (?:Fatal error|Recoverable fatal error|Warning|Notice): +`)
	// phpRecord is how a log's record holds an exception: "[object] (A(code: 0): x at FILE:1)".
	phpRecord   = regexp.MustCompile(`^.*?\[object\] \(((?:\\?[A-Za-z_]\w*)+)\(code: [^)]*\): (.*) at (\S+):(\d+)\)$`)
	phpCalledIn = regexp.MustCompile(`, called in \S.* on line \d+ and defined$`)
	phpThrown   = regexp.MustCompile(`^\s*(?:thrown in |\[(?:stack)?trace\]|"?\} ?\[)`)
)

// phpUnwrapped takes what logs write around an exception off its lines.
func phpUnwrapped(b *builder, lines []string) (out []string) {
	for _, l := range lines {
		if m := phpRecord.FindStringSubmatch(l); m != nil {
			l = m[1] + ": " + m[2] + " in " + m[3] + ":" + m[4]
		} else if at := phpBefore.FindStringIndex(l); at != nil {
			if words := strings.TrimSpace(l[:at[1]]); !strings.HasPrefix(words, "PHP ") {
				b.rest = append(b.rest, words)
			}
			l = l[at[1]:]
		}
		out = append(out, l)
	}
	return out
}

func isPHP(line string) bool {
	if !beginsNumber(line) {
		return false
	}
	m := phpCall.FindStringSubmatch(line)
	return m != nil && (strings.HasSuffix(m[4], ")") || m[3] != "") && !strings.HasPrefix(m[1], "0x") ||
		phpMain.MatchString(line)
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
			if len(places) > 1 && places[0] == places[1] && places[0].Line > 0 {
				places[0].Builtin = true
			}
			b.shifted(x, places, append(calls, "{main}"))
		}
		places, calls = nil, nil
	}
	place := func(file, line string) {
		f := event.RawFrame{File: file}
		f.Line, _ = strconv.Atoi(line)
		places = append(places, f)
	}
	lines = phpUnwrapped(b, lines)
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
		case phpMain.MatchString(l), strings.TrimSpace(l) == "Stack trace:", strings.TrimSpace(l) == "",
			phpThrown.MatchString(l):
		default:
			if m := phpThrow.FindStringSubmatch(strings.ReplaceAll(l, "\n", "\x01")); m != nil {
				flush()
				b.begin(m[1], phpCalledIn.ReplaceAllString(strings.ReplaceAll(m[2]+m[3], "\x01", "\n"), ""), -1, "")
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
