// Package stacktrace parses printed stack traces into exceptions and frames: JavaScript of three
// engines, Java and other JVM languages, Python, Go, Ruby, PHP, .NET, Rust, Perl, and native
// debuggers.
//
// Frames are innermost first, whatever order the runtime prints; lines and
// columns count from 1. Nothing here fails: lines that are no frames are kept.
// Time is linear in the length of the text.
//
// Reading order: Read (a text of any language), then one file a language;
// Parse (one exception of JavaScript whose message is known), Expand (what an
// event's one text holds), kind.go (whose code a frame is).
package stacktrace

import (
	"regexp"
	"strconv"
	"strings"

	"firethorn/internal/core/event"
)

// Trace is what one stack text holds.
type Trace struct {
	Header string           // the message lines before the first frame
	Frames []event.RawFrame // innermost first
	Rest   []string         // lines behind the header that are no frames, in order
}

// maxLine bounds the part of one line that is looked at, in bytes.
const maxLine = 8 << 10

// Parse reads a stack text. typ and message are the exception's, as far as
// they are known: message lines that look like frames stay message lines.
// At most limit frames are read.
func Parse(text, typ, message string, limit int) Trace {
	var t Trace
	header, body := splitHeader(text, typ, message)
	t.Header = header
	for line := range strings.Lines(body) {
		line = strings.TrimRight(line, "\r\n")
		if strings.TrimSpace(line) == "" {
			continue
		}
		f, ok := parseLine(line)
		switch {
		case ok && len(t.Frames) < limit:
			t.Frames = append(t.Frames, f)
		case ok:
		case len(t.Frames) == 0 && t.Header == "" && len(t.Rest) == 0:
			t.Header = line
		case len(t.Frames) == 0 && len(t.Rest) == 0:
			t.Header += "\n" + line
		default:
			t.Rest = append(t.Rest, line)
		}
	}
	return t
}

// splitHeader takes the known message off the front of a V8 stack, so that a
// message that looks like frames is not read as frames.
func splitHeader(text, typ, message string) (header, body string) {
	for _, h := range []string{typ + ": " + message, "Uncaught " + typ + ": " + message, message, typ} {
		if h = strings.TrimSpace(h); h == "" || h == ":" || !strings.HasPrefix(text, h) {
			continue
		}
		rest := text[len(h):]
		if rest == "" || rest[0] == '\n' || rest[0] == '\r' {
			return h, rest
		}
	}
	return "", text
}

func parseLine(line string) (event.RawFrame, bool) {
	if len(line) > maxLine {
		line = line[:maxLine]
	}
	trimmed := strings.TrimSpace(line)
	if rest, ok := strings.CutPrefix(trimmed, "at "); ok {
		return parseV8(rest)
	}
	return parseAt(trimmed)
}

// parseV8 reads what follows "at ": "f (loc)", "loc", "async f (loc)",
// "new F (loc)", "T.m [as a] (loc)", "eval (eval at f (loc), <anonymous>:1:2)".
func parseV8(s string) (event.RawFrame, bool) {
	var f event.RawFrame
	s, f.Async = strings.CutPrefix(s, "async ")
	if !strings.HasSuffix(s, ")") {
		return location(f, s)
	}
	open := matchingOpen(s)
	if open < 0 {
		return f, false
	}
	f.Function = cleanV8Name(strings.TrimSpace(s[:open]))
	loc := s[open+1 : len(s)-1]
	if rest, ok := strings.CutPrefix(loc, "eval at "); ok {
		// The place in the evaluated text is of no use; the eval's own place is.
		if i := strings.LastIndex(rest, "), "); i >= 0 {
			if o := strings.LastIndex(rest[:i], "("); o >= 0 {
				return location(f, rest[o+1:i])
			}
		}
	}
	return location(f, loc)
}

