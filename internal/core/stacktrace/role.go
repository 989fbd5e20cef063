package stacktrace

import (
	"regexp"
	"strings"
)

// Role is what one line of a log is to a trace.
type Role int

// The roles of a line.
const (
	NoRole Role = iota
	Head        // a trace may begin with it
	Frame       // it belongs to a trace, and a trace has at least one
)

// part says of a language which lines may begin a trace, and which go on with
// one that has begun, seen after the line before them.
type part struct {
	head   func(line string) bool
	goesOn func(line, before string) bool
	// first says that a trace begins with the first of several heads: what is
	// printed of it is more than one paragraph.
	first bool
}

// parts are the languages' ways of printing traces into logs.
var parts = map[Language]part{
	JavaScript: {head: headOf(jsBegins), goesOn: jsGoesOn},
	Java:       {head: javaBegins, goesOn: prefixOf("Caused by: ", "Suppressed: ", "Wrapped by: ", "... ")},
	Python:     {head: suffixOf("Traceback (most recent call last):"), goesOn: pythonGoesOn},
	Go:         {head: goBegins, goesOn: goGoesOn, first: true},
	PHP:        {head: headOf(phpBegin, phpThrow), goesOn: prefixOf("Stack trace:", "thrown in ", "Next ")},
	Ruby:       {head: rubyBegins, goesOn: rubyGoesOn},
	Perl:       {head: perlBegins, goesOn: never},
	Native:     {head: headOf(nativeSignal), goesOn: never, first: true},
	Rust:       {head: headOf(rustPanic), goesOn: rustGoesOn, first: true},
	DotNet:     {head: netBegins, goesOn: prefixOf("---> ", "--- End of ", "[ERROR] FATAL UNHANDLED EXCEPTION: ")},
}

// RoleOf says what a line is in a trace, and the trace's language.
func RoleOf(line string) (Language, Role) {
	if len(line) > maxLine {
		line = line[:maxLine]
	}
	if promising(line) {
		for _, f := range forms {
			if f.frame(line) {
				return f.language, Frame
			}
		}
		if isPlaceless(line) {
			return JavaScript, Frame
		}
	}
	if !mayBegin(line) {
		return "", NoRole
	}
	for _, f := range forms {
		if parts[f.language].head(line) {
			return f.language, Head
		}
	}
	return "", NoRole
}

// beginnings are words. Every head has one of them: most lines of a log
// have none.
var beginnings = []string{"rror", "xception", "panic", "Traceback", "oroutine", "ejection", "hrowable", "Warning",
	" at ", ":in ", "SIG", "RACE", " in "}

func mayBegin(line string) bool {
	for _, w := range beginnings {
		if strings.Contains(line, w) {
			return true
		}
	}
	return false
}

// IsFrame says whether a line is a frame of the language.
func (l Language) IsFrame(line string) bool {
	for _, f := range forms {
		if f.language == l {
			return promising(line) && (f.frame(line[:min(len(line), maxLine)]) || l == JavaScript && isPlaceless(line))
		}
	}
	return false
}

// Begins says whether a trace of the language may begin with a line.
func (l Language) Begins(line string) bool {
	return parts[l].head != nil && parts[l].head(line[:min(len(line), maxLine)])
}

// BeginsIn lists the languages whose traces may begin with a line.
func BeginsIn(line string) (all []Language) {
	for _, f := range forms {
		if f.language.Begins(line) {
			all = append(all, f.language)
		}
	}
	return all
}

// GoesOn says whether a line that is no frame goes on with a trace of the
// language whose last line is before.
func (l Language) GoesOn(line, before string) bool {
	return parts[l].goesOn != nil && parts[l].goesOn(line[:min(len(line), maxLine)], before)
}

// BeginsFirst says that a trace of the language begins with the first of
// several heads that follow each other, not with the last.
func (l Language) BeginsFirst() bool { return parts[l].first }

// isPlaceless knows a frame of code that was evaluated, without its place.
func isPlaceless(line string) bool {
	name, ok := strings.CutSuffix(strings.TrimSpace(line), "@")
	return ok && (placeless[name] || name == "anonymous")
}

func never(_, _ string) bool { return false }

func headOf(all ...*regexp.Regexp) func(string) bool {
	return func(line string) bool {
		for _, re := range all {
			if re.MatchString(line) {
				return true
			}
		}
		return false
	}
}

func prefixOf(all ...string) func(line, before string) bool {
	return func(line, _ string) bool {
		text := strings.TrimLeft(line, " \t")
		for _, p := range all {
			if strings.HasPrefix(text, p) {
				return true
			}
		}
		return false
	}
}

func suffixOf(end string) func(string) bool {
	return func(line string) bool { return strings.HasSuffix(strings.TrimSpace(line), end) }
}

