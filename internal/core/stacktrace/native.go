package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

// Rust: "N: path::function", then "at file.rs:1:2".
var (
	rustName  = regexp.MustCompile(`^\s+\d+:\s+(?:0x[0-9a-f]+ - )?(\S.*)$`)
	rustPlace = regexp.MustCompile(`^\s+at (\S.*?):(\d+)(?::(\d+))?$`)
	rustPanic = regexp.MustCompile(`^thread '(.*?)' (?:\(\d+\) )?panicked at (?:'(.*)', )?(.+?):(\d+):(\d+):?$`)
	rustError = regexp.MustCompile(`^Error: (.*)$`)
	rustCause = regexp.MustCompile(`^\s+(?:\d+: )?`)
	rustHash  = regexp.MustCompile(`::h[0-9a-f]{16}$|\[[0-9a-f]{16}\]`)
)

func isRust(line string) bool {
	if text := strings.TrimLeft(line, " "); text == "" || !digit(text[0]) && !strings.HasPrefix(text, "thread '") {
		return false
	}
	m := rustName.FindStringSubmatch(line)
	return m != nil && (strings.Contains(m[1], "::") || strings.HasPrefix(m[1], "<")) || rustPanic.MatchString(line)
}

// rustNote is what the runtime says of backtraces, and no message.
var rustNote = regexp.MustCompile("^note: (?:run with|[Ss]ome details are omitted)")

// readRust reads a panic and its backtrace, and what an error prints that main
// returned: its causes numbered below it. Where no backtrace was printed, the
// place of the panic is the one frame.
func readRust(b *builder, lines []string) {
	name, place := "", event.RawFrame{}
	head := true // what comes is message
	put := func(f event.RawFrame) {
		f.Module, f.Function = rustSplit(name)
		b.frame(&b.list[0], f)
		name = ""
	}
	causes := false
	for _, l := range lines {
		text := strings.TrimSpace(l)
		if m := rustPanic.FindStringSubmatch(l); m != nil && len(b.list) == 0 {
			b.begin("panic", m[2], -1, "")
			place.File = m[3]
			place.Line, _ = strconv.Atoi(m[4])
			place.Column, _ = strconv.Atoi(m[5])
			continue
		}
		if m := rustError.FindStringSubmatch(l); m != nil && len(b.list) == 0 {
			b.begin("Error", m[1], -1, "")
			continue
		}
		switch {
		case strings.EqualFold(text, "stack backtrace:"):
			head, causes = false, false
			b.need()
			continue
		case head && text == "Caused by:" && len(b.list) > 0:
			causes = true
			continue
		case causes && text != "":
			b.begin("", rustCause.ReplaceAllString(l, ""), len(b.list)-1, "cause")
			continue
		}
		if m := rustPlace.FindStringSubmatch(l); m != nil && name != "" {
			f := event.RawFrame{File: m[1]}
			f.Line, _ = strconv.Atoi(m[2])
			f.Column, _ = strconv.Atoi(m[3])
			put(f)
			continue
		}
		if m := rustName.FindStringSubmatch(l); m != nil && (!head || isRust(l)) {
			head = false
			b.need()
			if name != "" { // the one before has no place
				put(event.RawFrame{})
			}
			name = rustHash.ReplaceAllString(m[1], "")
			continue
		}
		if rustNote.MatchString(text) {
			head = false
			if len(b.list) > 0 {
				b.list[0].Rest = append(b.list[0].Rest, l)
			}
			continue
		}
		if head && len(b.list) > 0 {
			x := b.need()
			x.Message = strings.TrimPrefix(x.Message+"\n"+l, "\n")
			continue
		}
		b.other(l)
	}
	if name != "" {
		put(event.RawFrame{})
	}
	if len(b.list) > 0 && len(b.list[0].Frames) == 0 {
		b.frame(&b.list[0], place)
	}
}

// rustSplit parts the last segment of a path from the rest; what stands in
// angle brackets is one segment.
func rustSplit(name string) (module, function string) {
	for strings.HasSuffix(name, ">") { // what a generic function was made for
		i := strings.LastIndex(name, "::<")
		if i <= 0 || strings.Count(name[i:], "<") != strings.Count(name[i:], ">") {
			break
		}
		name = name[:i]
	}
	depth := 0
	for i := len(name) - 1; i > 0; i-- {
		switch name[i] {
		case '>':
			depth++
		case '<':
			depth--
		case ':':
			if depth == 0 && name[i-1] == ':' {
				return name[:i-1], name[i+1:]
			}
		}
	}
	return "", name
}

