package symbolicate

import (
	"errors"
	"io"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbols"
)

// Symbols finds the symbols of a generated file. It returns nil and the reason when there
// is none. Failed is called when symbols could not be read at the moment.
type Symbols interface {
	File(path, debugID string) (file *symbols.File, why string)
	Failed(err error)
}

// maxFrames is how many frames of one exception are read.
const maxFrames = 500

// Event makes the frames of all exceptions of e readable: one list for each
// exception, innermost frame first. The origin frame of the first exception
// that has one is marked.
func Event(e *event.Event, known Symbols, opt Options) [][]event.Frame {
	out := make([][]event.Frame, len(e.Exceptions))
	for i, x := range e.Exceptions {
		out[i] = remembered(e, RawFrames(x), known, opt)
	}
	blame.Mark(e.Exceptions, out, nil)
	return out
}

// remembered are the frames of one exception, from memory where it was read before.
func remembered(e *event.Event, raws []event.RawFrame, known Symbols, opt Options) []event.Frame {
	if opt.Memory == nil || len(raws) == 0 {
		return read(e, raws, known, opt)
	}
	trace := traceOf(e, raws)
	if frames, ok := opt.Memory.Frames(trace); ok {
		return frames
	}
	frames := read(e, raws, known, opt)
	opt.Memory.Remember(trace, frames)
	return frames
}

// read makes the frames of one exception readable.
func read(e *event.Event, raws []event.RawFrame, known Symbols, opt Options) []event.Frame {
	frames := make([]event.Frame, len(raws))
	for j, raw := range raws {
		var file *symbols.File
		why := ""
		if Resolvable(raw) {
			file, why = known.File(raw.File, e.DebugID(raw.File))
		}
		var err error
		if frames[j], err = frame(raw, file, why, opt); err != nil {
			known.Failed(err)
		}
	}
	markVanished(e, frames, known)
	return frames
}

// markVanished looks whether the innermost own frame called the function of the
// runtime that failed in it. Engines that do away with the frames of functions
// whose last act is a call (ECMA-262, PrepareForTailCall) print another one there.
func markVanished(e *event.Event, frames []event.Frame, known Symbols) {
	for j := 1; j < len(frames); j++ {
		f, below := &frames[j], frames[j-1]
		if f.Kind != event.Own {
			continue
		}
		if below.File != "[native code]" || below.Function == "" || f.Raw.File == f.File {
			return
		}
		file, _ := known.File(f.Raw.File, e.DebugID(f.Raw.File))
		_, o, ok, err := original(file, f.Raw)
		text := ""
		if err == nil && ok {
			text, err = file.Text(o)
		}
		failed(known, err)
		f.Vanished = text != "" &&
			!strings.Contains(text, below.Function[strings.LastIndexByte(below.Function, '.')+1:])
		return
	}
}

// original is where the generated place of a frame, at, came from; ok is false
// where the symbols do not say, and without any.
func original(file *symbols.File, raw event.Position) (at sourcemap.Pos, o sourcemap.Original, ok bool, err error) {
	at = sourcemap.Pos{Line: int32(raw.Line - 1), Col: int32(max(raw.Column-1, 0))}
	if file == nil {
		return at, o, false, nil
	}
	o, ok, err = file.Find(at)
	if err == nil && (!ok || o.Source == "") {
		o, ok, err = file.Beside(at)
	}
	return at, o, ok && o.Source != "", err
}

// failed notes a failure to reach symbols. Damaged ones are no such failure.
func failed(known Symbols, err error) {
	if _, damaged := errors.AsType[*symbols.DamageError](err); err != nil && !damaged &&
		!errors.Is(err, io.ErrUnexpectedEOF) {
		known.Failed(err)
	}
}

// Digests notes what the function of the frame that an event is blamed on says
// in its source, and those of the function that failed on its behalf and of the
// one that called it: whichever the event is processed under can be followed when
// it moves to another file.
func Digests(e *event.Event, frames [][]event.Frame, known Symbols) {
	i, j, ok := blame.Origin(frames)
	if !ok {
		return
	}
	at := []int{j}
	if k, ok := blame.Through(frames[i], j); ok {
		at = append(at, k)
	}
	if k, ok := blame.CallerOf(frames[i], j); ok {
		at = append(at, k)
	}
	for _, k := range at {
		f := &frames[i][k]
		if f.Digest != "" || f.Raw.File == f.File || f.Called() == "" {
			continue
		}
		file, _ := known.File(f.Raw.File, e.DebugID(f.Raw.File))
		_, o, ok, err := original(file, f.Raw)
		if err == nil && ok {
			var d scope.Digest
			d, err = file.Digest(o)
			f.Digest = d.String()
		}
		failed(known, err)
	}
}

// Named finds the functions of a file's sources that frames in them are called so.
func Named(file *symbols.File, called string) ([]symbols.Placed, error) {
	return file.Named(func(fn symbols.Function) bool {
		return event.Frame{Function: fn.Name, Within: fn.Within}.Called() == called
	})
}

// Remark says again whose code the frames of an event are that were made
// readable before, under other rules, and whom they blame. It changes frames.
func Remark(e *event.Event, frames [][]event.Frame, opt Options) {
	for i := range frames {
		raws := []event.RawFrame(nil)
		if i < len(e.Exceptions) {
			raws = RawFrames(e.Exceptions[i])
		}
		for j := range frames[i] {
			f := &frames[i][j]
			f.LookThrough, f.Origin = false, false
			if len(raws) != len(frames[i]) { // its text is read otherwise by now
				continue
			}
			if _, shown := stacktrace.Shown(raws[j]); Resolvable(raws[j]) && shown != f.File {
				if f.Kind = stacktrace.KindOf(f.File); f.Ignored {
					f.Kind = event.Vendor
				}
			} else {
				f.Kind = stacktrace.Kind(stacktrace.LanguageOf(raws[j]), raws[j])
			}
			opt.mark(f, raws[j].Own)
		}
	}
	blame.Mark(e.Exceptions, frames, nil)
}

// RawFrames are an exception's frames: those given, else those in its stack text.
func RawFrames(x event.Exception) []event.RawFrame {
	if len(x.Frames) > 0 || x.Stack == "" {
		return x.Frames
	}
	return stacktrace.Frames(x.Stack, x.Type, x.Message, maxFrames)
}
