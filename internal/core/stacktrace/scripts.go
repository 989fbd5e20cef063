package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

// Ruby: "file.rb:12:in `method': message (Class)", then "from file.rb:3:in …".
// Where a method is named, the file may have any name.
var (
	rubyLine = regexp.MustCompile("^\\s*(?:\\d+: )?(from )?(\\S+?\\.(?:rb|erb|rake|ru|gemspec)|-e|<internal:[^>]+>|\\(eval[^)]*\\)|\\(irb\\)|\\S+?):(\\d+)(?:(:in [`'])(.*?)')?(?:: (.*))?$")
	rubyFile = regexp.MustCompile(`^(?:-e|<internal:.*|\(.*)$|\.(?:rb|erb|rake|ru|gemspec)$`)
	rubyType = regexp.MustCompile(`^(.*) \(([A-Z][\w:]*)\)$`)
	rubyIn   = regexp.MustCompile(`^(?:(?:rescue|ensure|block(?: \(\d+ levels\))?) in )+`)
	// rubyLog is what the standard logger writes before a message.
	rubyLog = regexp.MustCompile(`^[A-Z], \[[^\]]*\] +[A-Z]+ -- [^:]*: `)
	// rubyServed is how web servers log an exception: "NoMethodError (no name):".
	rubyServed = regexp.MustCompile(`^([A-Z][\w:]*) \((.*)\):$`)
	// rubyHelp is what newer versions add to a message: the line of source with a mark, and guesses.
	rubyHelp = regexp.MustCompile(`(?s)\n\n[^\n]*\n *\^+.*$|\nDid you mean\? .*$`)
)

// rubyFrame reads a line of a trace; ok is false for one that is none.
func rubyFrame(line string) (f event.RawFrame, from bool, message string, ok bool) {
	m := rubyLine.FindStringSubmatch(line)
	if m == nil || m[4] == "" && !rubyFile.MatchString(m[2]) {
		return f, false, "", false
	}
	f.File = m[2]
	f.Line, _ = strconv.Atoi(m[3])
	f.Module, f.Function = rubyName(rubyIn.ReplaceAllString(m[5], ""))
	return f, m[1] != "", m[6], true
}

func isRuby(line string) bool {
	if !strings.Contains(line, ":in ") && !strings.Contains(line, "from ") {
		return false
	}
	f, from, _, ok := rubyFrame(line)
	return ok && (from || f.Function != "")
}

// readRuby reads what an uncaught exception prints, the newest first, then its
// causes; and a backtrace behind a line that says what failed, as loggers write
// it.
func readRuby(b *builder, lines []string) {
	message := false // what comes is message
	for _, l := range lines {
		if at := rubyLog.FindString(l); at != "" {
			b.rest, l = append(b.rest, strings.TrimSpace(at)), l[len(at):]
			if i := strings.Index(l, ": "); i > 0 && !isRuby(l) && isRuby(l[i+2:]) {
				b.rest, l = append(b.rest, l[:i]), l[i+2:]
			}
		}
		f, from, said, ok := rubyFrame(l)
		if !ok {
			if t := rubyType.FindStringSubmatch(l); message && t != nil &&
				b.need().Type == "" { // the end of a message of lines
				x := b.need()
				x.Message, x.Type = x.Message+"\n"+t[1], t[2]
				continue
			}
			if message && len(b.list) > 0 {
				b.need().Message += "\n" + l
				continue
			}
			b.other(l)
			continue
		}
		switch {
		case said != "" && !from:
			b.begin("", said, len(b.list)-1, "cause")
			b.rubyClass(said)
		case len(b.list) == 0:
			b.rubyHeadFromLog()
		}
		message = said != "" && !from
		b.frame(b.need(), f)
	}
	for i := range b.list {
		x := &b.list[i]
		for j := range max(0, len(x.Frames)-1) {
			f, next := &x.Frames[j], x.Frames[j+1]
			f.Builtin = f.File == next.File && f.Line == next.Line && f.Function != next.Function && f.Line > 0
		}
		if at := rubyHelp.FindStringIndex(x.Message); at != nil {
			x.Rest = append(x.Rest, trimEmpty(strings.Split(x.Message[at[0]:], "\n"))...)
			x.Message = x.Message[:at[0]]
		}
	}
}

// rubyClass takes the class off the end of the newest exception's message.
func (b *builder) rubyClass(said string) {
	if t := rubyType.FindStringSubmatch(said); t != nil {
		x := b.need()
		x.Message, x.Type = t[1], t[2]
	}
}

// rubyHeadFromLog begins an exception with the last line that was read before its
// backtrace.
func (b *builder) rubyHeadFromLog() {
	x := b.need()
	n := len(b.rest) - 1
	if n < 0 {
		return
	}
	line := strings.TrimSpace(b.rest[n])
	b.rest = b.rest[:n]
	if m := rubyServed.FindStringSubmatch(line); m != nil {
		x.Type, x.Message = m[1], m[2]
		return
	}
	x.Message = line
	b.rubyClass(line)
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
	perlAlone  = regexp.MustCompile(`^(\[\w{3} \w{3} +\d+ [\d:]{8} \d{4}\] (?:[\w.-]+: )?)?(.*) at (\S+\.(?:pl|pm|t|cgi|psgi|fcgi)|-e|\(eval \d+\)|/\S*/s?bin/[\w-]+) line (\d+)(?:, <\w+> (?:line|chunk) \d+)?\.$`)
	perlDied   = regexp.MustCompile(`^(.*) at (\S.*) line (\d+)(?:, <\w+> (?:line|chunk) \d+)?\.?$`)
)

func isPerl(line string) bool {
	return strings.Contains(line, " line ") && (perlCalled.MatchString(line) || perlAlone.MatchString(line))
}

// readPerl reads a trace of Carp. Each place is where the function before it
// was called.
func readPerl(b *builder, lines []string) {
	var places []event.RawFrame
	var calls []string
	flush := func() {
		switch {
		case len(calls) == 0 && len(places) > 0: // no trace: nobody says in which function
			b.frame(b.need(), places[0])
		case len(places) > 0:
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
		if m := perlAlone.FindStringSubmatch(l); m != nil && m[1] != "" {
			b.rest, l = append(b.rest, strings.TrimSpace(m[1])), l[len(m[1]):]
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
