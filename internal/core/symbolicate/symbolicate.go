// Package symbolicate makes a raw frame readable with the symbols of its file, or gives the reason why
// it cannot. Function names are those of the enclosing function in the original source, not of the
// token at the call.
//
// It takes raw frames and compiled symbols and gives
// event.Frame values; looking symbols up is the caller's work.
package symbolicate

import (
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode/utf8"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbols"
	"firethorn/internal/core/text"
)

// Context is how many source lines stand each side of a frame's own line.
const Context = 7

// Options say how much to fill in.
type Options struct {
	Sources bool // fill SourceLines
	// Behind what the client says, before what the language's own rules say; the first that fits
	// decides.
	Kinds []KindRule
	Hit   func(rule string)        // told of each frame that a rule decides about; may be nil
	Clean func(text string) string // takes secrets out of what sources say; nil: nothing is taken out
	// Memory of traces that were read by the same symbols and options; nil: none. Sources are not
	// remembered.
	Memory Memory
}

// KindRule says whose code frames are whose readable file, module (as package
// blame names it) and function fit its globs; an empty one fits all. With
// LookThrough it says that they are own frames that fail on behalf of their callers.
type KindRule struct {
	Name                   string // of the rule that it comes from
	Path, Module, Function string
	Kind                   event.Kind
	LookThrough            bool
}

func (r *KindRule) fits(f *event.Frame) bool {
	return (r.Path == "" || text.Glob(r.Path, f.File)) && (r.Module == "" || text.Glob(r.Module, blame.Module(*f))) &&
		(r.Function == "" || text.Glob(r.Function, f.Called()))
}

// mark lets the first rule that fits decide about a frame. What the client says
// of whose code it is goes first.
func (o Options) mark(f *event.Frame, said *bool) {
	for i := range o.Kinds {
		r := &o.Kinds[i]
		if !r.fits(f) {
			continue
		}
		if o.Hit != nil {
			o.Hit(r.Name)
		}
		switch {
		case r.LookThrough:
			f.LookThrough = said == nil || *said
			if said == nil {
				f.Kind = event.Own
			}
		case said == nil:
			f.Kind = r.Kind
		}
		return
	}
}

// Frame makes one raw frame readable. file is nil when there are no symbols
// for its file, and why then says so in words a developer can act on.
func Frame(raw event.RawFrame, file *symbols.File, why string, opt Options) event.Frame {
	f, err := frame(raw, file, why, opt)
	if err != nil {
		f.WhyRaw = err.Error()
	}
	return f
}

// frame is Frame; err says that the symbols could not be read at the moment.
func frame(raw event.RawFrame, file *symbols.File, why string, opt Options) (f event.Frame, err error) {
	f, err = known(raw, file, why, opt)
	opt.mark(&f, raw.Own)
	return f, err
}

func known(raw event.RawFrame, file *symbols.File, why string, opt Options) (event.Frame, error) {
	f := event.Frame{
		Line: raw.Line, Column: raw.Column, Kind: stacktrace.Kind(stacktrace.LanguageOf(raw), raw),
		Raw: event.Position{Function: raw.Function, File: raw.File, Line: raw.Line, Column: raw.Column},
	}
	f.Function, f.File = stacktrace.Shown(raw)
	f.Builtin, f.Async = raw.Builtin, raw.Async
	if !Resolvable(raw) {
		return f, nil
	}
	if file == nil {
		if !written(raw) {
			f.WhyRaw, f.Pending = why, why != ""
		}
		f.Generated = f.Pending
		return f, nil
	}
	f.Generated = true
	err := resolve(&f, raw, file, opt)
	if _, damaged := errors.AsType[*symbols.DamageError](err); damaged || errors.Is(err, io.ErrUnexpectedEOF) {
		f.WhyRaw, err = err.Error()+"; push the map of this file again", nil
	}
	return f, err
}

