// Package symbolicate turns a raw frame into a readable one with the symbols
// of its file, and says why when it cannot. Function names are those of the
// enclosing function in the original source, not of the token at the call.
//
// It takes raw frames and Units (a file's map and functions) and gives
// event.Frame values; looking units up is the caller's work.
package symbolicate

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"firethorn/internal/core/event"
	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
)

// Unit is what is known of one generated file.
type Unit struct {
	Map    *sourcemap.Map
	Scopes *scope.Table // nil when the bundle itself was not pushed
}

// Size estimates the unit's memory in bytes.
func (u *Unit) Size() int {
	n := 0
	if u.Map != nil {
		n += u.Map.Size()
	}
	if u.Scopes != nil {
		n += u.Scopes.Size()
	}
	return n
}

// Context is how many source lines stand each side of a frame's own line.
const Context = 7

// Options say how much to fill in.
type Options struct {
	Sources bool // fill SourceLines
}

// Frame makes one raw frame readable. unit is nil when there are no symbols
// for its file, and why then says so in words a developer can act on.
func Frame(raw event.RawFrame, unit *Unit, why string, opt Options) event.Frame {
	f := event.Frame{
		Line: raw.Line, Column: raw.Column, Kind: stacktrace.Kind(stacktrace.LanguageOf(raw), raw),
		Raw: event.Position{Function: raw.Function, File: raw.File, Line: raw.Line, Column: raw.Column},
	}
	f.Function, f.File = stacktrace.Shown(raw)
	if !Resolvable(raw) {
		return f
	}
	if unit == nil || unit.Map == nil {
		f.WhyRaw, f.Pending = why, why != ""
		return f
	}
	at := sourcemap.Pos{Line: int32(raw.Line - 1), Col: int32(max(raw.Column-1, 0))}
	o, ok := unit.Map.Find(at)
	if !ok || o.Source == "" {
		f.WhyRaw = fmt.Sprintf("position %d:%d lies outside what the source map describes (%d lines); the map may belong to another build of this file", raw.Line, raw.Column, unit.Map.Lines())
		return f
	}
	f.File, f.Line, f.Column = SourcePath(o.Source), int(o.Pos.Line)+1, int(o.Pos.Col)+1
	f.Function = functionName(unit, at, raw.Function)
	if raw.Own == nil {
		f.Kind = stacktrace.KindOf(f.File)
		if o.Ignored {
			f.Kind = event.Vendor
		}
	}
	if opt.Sources {
		f.SourceLines = sourceLines(unit.Map, o.Index, f.Line)
	}
	return f
}

// Resolvable says whether a frame names a position that symbols could resolve.
func Resolvable(raw event.RawFrame) bool {
	if raw.Line == 0 || raw.File == "" || stacktrace.LanguageOf(raw) != stacktrace.JavaScript || stacktrace.KindOf(raw.File) == event.Runtime || strings.Contains(raw.File, "-extension://") {
		return false
	}
	path := strings.TrimRight(strings.SplitN(raw.File, "?", 2)[0], "/")
	for _, ext := range []string{".js", ".mjs", ".cjs"} {
		if strings.HasSuffix(path, ext) {
			return true
		}
	}
	return strings.Contains(raw.File, "://") && !strings.HasSuffix(path, ".ts")
}

// FunctionAt is the original name of the function around a position; "" where
// that is not known or it has none.
func FunctionAt(u *Unit, at sourcemap.Pos) string { return functionName(u, at, "") }

// functionName is the original name of the function around at.
func functionName(u *Unit, at sourcemap.Pos, raw string) string {
	if u.Scopes == nil {
		return raw
	}
	suffix := ""
	for i, ok := u.Scopes.Find(at); ok && i >= 0; i = u.Scopes.At(i).Parent {
		f := u.Scopes.At(i)
		name := original(u.Map, f.Name, f.NamePos, f.Property)
		if name == "" {
			suffix = " (callback)"
			continue
		}
		if class := original(u.Map, f.Class, f.ClassPos, false); class != "" {
			name = class + "." + name
		}
		return name + suffix
	}
	if suffix != "" {
		return "anonymous"
	}
	return ""
}

// original is the name that stood in the source where name stands in the
// generated code: the map's own, else the identifier in the source text.
// A name the build made (bound to nothing in the source) gives "".
func original(m *sourcemap.Map, name string, at sourcemap.Pos, property bool) string {
	if name == "" {
		return ""
	}
	o, ok := m.Find(at)
	if !ok || !o.Exact {
		if property {
			return name
		}
		return ""
	}
	if o.Name != "" {
		return o.Name
	}
	if text, ok := m.Content(o.Index); ok {
		if id := identifierAt(text, o.Pos); id != "" && !keyword[id] {
			return id
		}
	}
	if property || len(name) > 3 {
		return name
	}
	return ""
}

var keyword = map[string]bool{
	"function": true, "const": true, "let": true, "var": true, "class": true, "export": true, "default": true,
	"async": true, "return": true, "new": true, "static": true, "import": true, "if": true, "for": true,
}

// identifierAt reads the identifier that begins at p of text.
func identifierAt(text string, p sourcemap.Pos) string {
	line := nthLine(text, int(p.Line))
	units := int32(0)
	for i, r := range line {
		if units == p.Col {
			rest := strings.TrimPrefix(line[i:], "#")
			end := strings.IndexFunc(rest, func(r rune) bool {
				return r != '_' && r != '$' && !unicode.IsLetter(r) && !unicode.IsDigit(r)
			})
			if end < 0 {
				end = len(rest)
			}
			if first, _ := utf8.DecodeRuneInString(rest); unicode.IsDigit(first) {
				return ""
			}
			return rest[:end]
		}
		units++
		if r > 0xffff {
			units++
		}
	}
	return ""
}

func nthLine(text string, n int) string {
	for ; n > 0; n-- {
		i := strings.IndexByte(text, '\n')
		if i < 0 {
			return ""
		}
		text = text[i+1:]
	}
	if i := strings.IndexByte(text, '\n'); i >= 0 {
		text = text[:i]
	}
	return strings.TrimSuffix(text, "\r")
}

// maxSourceLine bounds one line of context in bytes: generated sources have
// lines without end.
const maxSourceLine = 400

// sourceLines gives the lines around line (counted from 1) of source i.
func sourceLines(m *sourcemap.Map, i, line int) []event.SourceLine {
	text, ok := m.Content(i)
	if !ok {
		return nil
	}
	var out []event.SourceLine
	n := 0
	for l := range strings.Lines(text) {
		n++
		if n > line+Context {
			break
		}
		if n >= line-Context {
			out = append(out, event.SourceLine{Line: n, Text: event.TrimText(strings.TrimRight(l, "\r\n"), maxSourceLine)})
		}
	}
	if n < line {
		return nil
	}
	return out
}

// SourcePath is a map's source as a path to read: without scheme, bundler
// prefix and leading dots.
func SourcePath(source string) string {
	if i := strings.Index(source, "://"); i >= 0 {
		source = strings.TrimLeft(source[i+3:], "/")
	}
	if i := strings.LastIndex(source, "node_modules/"); i >= 0 {
		return source[i:]
	}
	for {
		cut := strings.TrimPrefix(strings.TrimPrefix(source, "../"), "./")
		if cut == source {
			return source
		}
		source = cut
	}
}
