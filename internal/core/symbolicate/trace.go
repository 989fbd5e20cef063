package symbolicate

import (
	"regexp"
	"slices"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbols"
)

// Symbols finds the symbols of a generated file. It returns nil and the reason when there
// is none.
type Symbols interface {
	File(path, debugID string) (file *symbols.File, why string)
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
			frames[j] = Frame(raw, file, why, opt)
		}
		out[i] = frames
	}
	MarkOrigin(e.Exceptions, out)
	return out
}

// RawFrames are an exception's frames: those given, else those in its stack text.
func RawFrames(x event.Exception) []event.RawFrame {
	if len(x.Frames) > 0 || x.Stack == "" {
		return x.Frames
	}
	return stacktrace.Frames(x.Stack, x.Type, x.Message, maxFrames)
}

// helper names functions whose whole work is to fail on behalf of their
// caller: the caller decides what went wrong.
var helper = regexp.MustCompile(`^(?:.*\.)?(?i:assert|invariant|ensure|must|fail|raise|throw|panic|check|expect|require)(?:[A-Z_]\w*)?$`)

// MarkOrigin marks the frame an event is blamed on: the innermost own frame of
// the deepest cause that has one, for there it began. Functions that only fail
// on behalf of their caller are looked through. Where the same function wraps
// the cause in an error of its own, that error is blamed: it says more.
func MarkOrigin(exceptions []event.Exception, frames [][]event.Frame) {
	order := causes(exceptions)
	slices.Reverse(order)
	for i := range exceptions {
		if !slices.Contains(order, i) {
			order = append(order, i)
		}
	}
	best, at := -1, -1
	for _, i := range order {
		j := originOf(frames[i])
		if j >= 0 && overflow(exceptions[i]) {
			j = circleOrigin(frames[i], j)
		}
		switch {
		case j < 0:
		case best < 0:
			best, at = i, j
		case i < best && sameFunction(frames[i][j], frames[best][at]):
			best, at = i, j
		}
	}
	if best >= 0 {
		frames[best][at].Origin = true
	}
}

// originOf is the innermost own frame that is no helper, -1 without one.
func originOf(frames []event.Frame) int {
	first := -1
	for j, f := range frames {
		if f.Kind != event.Own {
			continue
		}
		if !helper.MatchString(orElse(f.Function, f.Within)) {
			return j
		}
		if first < 0 {
			first = j
		}
	}
	return first
}

// overflow says whether the stack ran full, in the words of the engines.
func overflow(x event.Exception) bool {
	return strings.HasPrefix(x.Message, "Maximum call stack size exceeded") || strings.HasPrefix(x.Message, "too much recursion")
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

// causes follows the chain of causes from the reported exception down.
func causes(exceptions []event.Exception) []int {
	if len(exceptions) == 0 {
		return nil
	}
	chain := []int{0}
	for j, x := range exceptions {
		if x.Parent != nil && *x.Parent == chain[len(chain)-1] && x.Relation == "cause" {
			chain = append(chain, j)
		}
	}
	return chain
}

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

func orElse(s, or string) string {
	if s == "" {
		return or
	}
	return s
}
