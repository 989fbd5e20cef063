package blame

import (
	"regexp"
	"strings"

	"firethorn/internal/core/event"
)

// chain follows the causes from the reported exception down: what it was
// caused by, what it only wraps, and the member that made an aggregate fail.
func (m marker) chain(exceptions []event.Exception, frames [][]event.Frame) []int {
	if len(exceptions) == 0 {
		return nil
	}
	chain := []int{0}
	for {
		next := m.below(exceptions, frames, chain[len(chain)-1])
		if next < 0 {
			return chain
		}
		chain = append(chain, next)
	}
}

// below is the exception that x came from, -1: none is known. It stands behind x.
func (m marker) below(exceptions []event.Exception, frames [][]event.Frame, x int) int {
	var members []int
	for i := x + 1; i < len(exceptions); i++ {
		if p := exceptions[i].Parent; p == nil || *p != x {
			continue
		}
		switch exceptions[i].Relation {
		case "cause":
			return i
		case "context":
			if m.plain || m.wraps(exceptions, frames, x, i) {
				return i
			}
		case "member":
			members = append(members, i)
		}
	}
	if m.plain {
		return -1
	}
	return m.failedMember(exceptions, frames, x, members)
}

// wraps says whether an exception that was raised while another was being
// handled only wraps that one: the function that tried raises it on purpose. A
// mistake made while handling, or in what was called to clean up, is another.
func (m marker) wraps(exceptions []event.Exception, frames [][]event.Frame, later, earlier int) bool {
	if Itself(exceptions[later]) {
		return false
	}
	j, _ := m.originOf(exceptions[later], frames[later], false)
	tried := lastOwn(frames[earlier])
	return j >= 0 && tried >= 0 && sameFunction(frames[later][j], frames[earlier][tried])
}

// lastOwn is the outermost own frame, -1 without one.
func lastOwn(frames []event.Frame) int {
	for j := len(frames) - 1; j >= 0; j-- {
		if frames[j].Kind == event.Own {
			return j
		}
	}
	return -1
}

// failedMember is the member that made an aggregate fail, -1 if it is unknown:
// the only one that was not called off, the first of those that are alike, and
// of tasks that run together the first, for it called the others off.
func (m marker) failedMember(exceptions []event.Exception, frames [][]event.Frame, aggregate int, members []int) int {
	var failed []int
	for _, i := range members {
		if !calledOff(exceptions[i]) {
			failed = append(failed, i)
		}
	}
	switch {
	case len(failed) == 0:
		return -1
	case len(failed) == 1, strings.HasPrefix(exceptions[aggregate].Message, "unhandled errors in a TaskGroup"):
		return failed[0]
	}
	first, _ := m.originOf(exceptions[failed[0]], frames[failed[0]], true)
	for _, i := range failed[1:] {
		j, _ := m.originOf(exceptions[i], frames[i], true)
		alike := first >= 0 && j >= 0 && exceptions[i].Type == exceptions[failed[0]].Type
		if !alike || !sameFunction(frames[i][j], frames[failed[0]][first]) {
			return -1
		}
	}
	return failed[0]
}

// calledOff says whether an exception reports work that was called off because
// something else failed.
func calledOff(x event.Exception) bool {
	switch x.Type[strings.LastIndexByte(x.Type, '.')+1:] {
	case "AbortError", "CancelledError", "CanceledError", "CancellationException", "OperationCanceledException",
		"TaskCanceledException":
		return true
	}
	return x.Message == "context canceled"
}

// taking are the functions of Go's runtime that take a stack.
var taking = map[string]bool{
	"debug.Stack": true, "debug.PrintStack": true, "runtime.Stack": true, "runtime.Callers": true,
	"runtime.Caller": true,
}

var (
	// logging names packages of loggers, among frames that are not own.
	logging = regexp.MustCompile(`(?i)^(?:\w*log(?:r|rus|ger|ging)?|zap\w*)\.`)
	// reporting names functions that log or report what their caller met.
	reporting = regexp.MustCompile(`^(?i:log|report|capture|record|notify|track|emit|print|dump|warn|error|fatal|debug|info|trace)(?:[A-Z_]\w*|f|w)?$`)
)

// behindCapture is the first frame that was running when Go's runtime took the
// stack. The frames before it only take or log the stack: functions that call
// debug.Stack or its kin, and functions that are named like a logger's.
func behindCapture(frames []event.Frame) int {
	if len(frames) == 0 || !strings.HasSuffix(frames[0].File, ".go") {
		return 0
	}
	for j, f := range frames {
		switch {
		case f.Kind == event.Own && !strings.HasSuffix(f.File, ".go"):
			return j
		case f.Kind == event.Own && j > 0 && taking[frames[j-1].Function]:
		case f.Kind == event.Own && !named(f, reporting) && !logging.MatchString(f.Function):
			return j
		case f.Kind != event.Own && !taking[f.Function] && !logging.MatchString(f.Function):
			return j
		}
	}
	return 0 // nothing else is there
}
