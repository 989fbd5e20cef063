// Package blame finds the origin of an event: the frame that is at fault. It knows functions that fail
// only on behalf of their callers, the messages of each engine for the same mistake, and the part of a
// name that is stable across browsers and builds.
//
// Input are exceptions with readable frames, innermost first. Pure.
package blame

import (
	"slices"
	"strings"

	"firethorn/internal/core/event"
)

// Mark marks the frame an event is blamed on: the innermost own frame of
// the deepest cause that has one, for there it began. Functions that only fail
// on behalf of their caller are looked through. Where the same function wraps
// the cause in an error of its own, that error is blamed: it says more.
func Mark(exceptions []event.Exception, frames [][]event.Frame, learned *Helpers) {
	marker{learned: learned}.mark(exceptions, frames)
}

// Again marks frames again that were marked before.
func Again(exceptions []event.Exception, frames [][]event.Frame, learned *Helpers) {
	unmark(frames)
	Mark(exceptions, frames, learned)
}

// AgainPlainly is Again as grouping versions before 6 have it: whatever was
// being handled is a cause, members and callers of an outer exception are not
// looked at, and functions that log a stack are blamed.
func AgainPlainly(exceptions []event.Exception, frames [][]event.Frame, learned *Helpers) {
	unmark(frames)
	marker{learned: learned, plain: true}.mark(exceptions, frames)
}

func unmark(frames [][]event.Frame) {
	for i := range frames {
		for j := range frames[i] {
			frames[i][j].Origin = false
		}
	}
}

// marker is a way of telling who is to blame.
type marker struct {
	learned *Helpers
	plain   bool // as versions before 6
}

func (m marker) mark(exceptions []event.Exception, frames [][]event.Frame) {
	order := m.chain(exceptions, frames)
	slices.Reverse(order)
	for i := range exceptions {
		if !slices.Contains(order, i) {
			order = append(order, i)
		}
	}
	best, at := -1, -1
	onBehalf := false // best is so only because nothing else is there
	for _, i := range order {
		j, behalf := m.originOf(exceptions[i], frames[i], i > 0)
		if j >= 0 && full(exceptions[i]) {
			j = circleOrigin(frames[i], j)
		}
		switch {
		case j < 0:
		case best < 0:
			best, at, onBehalf = i, j, behalf
		case onBehalf && !behalf && !m.plain && i < best:
			// The cause's trace ends before its caller, which the outer one names.
			best, at, onBehalf = i, j, false
		case i < best && sameFunction(frames[i][j], frames[best][at]) && (m.plain || !frames[best][at].Vanished):
			best, at = i, j
		}
	}
	if best >= 0 {
		frames[best][at].Origin = true
	}
}

// originOf is the innermost own frame that is to blame, -1 without one. A
// mistake in the function itself is nobody else's: then no helper is looked
// through. behalf says that all own frames fail on behalf of a caller that the
// trace does not name; outer that another exception may name it.
func (m marker) originOf(x event.Exception, frames []event.Frame, outer bool) (origin int, behalf bool) {
	first := -1
	itself := m.itself(x)
	from := behindPanic(frames)
	if !m.plain {
		from = max(from, behindCapture(frames))
	}
	for j, f := range frames {
		if j < from || f.Kind != event.Own || f.Called() == "" && f.Line == 0 { // a place that is none
			continue
		}
		if f.Builtin && !m.plain {
			continue
		}
		if first < 0 && (named(f, making) || f.MakesError && !itself) { // only some engines print it
			continue
		}
		if first < 0 {
			first = j
		}
		if f.LookThrough {
			continue
		}
		if itself {
			return j, false
		}
		if named(f, helper) || f.OnBehalf && !m.plain {
			continue
		}
		if !m.learned.isHelper(f) {
			return j, false
		}
		if !hasCaller(frames, j) {
			return j, outer && !m.plain
		}
	}
	if first < 0 {
		return slices.IndexFunc(frames, func(f event.Frame) bool { return f.Kind == event.Own }), true
	}
	return first, true
}

func (m marker) itself(x event.Exception) bool {
	if m.plain {
		return Local(x)
	}
	return Itself(x)
}

// makes says whether a function makes an error, by what its source says or by
// its name.
func makes(f event.Frame) bool { return f.MakesError || named(f, making) }

// behindPanic is where the frames begin that were running when Go panicked:
// those before were called to recover from it, and print the trace.
func behindPanic(frames []event.Frame) int {
	for j := len(frames) - 1; j >= 0; j-- {
		if f := frames[j]; f.Kind == event.Runtime &&
			(f.Function == "panic" || strings.HasSuffix(f.Function, "runtime.gopanic")) {
			return j + 1
		}
	}
	return 0
}

func hasCaller(frames []event.Frame, j int) bool {
	_, ok := CallerOf(frames, j)
	return ok
}

// circleOrigin picks one function of the circle that filled the stack: where
// in the circle it ran full is chance, so the first by name stands for all.
func circleOrigin(frames []event.Frame, origin int) int {
	best := origin
	for j := origin + 1; j < len(frames); j++ {
		f := frames[j]
		if f.Kind != event.Own {
			continue
		}
		if sameFunction(f, frames[origin]) {
			return best
		}
		if b := frames[best]; f.File < b.File || f.File == b.File && f.Called() < b.Called() {
			best = j
		}
	}
	return origin // the circle does not close within the trace
}

func sameFunction(a, b event.Frame) bool { return a.Called() == b.Called() && a.File == b.File }

// Origin finds the marked frame; ok is false when there is none.
func Origin(frames [][]event.Frame) (exception, frame int, ok bool) {
	for i := range frames {
		for j := range frames[i] {
			if frames[i][j].Origin {
				return i, j, true
			}
		}
	}
	return 0, 0, false
}

// Through is the function that failed on behalf of the origin at j: the
// innermost own frame within it that is another function and no exception's
// constructor.
func Through(frames []event.Frame, j int) (int, bool) {
	logged := behindCapture(frames)
	for k := behindPanic(frames); k < j; k++ {
		if f := frames[k]; f.Kind == event.Own && !f.Pending && !f.Builtin && !makes(f) &&
			(k >= logged || !named(f, reporting)) && placeOf(f) != placeOf(frames[j]) {
			return k, true
		}
	}
	return 0, false
}
