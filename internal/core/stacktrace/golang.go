package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

var (
	goFile      = regexp.MustCompile(`^\s+(\S.*\.(?:go|s)):(\d+)(?: \+0x[0-9a-f]+)?$`)
	goCall      = regexp.MustCompile(`^\s*(?:created by )?([^\s(][^\s]*?)(?:\([^)]*\)?.*)?(?: in goroutine \d+)?$`)
	goRoutine   = regexp.MustCompile(`^(?:goroutine (\d+) (?:gp=\S+ )?(?:m=\S+ )?(?:mp=\S+ )?\[([^\]]*)\]|((?:Previous )?(?:[Rr]ead|[Ww]rite) at 0x[0-9a-f]+ by (?:main )?goroutine(?: \d+)?|Goroutine \d+ \(\w+\) created at)):$`)
	goSignal    = regexp.MustCompile(`^\[signal (\w+)`)
	goRepanic   = regexp.MustCompile(` \[recovered(?:, repanicked)?\]$`)
	goQuit      = regexp.MustCompile(`^(SIG[A-Z]+): (.+)$`)
	goCounter   = regexp.MustCompile(`^PC=0x`)
	goPanicked  = regexp.MustCompile(`(?:\bpanic(?:ked)?(?: serving \S+)?|\brecovered(?: from)?(?: panic)?): (.+)$`)
	goLogTime   = regexp.MustCompile(`^\d{4}/\d\d/\d\d \d\d:\d\d:\d\d(?:\.\d+)? (?:\S+\.go:\d+: )?`)
	goLogText   = regexp.MustCompile(`\b(?:msg|message)=("(?:[^"\\]|\\.)*"|\S+)`)
	goMethodEnd = regexp.MustCompile(`\([^()]*\)$`)
)

func isGo(line string) bool {
	return strings.HasPrefix(line, "\t") && goFile.MatchString(line) || strings.Contains(line, "oroutine ") &&
		goRoutine.MatchString(line)
}

// readGo reads what the runtime prints of a panic, a fatal error, a race, and
// what debug.Stack gives. The goroutine that failed comes first, the others
// are its threads. A panic within a panic is its cause.
func readGo(b *builder, lines []string) {
	var heads []Exception
	x := -1
	call := ""
	for _, l := range lines {
		if m := goRoutine.FindStringSubmatch(strings.TrimRight(l, " \r")); m != nil {
			state := m[3]
			if m[1] != "" {
				state = "goroutine " + m[1] + " [" + m[2] + "]"
			}
			if x < 0 {
				if len(heads) == 0 {
					heads = goHeadFromLog(b)
				}
				x = goBlamed(b, heads, state)
			} else {
				x = b.begin(state, "", 0, "thread")
			}
			call = ""
			continue
		}
		if n := len(b.rest); x < 0 && n > 0 && len(heads) == 0 && goFile.MatchString(l) &&
			goCall.MatchString(b.rest[n-1]) { // calls alone, as loggers write them
			call, b.rest = strings.TrimSpace(b.rest[n-1]), b.rest[:n-1]
			x = b.begin("", "", -1, "")
		}
		if m := goFile.FindStringSubmatch(l); m != nil && call != "" && x >= 0 {
			f := event.RawFrame{File: m[1]}
			f.Line, _ = strconv.Atoi(m[2])
			f.Module, f.Function = goName(call)
			b.frame(&b.list[x], f)
			call = ""
			continue
		}
		text := strings.TrimSpace(l)
		switch {
		case x < 0 && (strings.HasPrefix(text, "panic: ") &&
			(l == text || len(heads) > 0 && strings.HasPrefix(l, "\tpanic: "))):
			heads = append(heads,
				Exception{Type: "panic", Message: goRepanic.ReplaceAllString(text[len("panic: "):], "")})
		case x < 0 && strings.HasPrefix(l, "fatal error: "):
			heads = append(heads, Exception{Type: "fatal error", Message: l[len("fatal error: "):]})
		case x < 0 && strings.HasPrefix(l, "WARNING: DATA RACE"):
			heads = append(heads, Exception{Type: "data race"})
		case x < 0 && goSignal.MatchString(text) && len(heads) > 0:
			heads[len(heads)-1].Rest = append(heads[len(heads)-1].Rest, text)
		case x < 0 && goQuit.MatchString(text) && len(heads) == 0:
			m := goQuit.FindStringSubmatch(text)
			heads = append(heads, Exception{Type: m[1], Message: m[2]})
		case x < 0 && goCounter.MatchString(text) && len(heads) > 0:
			heads[len(heads)-1].Rest = append(heads[len(heads)-1].Rest, text)
		case x < 0 && len(heads) > 0: // the panic's value has lines
			heads[len(heads)-1].Message += "\n" +
				goRepanic.ReplaceAllString(strings.TrimRight(strings.TrimPrefix(l, "\t"), " "), "")
		case x < 0 && text != "":
			b.rest = append(b.rest, l)
		case x >= 0 && text != "" && text != "==================":
			if m := goCall.FindStringSubmatch(l); m != nil && !strings.HasPrefix(text, "exit status ") &&
				!strings.HasPrefix(text, "...") {
				call = text
				continue
			}
			b.list[x].Rest = append(b.list[x].Rest, l)
		}
	}
}

// goHeadFromLog is what the line before a stack without a panic's head says: a server
// that recovered, or a logger.
func goHeadFromLog(b *builder) []Exception {
	n := len(b.rest) - 1
	if n < 0 {
		return nil
	}
	line := strings.TrimSpace(b.rest[n])
	if m := goPanicked.FindStringSubmatch(line); m != nil {
		b.rest = b.rest[:n]
		return []Exception{{Type: "panic", Message: m[1]}}
	}
	if m := goLogText.FindStringSubmatch(line); m != nil {
		text, err := strconv.Unquote(m[1])
		if err != nil {
			text = m[1]
		}
		return []Exception{{Message: text}}
	}
	b.rest = b.rest[:n]
	return []Exception{{Message: goLogTime.ReplaceAllString(line, "")}}
}

// goBlamed adds what failed: the newest panic first, those it came from behind.
func goBlamed(b *builder, heads []Exception, state string) int {
	if len(heads) == 0 {
		return b.begin(state, "", -1, "")
	}
	for i := len(heads) - 1; i >= 0; i-- {
		n := b.begin(heads[i].Type, heads[i].Message, len(b.list)-1, "cause")
		b.list[n].Rest = heads[i].Rest
	}
	return 0
}

// goName parts a call: "example.com/x/crew.(*Roster).assign(0xc0, 0x1)".
func goName(call string) (module, function string) {
	call = strings.TrimPrefix(call, "created by ")
	if i := strings.Index(call, " in goroutine "); i > 0 {
		call = call[:i]
	}
	call = goArguments(call)
	slash := strings.LastIndexByte(call, '/')
	if dot := strings.IndexByte(call[slash+1:], '.'); dot > 0 {
		return call[:slash+1+dot], call[slash+1+dot+1:]
	}
	return "", call
}

// goArguments takes the arguments off, which may hold brackets themselves.
func goArguments(call string) string {
	if !strings.HasSuffix(call, ")") {
		return call
	}
	if open := matchingOpen(call); open > 0 {
		return call[:open]
	}
	return goMethodEnd.ReplaceAllString(call, "")
}
