package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

// Ruby: "file.rb:12:in `method': message (Class)", then "from file.rb:3:in …".
var (
	rubyLine = regexp.MustCompile("^\\s*(?:\\d+: )?(from )?(\\S.*?\\.(?:rb|erb|rake|ru|gemspec)|-e|<internal:[^>]+>|\\(eval[^)]*\\)|\\(irb\\)):(\\d+)(?::in [`'](.*?)')?(?:: (.*))?$")
	rubyType = regexp.MustCompile(`^(.*) \(([A-Z][\w:]*)\)$`)
	rubyIn   = regexp.MustCompile(`^(?:(?:rescue|ensure|block(?: \(\d+ levels\))?) in )+`)
)

func isRuby(line string) bool {
	if !strings.Contains(line, ":in ") && !strings.Contains(line, "from ") {
		return false
	}
	m := rubyLine.FindStringSubmatch(line)
	return m != nil && (m[1] != "" || m[4] != "")
}

// readRuby reads what an uncaught exception prints: the newest first, then its
// causes.
func readRuby(b *builder, lines []string) {
	message := false
	for _, l := range lines {
		m := rubyLine.FindStringSubmatch(l)
		if m == nil {
			if t := rubyType.FindStringSubmatch(l); message && t != nil && b.need().Type == "" { // the end of a message of lines
				x := b.need()
				x.Message, x.Type = x.Message+"\n"+t[1], t[2]
				continue
			}
			if message && len(b.list) > 0 && strings.TrimSpace(l) != "" {
				b.need().Message += "\n" + l
				continue
			}
			b.other(l)
			continue
		}
		f := event.RawFrame{File: m[2]}
		f.Line, _ = strconv.Atoi(m[3])
		name := rubyIn.ReplaceAllString(m[4], "")
		f.Module, f.Function = rubyName(name)
		if m[5] != "" && m[1] == "" {
			b.begin("", m[5], len(b.list)-1, "cause")
			if t := rubyType.FindStringSubmatch(m[5]); t != nil {
				x := b.need()
				x.Message, x.Type = t[1], t[2]
			}
			message = true
		} else {
			message = false
		}
		b.frame(b.need(), f)
	}
}

// rubyName parts "Roster#find" as newer versions print it.
func rubyName(name string) (module, function string) {
	if i := strings.LastIndexByte(name, '#'); i > 0 {
		return name[:i], name[i+1:]
	}
	if i := strings.LastIndexByte(name, '.'); i > 0 && name[0] >= 'A' && name[0] <= 'Z' {
		return name[:i], name[i+1:]
	}
	return "", name
}

// Perl, as Carp prints it: "message at FILE line N.", then "Package::f(…)
// called at FILE line N".
var (
	perlCalled = regexp.MustCompile(`^\s+(.*) called at (.+) line (\d+)\.?$`)
	perlDied   = regexp.MustCompile(`^(.*) at (\S.*) line (\d+)(?:, <\w+> (?:line|chunk) \d+)?\.?$`)
)

func isPerl(line string) bool {
	return strings.Contains(line, " called at ") && perlCalled.MatchString(line)
}

// readPerl reads a trace of Carp. Each place is where the function before it
// was called.
func readPerl(b *builder, lines []string) {
	var places []event.RawFrame
	var calls []string
	flush := func() {
		if len(places) > 0 {
			b.shifted(b.need(), places, append(calls, "main::main"))
		}
		places, calls = nil, nil
	}
	place := func(file, line string) {
		f := event.RawFrame{File: file}
		f.Line, _ = strconv.Atoi(line)
		places = append(places, f)
	}
	before := "" // lines of the message
	for _, l := range lines {
		if m := perlCalled.FindStringSubmatch(l); m != nil {
			name, _, _ := strings.Cut(m[1], "(")
			calls = append(calls, name)
			place(m[2], m[3])
			continue
		}
		if m := perlDied.FindStringSubmatch(l); m != nil && !strings.HasPrefix(l, "\t") {
			flush()
			b.begin("", strings.TrimPrefix(before+"\n"+m[1], "\n"), -1, "")
			before = ""
			place(m[2], m[3])
			continue
		}
		if len(b.list) == 0 && strings.TrimSpace(l) != "" {
			before = strings.TrimPrefix(before+"\n"+l, "\n")
			continue
		}
		b.other(l)
	}
	flush()
}
