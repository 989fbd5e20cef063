// Package fingerprint computes the key that decides which issue an event
// belongs to, and says what it was made from. Two events with one cause get
// one key: whatever the browser, the release, the call depth, the position.
//
// Input is an event and its readable frames; output is a Result: the key, the
// key of the variant, the headline and the place, and the reasons. Pure and
// versioned: Version grows with each change of stack parsing, symbolication,
// function names, scrubbing or of this package that changes a key.
package fingerprint

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"regexp"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
)

// Version is the grouping version.
const Version = 1

// Key is the first half of a SHA-256.
type Key [16]byte

// Part is one thing the fingerprint was made from.
type Part struct {
	What  string `json:"what"`  // "type", "function", "module", "message", "application"
	Value string `json:"value"` // as it was used
	Why   string `json:"why"`   // why it counts
}

// Result is a computed fingerprint and all that follows from it.
type Result struct {
	Key         Key
	Variant     Key  // what can only ever move together
	Base        Key  // without what the application added; Key when it added nothing
	Provisional bool // symbols that may still come can change it
	Parts       []Part
	Headline    string // "TypeError in tideAt"
	Place       string // "src/timetable/tides.ts:48", "" when not known
	Message     string // of the exception, or the event's own
	Origin      event.Position
	HasOrigin   bool
}

// generic are types that say nothing of the cause: they never enter.
var generic = map[string]bool{"": true, "Error": true, "Exception": true, "UnhandledRejection": true, "AggregateError": true, "*errors.errorString": true, "*fmt.wrapError": true}

// Compute makes the fingerprint of e, whose frames are given as
// symbolicate.Event returns them.
func Compute(e *event.Event, frames [][]event.Frame) Result {
	var r Result
	r.describe(e, frames)
	if g := e.Grouping; g != nil && len(g.Replace) > 0 {
		for _, v := range g.Replace {
			r.add("application", fill(v, e), "the application's own key stands instead of the computed one")
		}
	} else {
		r.compute(e, frames)
		if g != nil && len(g.Extend) > 0 {
			r.Base = r.hash("")
			for _, v := range g.Extend {
				r.add("application", fill(v, e), "the application's own key is added")
			}
		}
	}
	r.Key = r.hash("")
	if r.Base == (Key{}) {
		r.Base = r.Key
	}
	r.Variant = r.hash(r.pendingRaw(e, frames))
	return r
}

func (r *Result) add(what, value, why string) { r.Parts = append(r.Parts, Part{what, value, why}) }

func (r *Result) compute(e *event.Event, frames [][]event.Frame) {
	i, j, ok := symbolicate.Origin(frames)
	if len(e.Exceptions) > 0 && !generic[e.Exceptions[i].Type] {
		r.add("type", e.Exceptions[i].Type, "the type of the exception that is blamed")
	}
	if ok {
		r.addOrigin(e, frames[i][j])
		return
	}
	if f, ok := firstFrame(frames, event.Vendor); ok {
		r.addFrame(f, "no own frame is in the trace; the innermost frame of a dependency stands for it")
		r.add("message", Shape(lastMessage(e)), "without own frames the message counts, its variable parts taken out")
		return
	}
	r.add("message", Shape(lastMessage(e)), "there are no frames; the message counts, its variable parts taken out")
}

func (r *Result) addOrigin(e *event.Event, f event.Frame) {
	if f.Pending {
		// Minified names change with each build: the file and the message hold longer.
		r.add("module", stacktrace.Path(f.File), "the origin's file; its function is not known while symbols are missing")
		r.add("message", Shape(lastMessage(e)), "stands in for the function while symbols are missing")
		return
	}
	r.addFrame(f, "the origin: the innermost own frame")
}

func (r *Result) addFrame(f event.Frame, why string) {
	r.add("module", stacktrace.Path(f.File), why)
	r.add("function", f.Called(), why)
}

