package symbolicate

import (
	"errors"
	"io"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbols"
)

// Symbols finds the symbols of a generated file. It returns nil and the reason when there
// is none. Failed is told when symbols could not be read at the moment.
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
		raws := RawFrames(x)
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
		out[i] = frames
	}
	blame.Mark(e.Exceptions, out, nil)
	return out
}

// Digests notes what the function of the frame that an event is blamed on says
// in its source, and those of the function that failed on its behalf and of the
// one that called it: whichever the event is filed under can be followed when
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
		if file == nil {
			continue
		}
		o, ok, err := file.Find(sourcemap.Pos{Line: int32(f.Raw.Line - 1), Col: int32(max(f.Raw.Column-1, 0))})
		if err == nil && ok && o.Source != "" {
			d, failed := file.Digest(o)
			f.Digest, err = d.String(), failed
		}
		if _, damaged := errors.AsType[*symbols.DamageError](err); err != nil && !damaged && !errors.Is(err, io.ErrUnexpectedEOF) {
			known.Failed(err)
		}
	}
}

// Named finds the functions of a file's sources that frames in them are called so.
func Named(file *symbols.File, called string) ([]symbols.Placed, error) {
	return file.Named(func(fn symbols.Function) bool {
		return event.Frame{Function: fn.Name, Within: fn.Within}.Called() == called
	})
}

// Remark says anew whose code the frames of an event are that were made
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