func javaBegins(line string) bool {
	if strings.HasPrefix(line, `Exception in thread "`) {
		return true
	}
	m := javaHead.FindStringSubmatch(line)
	return m != nil && m[1] == "" && m[2] == "" && strings.Contains(m[4], ".") &&
		(strings.HasSuffix(m[4], "Exception") || strings.HasSuffix(m[4], "Error") ||
			strings.HasSuffix(m[4], "Throwable"))
}

// jsGoesOn knows what Node prints behind the frames: causes, members, and the
// error's own properties up to the closing brace.
func jsGoesOn(line, before string) bool {
	text := strings.TrimSpace(line)
	if strings.HasPrefix(text, "[cause]: ") || strings.HasPrefix(text, "[errors]: [") || jsMatching.MatchString(line) {
		return true
	}
	open := strings.HasSuffix(before, "{") || strings.HasSuffix(before, ",") || strings.HasSuffix(before, "[") ||
		strings.HasSuffix(before, "}") && strings.HasPrefix(before, " ") || strings.HasPrefix(before, "    at ")
	switch text {
	case "}", "},", "]", "],":
		return open
	}
	if indent := len(line) - len(strings.TrimLeft(line, " ")); indent >= 2 {
		return open && jsProperty.MatchString(text) || indent >= 4 && jsBegins.MatchString(text)
	}
	return false
}

var jsBegins = regexp.MustCompile(`^\s*(?:Uncaught |throw )?(?:\(in promise\) )?((?:[A-Za-z_$][\w$.]*)?(?:Error|Exception|Rejection|Warning)[\w$]*)(?: \[[\w$]+\])?(?:: (.*))?$`)

var jsProperty = regexp.MustCompile(`^(?:[\w$]+|'[^']*'|\[[\w$.()]+\]): .*[^;]$`)

// pythonGoesOn takes what is indented, the exception at the end, and the words
// between chained tracebacks.
func pythonGoesOn(line, before string) bool {
	text := strings.TrimSpace(line)
	switch {
	case text == pyDirect || text == pyDuring:
		return true
	case text == "":
		return strings.TrimSpace(before) != ""
	case strings.HasSuffix(text, "Traceback (most recent call last):"):
		lead := strings.TrimSpace(before)
		return lead == "" || lead == pyDirect || lead == pyDuring || strings.HasPrefix(lead, "+-") &&
			strings.HasPrefix(line, " ")
	case strings.HasPrefix(line, "  "): // source lines, marks below them, members of a group
		return strings.HasPrefix(before, "  ") ||
			strings.HasSuffix(strings.TrimSpace(before), "Traceback (most recent call last):")
	}
	typ, _, _ := strings.Cut(text, ":")
	return strings.HasPrefix(before, "  ") && pyName.MatchString(typ)
}

func goBegins(line string) bool {
	return strings.HasPrefix(line, "panic: ") || strings.HasPrefix(line, "fatal error: ") ||
		strings.HasPrefix(line, "WARNING: DATA RACE") || goRoutine.MatchString(strings.TrimRight(line, " \r"))
}

var goCalled = regexp.MustCompile(`^(?:created by )?[\w./*()\[\]·…~%-]+(?:\(.*\))?(?: in goroutine \d+)?$`)

// goGoesOn takes calls, whose place stands on the next line, further
// goroutines, and the lines between.
func goGoesOn(line, before string) bool {
	switch {
	case strings.TrimSpace(line) == "":
		return strings.TrimSpace(before) != ""
	case strings.HasPrefix(line, "[signal ") || strings.HasPrefix(line, "\tpanic: ") ||
		strings.HasPrefix(line, "...additional frames elided"):
		return true
	case goRoutine.MatchString(strings.TrimRight(line, " \r")):
		return strings.TrimSpace(before) == "" || strings.HasPrefix(before, "[signal ")
	}
	if goFile.MatchString(line) {
		return true
	}
	text := strings.TrimPrefix(line, "  ") // as the race detector prints it
	dot := strings.Contains(text, ".") || strings.Contains(text, "(")
	return dot && goCalled.MatchString(text) &&
		(goFile.MatchString(before) || goRoutine.MatchString(strings.TrimRight(before, " \r")))
}

func netBegins(line string) bool {
	m := netHead.FindStringSubmatch(line)
	return m != nil && (strings.HasSuffix(m[1], "Exception") || strings.HasPrefix(line, "Unhandled "))
}

func rubyBegins(line string) bool {
	f, from, said, ok := rubyFrame(line)
	return ok && !from && f.Function != "" && said != ""
}

// rubyGoesOn takes a cause, which is printed right behind what it caused.
func rubyGoesOn(line, before string) bool {
	return rubyBegins(line) && strings.HasPrefix(before, "\tfrom ")
}

func perlBegins(line string) bool {
	return !strings.HasPrefix(line, "\t") && !strings.Contains(line, " called at ") && perlDied.MatchString(line)
}

func rustGoesOn(line, _ string) bool {
	text := strings.TrimSpace(line)
	return rustName.MatchString(line) || text == "stack backtrace:" || rustPlace.MatchString(line) ||
		strings.HasPrefix(text, "note: ")
}