// Debuggers and sanitizers: "#0  0x… in f (args) at file.c:1", "#0 0x… in f
// file.c:1:2", "#1 0x… in f from lib.so", "#1 0x… (prog+0x12)".
var (
	nativeStart  = regexp.MustCompile(`^\s*#(\d+) +(?:(0x[0-9a-fA-F]+)(?: in\b)?\s*)?`)
	nativeAt     = regexp.MustCompile(` at (\S.*?):(\d+)(?::(\d+))?$`)
	nativeIn     = regexp.MustCompile(` (/\S+?|\S+\.(?:c|cc|cpp|cxx|h|hpp|m|mm|S)):(\d+)(?::(\d+))?$`)
	nativeFrom   = regexp.MustCompile(` from (\S+)$`)
	nativeImage  = regexp.MustCompile(`\(?(\S+?)\+0x[0-9a-f]+\)(?: \(BuildId: \w+\))?$`)
	nativeSignal = regexp.MustCompile(`^(?:Program received signal|Program terminated with signal) (SIG\w+), (.*?)\.?$|^==\d+==ERROR: (\w+): (.*)$`)
)

func isNative(line string) bool {
	_, ok := nativeFrame(line)
	return ok
}

// nativeFrame reads one line; it must name a place, an image or an address.
func nativeFrame(line string) (f event.RawFrame, ok bool) {
	if !beginsNumber(line) {
		return f, false
	}
	m := nativeStart.FindStringSubmatchIndex(line)
	if m == nil {
		return f, false
	}
	if m[4] >= 0 {
		f.Address = line[m[4]:m[5]]
	}
	rest := strings.TrimSpace(line[m[1]:])
	for _, re := range []*regexp.Regexp{nativeAt, nativeIn} {
		if p := re.FindStringSubmatchIndex(" " + rest); p != nil {
			padded := " " + rest
			f.File = padded[p[2]:p[3]]
			f.Line, _ = strconv.Atoi(padded[p[4]:p[5]])
			if p[6] >= 0 {
				f.Column, _ = strconv.Atoi(padded[p[6]:p[7]])
			}
			rest = strings.TrimSpace(padded[:p[0]])
			break
		}
	}
	for _, re := range []*regexp.Regexp{nativeFrom, nativeImage} {
		if p := re.FindStringSubmatchIndex(" " + rest); p != nil && f.File == "" {
			padded := " " + rest
			f.Image = padded[p[2]:p[3]]
			rest = strings.TrimSpace(padded[:p[0]])
			break
		}
	}
	f.Function = nativeName(rest)
	return f, f.Address != "" || f.File != "" || f.Image != ""
}

// nativeName takes the arguments off a function, those of the call and those
// of its declaration.
func nativeName(s string) string {
	for range 2 {
		s = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(s), " const"))
		if !strings.HasSuffix(s, ")") {
			break
		}
		open := matchingOpen(s)
		if open <= 0 || strings.HasSuffix(s[:open], "operator") {
			break
		}
		s = s[:open]
	}
	return strings.TrimSpace(s)
}

// readNative reads a backtrace of a debugger or sanitizer.
func readNative(b *builder, lines []string) {
	last := -1
	for _, l := range lines {
		if m := nativeSignal.FindStringSubmatch(l); m != nil && len(b.list) == 0 {
			b.begin(m[1]+m[3], m[2]+m[4], -1, "")
			continue
		}
		if !isNative(l) {
			if len(b.list) > 0 && len(b.list[0].Frames) == 0 && strings.TrimSpace(l) != "" {
				b.list[0].Rest = append(b.list[0].Rest, l)
				continue
			}
			b.other(l)
			continue
		}
		digits := strings.TrimLeft(l, " ")[1:]
		n, _ := strconv.Atoi(digits[:strings.IndexByte(digits, ' ')])
		if n <= last && n == 0 { // another thread
			b.begin("thread", "", 0, "thread")
		}
		last = n
		f, _ := nativeFrame(l)
		b.frame(b.need(), f)
	}
}