// matchingOpen finds the bracket that the last character of s closes.
func matchingOpen(s string) int {
	depth := 0
	for i := len(s) - 1; i >= 0; i-- {
		switch s[i] {
		case ')':
			depth++
		case '(':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return -1
}

func cleanV8Name(name string) string {
	name, _, _ = strings.Cut(name, " [as ")
	name = strings.TrimPrefix(name, "async ")
	name = strings.TrimPrefix(name, "new ")
	if strings.HasSuffix(name, "<anonymous>") {
		return ""
	}
	return name
}

// parseAt reads "f@loc", "@loc", "async*f@loc", "f/<@loc", "global code@loc".
func parseAt(s string) (event.RawFrame, bool) {
	var f event.RawFrame
	if s == "[native code]" {
		return event.RawFrame{File: "[native code]"}, true
	}
	// The file may hold an @ (a scoped package), so the first one that is
	// followed by something like a location splits.
	for i := 0; i < len(s); i++ {
		if s[i] != '@' {
			continue
		}
		loc := s[i+1:]
		if loc == "[native code]" || strings.Contains(loc, "://") || strings.HasPrefix(loc, "/") ||
			strings.HasPrefix(loc, "file:") || strings.HasPrefix(loc, "debugger ") {
			f.Function = cleanAtName(s[:i])
			return location(f, loc)
		}
	}
	if name, ok := strings.CutSuffix(s, "@"); ok && (placeless[name] || identifier.MatchString(name)) {
		f.Function = strings.TrimSuffix(name, " code")
		return f, true
	}
	return f, false
}

// placeless are what JavaScriptCore prints for code of an eval or of "new
// Function" without a place; functions made there have their own name.
var placeless = map[string]bool{"eval code": true, "global code": true, "module code": true}

var identifier = regexp.MustCompile(`^[\p{L}_$][\p{L}\p{N}_$]*$`)

func cleanAtName(name string) string {
	for _, p := range []string{"async*", "setTimeout handler*", "setInterval handler*", "EventListener.handleEvent*",
		"promise callback*", "async "} {
		name = strings.TrimPrefix(name, p)
	}
	// SpiderMonkey calls an anonymous function within f "f/<", one that is
	// bound to x there "f/x".
	if strings.HasSuffix(name, "<") {
		return ""
	}
	if i := strings.LastIndexByte(name, '/'); i >= 0 && !strings.ContainsAny(name, " [") {
		name = name[i+1:]
	}
	switch name {
	case "global code", "module code", "eval code", "anonymous":
		return ""
	}
	return name
}

// location reads "file:line:column", "file:line", "native" or "<anonymous>".
func location(f event.RawFrame, s string) (event.RawFrame, bool) {
	s = strings.TrimSpace(s)
	switch s {
	case "native", "<anonymous>", "[native code]":
		f.File = s
		return f, true
	}
	if n, ok := strings.CutPrefix(s, "index "); ok && n != "" &&
		strings.Trim(n, "0123456789") == "" { // of Promise.all: which one was waited for differs
		f.File = "index 0"
		return f, true
	}
	if i := strings.LastIndexByte(s, ':'); i > 0 && strings.HasPrefix(s[i+1:], "0x") &&
		strings.Contains(s[:i], "wasm-function[") { // a byte of the module
		f.File, f.Address = s[:i], s[i+1:]
		return f, true
	}
	if i := strings.Index(s, " > "); i > 0 &&
		strings.Contains(s[:i], " line ") { // SpiderMonkey: "file line 3 > eval:1:1", "… > Function:3:1"
		inner := s[strings.LastIndex(s, " > ")+3:]
		s = s[:i]
		if j := strings.LastIndex(s, " line "); j > 0 &&
			strings.HasPrefix(inner, "srcScript:") { // a script with places of its own
			return location(f, s[:j]+strings.TrimPrefix(inner, "srcScript"))
		} else if j > 0 {
			n, err := strconv.Atoi(s[j+6:])
			if err != nil {
				return f, false
			}
			f.File, f.Line = s[:j], n
			return f, true
		}
	}
	file, a, ok := cutNumber(s)
	if !ok {
		return f, false
	}
	if head, b, ok := cutNumber(file); ok {
		f.File, f.Line, f.Column = head, b, a
	} else {
		f.File, f.Line = file, a
	}
	// Most have one of these signs: looking for them is quicker than the expression, which knows them, too.
	path := strings.ContainsAny(f.File, `/\<[`) || printsFile.MatchString(f.File)
	return f, path && !strings.Contains(f.File, "\x00")
}

// printsFile is what engines print before a line and a column: a path, an
// address, a name with an ending, or one that they made. Times, ratios and
// verses in brackets have none of that.
var printsFile = regexp.MustCompile(`[/\\<\[]|\.[\p{L}_]|[\p{L}_-]+\.[\w]*$|^(?:VM|REPL)\d+$|^(?:node|file|native|debugger|webpack|stdin|eval|wasm|blob|data|app)\b`)

// cutNumber splits ":123" off the end of s.
func cutNumber(s string) (head string, n int, ok bool) {
	i := strings.LastIndexByte(s, ':')
	if i <= 0 || i == len(s)-1 || len(s)-i > 10 {
		return s, 0, false
	}
	for _, c := range s[i+1:] {
		if c < '0' || c > '9' {
			return s, 0, false
		}
	}
	n, err := strconv.Atoi(s[i+1:])
	return s[:i], n, err == nil
}
