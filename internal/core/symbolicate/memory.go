package symbolicate

import (
	"crypto/sha256"
	"encoding/binary"
	"slices"
	"strings"

	"firethorn/internal/core/event"
)

// Memory remembers frames that were made readable. The same errors are thrown at the same places,
// so that most traces of an application were read before.
type Memory interface {
	// Frames gives what was remembered of a trace; ok is false where nothing was. They may be
	// changed.
	Frames(trace Trace) (frames []event.Frame, ok bool)
	// Remember gets a trace that was read, and may keep frames.
	Remember(trace Trace, frames []event.Frame)
}

// Trace identifies the raw frames of an exception and the debug ids of their files.
type Trace [sha256.Size]byte

func traceOf(e *event.Event, raws []event.RawFrame) Trace {
	b := make([]byte, 0, 128*len(raws))
	text := func(s string) {
		b = binary.AppendUvarint(b, uint64(len(s)))
		b = append(b, s...)
	}
	file := ""
	for _, f := range raws {
		for _, s := range []string{f.Function, f.Module, f.File, f.Address, f.Image} {
			text(s)
		}
		b = binary.AppendVarint(b, int64(f.Line))
		b = binary.AppendVarint(b, int64(f.Column))
		flags := byte(0)
		for i, set := range []bool{f.Async, f.Builtin, f.Own != nil, f.Own != nil && *f.Own} {
			if set {
				flags |= 1 << i
			}
		}
		b = append(b, flags)
		if f.File != file { // frames of one file mostly follow each other
			file = f.File
			text(e.DebugID(file))
		}
	}
	return sha256.Sum256(b)
}

// Held is a copy of frames that holds on to nothing but their own text, and the bytes that it
// takes, about.
func Held(frames []event.Frame) (held []event.Frame, size int) {
	const frame = 400 // without its texts
	held = slices.Clone(frames)
	for i := range held {
		f := &held[i]
		for _, s := range []*string{&f.Function, &f.Within, &f.File, &f.WhyRaw, &f.Statement, &f.Digest,
			&f.Raw.Function, &f.Raw.File} {
			*s = strings.Clone(*s)
			size += len(*s)
		}
		size += frame
	}
	return held, size
}
