package pipeline

import (
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/symbolicate"
)

// tracesHeld is how many bytes of traces that were read are remembered.
const tracesHeld = 32 << 20

// traceKey is what the frames of a trace are made of: the project's rules say whose code a frame is,
// and a file is found by the release. Symbols that come, or are ready, raise the version of the
// project's symbols, so that what could not be read is read again.
type traceKey struct {
	project, symbols int64
	rules            int
	release          string
	trace            symbolicate.Trace
}

// readTrace is a trace that was read, and the units that it was read with.
type readTrace struct {
	frames []event.Frame
	units  []int64
	size   int
}

// traces remembers the traces of one release, for symbolicate.
type traces struct {
	known *Symbols
	rules int
}

func (t traces) key(trace symbolicate.Trace) traceKey {
	return traceKey{t.known.project.ID, t.known.version, t.rules, t.known.release, trace}
}

// Frames are those of a trace that was read with the symbols that the project has now.
func (t traces) Frames(trace symbolicate.Trace) ([]event.Frame, bool) {
	if !t.known.ask() {
		return nil, false
	}
	found, ok := t.known.units.traces.Get(t.key(trace))
	if !ok {
		return nil, false
	}
	for _, unit := range found.units { // else they would be dropped as unused
		t.known.units.note(unit)
	}
	return slices.Clone(found.frames), true
}

// Remember holds a trace, unless symbols could not be read at the moment.
func (t traces) Remember(trace symbolicate.Trace, frames []event.Frame) {
	if t.known.err != nil {
		return
	}
	var r readTrace
	r.frames, r.size = symbolicate.Held(frames)
	r.units = slices.Clone(t.known.read)
	t.known.units.traces.Put(t.key(trace), r)
}