// resolve fills f with what file knows of it. It changes nothing when it fails.
func resolve(f *event.Frame, raw event.RawFrame, file *symbols.File, opt Options) error {
	at, o, ok, err := original(file, f.Raw)
	if err != nil {
		return err
	}
	if !ok {
		function, known, err := file.Function(at, sourcemap.Original{})
		if err != nil {
			return err
		}
		if f.Function = ""; known { // what the build calls it changes with each build
			f.Function, f.Within = function.Name, function.Within
		}
		f.WhyRaw = fmt.Sprintf("position %d:%d lies outside what the source map describes (%d lines); the map may belong to another build of this file", raw.Line, raw.Column, file.Lines())
		return nil
	}
	function, known, err := file.Function(at, o)
	if err != nil {
		return err
	}
	var lines []event.SourceLine
	if opt.Sources {
		if lines, err = sourceLines(file, o.Index, int(o.Pos.Line)+1, int(o.Pos.Col)); err != nil {
			return err
		}
	}
	said := ""
	if !known {
		if said, err = statement(file, o.Index, int(o.Pos.Line)+1, int(o.Pos.Col)); err != nil {
			return err
		}
		if opt.Clean != nil {
			said = opt.Clean(said)
		}
	}
	f.File, f.Line, f.Column, f.SourceLines = SourcePath(o.Source), int(o.Pos.Line)+1, int(o.Pos.Col)+1, lines
	f.Function, f.Within, f.Statement = function.Name, function.Within, said
	f.MakesError, f.OnBehalf = function.Makes, function.OnBehalf
	if known && f.Called() == "" && raw.Function != "" {
		// Some engines print constructors that nobody wrote, at the class's head.
		text, err := statement(file, o.Index, int(o.Pos.Line)+1, int(o.Pos.Col))
		if err != nil {
			return err
		}
		f.MakesError = derived.MatchString(text)
	}
	if !known {
		f.WhyRaw = "the function is unknown: neither the source text nor the generated file is available; push the generated file with its map"
	}
	if raw.Own == nil {
		f.Kind = stacktrace.KindOf(f.File)
		if f.Ignored = o.Ignored; o.Ignored {
			f.Kind = event.Vendor
		}
	}
	return nil
}

// derived is the head of a class that extends another.
var derived = regexp.MustCompile(`\bclass\b.*\bextends\b`)

// shortWord is a name that builds make.
var shortWord = regexp.MustCompile(`^(?:.*\.)?[\w$]{1,2}$`)

// written says whether a frame without symbols reads like source that nobody
// built: a file on a disk, at a place where people write, in a function with a
// name that people give. There is nothing to wait for then.
func written(raw event.RawFrame) bool {
	onDisk := strings.HasPrefix(raw.File, "/") || strings.HasPrefix(raw.File, "file://") || len(raw.File) > 2 &&
		raw.File[1] == ':'
	return onDisk && raw.Column > 0 && raw.Column < 160 && raw.Line > 1 && !shortWord.MatchString(raw.Function) &&
		!built.MatchString(raw.File)
}

// built are directories and endings that builds write to.
var built = regexp.MustCompile(`/(?:dist|build|out|\.next|\.output|bundle)/|\.min\.|\.bundle\.|-[\w-]{8,}\.[cm]?js$`)

// Resolvable says whether a frame names a position that symbols could resolve.
func Resolvable(raw event.RawFrame) bool {
	if raw.Line == 0 || raw.File == "" || stacktrace.LanguageOf(raw) != stacktrace.JavaScript ||
		stacktrace.KindOf(raw.File) == event.Runtime || strings.Contains(raw.File, "-extension://") {
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

const (
	// maxSourceLine bounds one line of context in bytes: generated sources have
	// lines without end.
	maxSourceLine = 400
	// sideOfColumn is how many characters of a long line stand before and behind
	// the column that is meant.
	sideOfColumn = 160
	// farthestColumn bounds how far into a line is read.
	farthestColumn = 200_000
)

// sourceLines gives the lines around line (counted from 1) of source i; of
// itself the part around column, where it is long.
func sourceLines(file *symbols.File, i, line, column int) ([]event.SourceLine, error) {
	from := max(line-1-Context, 0)
	texts, err := file.SourceLines(i, from, line-1+Context, maxSourceLine+utf8.UTFMax)
	if err != nil || from+len(texts) < line {
		return nil, err
	}
	out := make([]event.SourceLine, len(texts))
	for k, text := range texts {
		out[k] = event.SourceLine{Line: from + k + 1, Text: shown(text)}
	}
	if len(texts[line-1-from]) <= maxSourceLine || column < sideOfColumn || column > farthestColumn {
		return out, nil
	}
	// A character takes up to three bytes for each UTF-16 unit.
	long, err := file.SourceLines(i, line-1, line-1, 3*(column+sideOfColumn))
	if err != nil || len(long) == 0 {
		return out, err
	}
	cut(&out[line-1-from], long[0], column)
	return out, nil
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