// describe fills headline, place, message and origin.
func (r *Result) describe(e *event.Event, frames [][]event.Frame) {
	x, i, j := event.Exception{}, 0, 0
	i, j, r.HasOrigin = symbolicate.Origin(frames)
	if len(e.Exceptions) > 0 {
		x = e.Exceptions[i] // the one the event is blamed on; the reported one where none is
	}
	r.Message = x.Message
	if r.Message == "" {
		r.Message = e.Message
	}
	name := x.Type
	if name == "" && x.Thrown != "" {
		name = "thrown " + x.Thrown
	}
	if len(e.Exceptions) == 0 || x.Type == "" && !r.HasOrigin {
		name = oneLine(Shape(r.Message))
	}
	r.Headline = name
	if r.HasOrigin {
		f := frames[i][j]
		r.Origin = event.Position{Function: f.Called(), File: f.File, Line: f.Line, Column: f.Column}
		path := stacktrace.Path(f.File)
		r.Place = fmt.Sprintf("%s:%d", f.File, f.Line)
		switch {
		case f.Line == 0:
			r.Place = f.File
		case f.Pending:
			r.Place = fmt.Sprintf("%s:%d:%d", path, f.Line, f.Column)
		}
		switch {
		case f.Called() != "" && name != "" && !f.Pending: // a minified name says nothing
			r.Headline = name + " in " + f.Called()
		case name != "" && path != "":
			r.Headline = name + " in " + path[strings.LastIndexByte(path, '/')+1:]
		}
	}
	if r.Headline == "" {
		r.Headline = oneLine(r.Message)
	}
	r.Headline = event.TrimText(r.Headline, 250)
}

// pendingRaw lists what a provisional variant is bound to: release, debug id
// and the raw frames with their positions. "" when nothing is pending.
func (r *Result) pendingRaw(e *event.Event, frames [][]event.Frame) string {
	var b strings.Builder
	for _, list := range frames {
		for _, f := range list {
			if f.Pending && f.Kind == event.Own {
				r.Provisional = true
			}
		}
	}
	if !r.Provisional {
		return ""
	}
	fmt.Fprintf(&b, "%q", e.Release())
	for _, list := range frames {
		for _, f := range list {
			fmt.Fprintf(&b, "|%q %q %q %d:%d", f.Raw.Function, f.Raw.File, e.DebugID(f.Raw.File), f.Raw.Line, f.Raw.Column)
		}
	}
	return b.String()
}

// hash is the first half of the SHA-256 over the parts, each with its length.
func (r *Result) hash(extra string) Key {
	h := sha256.New()
	put := func(s string) {
		var n [4]byte
		binary.BigEndian.PutUint32(n[:], uint32(len(s)))
		h.Write(n[:])
		h.Write([]byte(s))
	}
	for _, p := range r.Parts {
		put(p.What)
		put(p.Value)
	}
	if extra != "" {
		put("pending")
		put(extra)
	}
	return Key(h.Sum(nil)[:16])
}

func firstFrame(frames [][]event.Frame, kind event.Kind) (event.Frame, bool) {
	for i := len(frames) - 1; i >= 0; i-- {
		for _, f := range frames[i] {
			if f.Kind == kind {
				return f, true
			}
		}
	}
	return event.Frame{}, false
}

func lastMessage(e *event.Event) string {
	for i := len(e.Exceptions) - 1; i >= 0; i-- {
		if e.Exceptions[i].Message != "" {
			return e.Exceptions[i].Message
		}
	}
	return e.Message
}

var placeholder = regexp.MustCompile(`\$\{([^}]*)\}`)

// fill puts attribute values in for ${NAME}; an absent one is empty.
func fill(v string, e *event.Event) string {
	return placeholder.ReplaceAllStringFunc(v, func(m string) string {
		name := m[2 : len(m)-1]
		if s := e.Attributes.Text(name); s != "" {
			return s
		}
		return e.Resource.Text(name)
	})
}
