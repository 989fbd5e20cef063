// Package occurrence recognises two reports of the same exception: OpenTelemetry applications send one
// as a span event, as a log record, and on every span that it passes.
package occurrence

import (
	"crypto/sha256"
	"encoding/binary"
	"strings"
	"time"

	"firethorn/internal/core/event"
)

// Report is one report of an exception, as far as it shows whether another
// report is of the same occurrence.
type Report struct {
	Key          [16]byte // digest of trace and message
	Span, Parent uint64   // digests; 0: not known
	Stack        uint64   // digest of what tells stacks apart; 0: nothing does
	Log          bool     // it was a log record, else a span's
	At           time.Time
}

// How far apart reports of one occurrence may be.
const (
	withinSpan  = time.Second // on one span, or on it and the one above
	acrossSpans = time.Minute // with the same stack
)

// comparedStack is how much of a stack is compared: exporters cut stacks after that.
const comparedStack = 1000

// Of gives the identity of an event's occurrence; ok is false for an event
// that was not sent as a log record or on a span, or belongs to no trace.
func Of(e *event.Event, at time.Time) (r Report, ok bool) {
	if e.TraceID == "" || len(e.Exceptions) == 0 || e.Log == nil && e.Span == nil {
		return r, false
	}
	x := e.Exceptions[0]
	text := x.Message
	if text == "" {
		text = "\x00" + x.Type
	}
	sum := sha256.Sum256([]byte(e.TraceID + "\x00" + text))
	r = Report{Key: [16]byte(sum[:]), Span: digest(e.SpanID), Log: e.Log != nil, At: at}
	if e.Span != nil {
		r.Parent = digest(e.Span.ParentID)
	}
	// A goroutine's stack is taken where the error is recorded, not where it
	// came from: it says nothing of whether two are one.
	if stack := x.Stack[:min(len(x.Stack), comparedStack)]; !strings.HasPrefix(stack, "goroutine ") {
		r.Stack = digest(stack)
	}
	return r, true
}

func digest(s string) uint64 {
	if s == "" {
		return 0
	}
	sum := sha256.Sum256([]byte(s))
	return binary.BigEndian.Uint64(sum[:]) | 1
}

// Same says whether two reports with the same key are of one occurrence: on
// one span within a second, on a span and the one above it likewise, or
// anywhere in the trace within a minute with the same stack; unless Apart says
// that they are not.
func (r Report) Same(o Report) bool {
	if r.Apart(o) {
		return false
	}
	apart := r.At.Sub(o.At).Abs()
	if r.Span == o.Span || r.Parent != 0 && r.Parent == o.Span || o.Parent != 0 && o.Parent == r.Span {
		if apart <= withinSpan {
			return true
		}
	}
	return r.Span != o.Span && r.Stack != 0 && r.Stack == o.Stack && apart <= acrossSpans
}

// Apart says whether two reports with the same key cannot be of one
// occurrence: their stacks differ, or both are log records of one span and no
// stack ties them, or they were recorded on siblings, which two tries of one
// call are.
func (r Report) Apart(o Report) bool {
	if r.Stack != 0 && o.Stack != 0 && r.Stack != o.Stack {
		return true
	}
	if r.Span == o.Span {
		return r.Log && o.Log && r.Stack == 0 || r.Log && o.Log && o.Stack == 0
	}
	return r.Parent != 0 && r.Parent == o.Parent
}
