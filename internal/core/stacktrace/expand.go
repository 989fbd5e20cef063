package stacktrace

import (
	"strings"

	"firethorn/internal/core/event"
)

// Expand gives an event everything that its one stack text holds: the
// causes, suppressed exceptions and members that the runtime printed with it
// become exceptions of their own, other threads its threads; type and message
// come from the text where the event gives none. An event that lists several
// exceptions, or frames, said all of that itself.
func Expand(e *event.Event, lim event.Limits) {
	if len(e.Exceptions) != 1 || len(e.Exceptions[0].Frames) > 0 {
		return
	}
	first := &e.Exceptions[0]
	bare := first.Type == "" && first.Message == "" // the text is all there is
	if first.Stack == "" || !bare && !mayHoldSeveral(first.Stack) {
		return
	}
	t := Read(first.Stack, lim.Frames)
	if len(t.Exceptions) == 0 || !bare && len(t.Exceptions) < 2 || !bare && t.Language == JavaScript &&
		!strings.Contains(first.Stack, "[cause]: ") && !strings.Contains(first.Stack, "[errors]: [") {
		return
	}
	at := map[int]int{0: 0} // where the exceptions of the text stand in the event
	first.Frames = t.Exceptions[0].Frames
	if first.Type == "" {
		first.Type = t.Exceptions[0].Type
	}
	if first.Message == "" {
		first.Message = t.Exceptions[0].Message
	}
	threads := e.Threads == nil
	for i, x := range t.Exceptions[1:] {
		if x.Relation == "thread" {
			if threads && len(e.Threads) < lim.Threads {
				e.Threads = append(e.Threads, event.Thread{Name: x.Type, Frames: x.Frames})
			}
			continue
		}
		parent, known := at[x.Parent]
		if !known || len(e.Exceptions) >= lim.Exceptions {
			continue
		}
		at[i+1] = len(e.Exceptions)
		e.Exceptions = append(e.Exceptions,
			event.Exception{Type: x.Type, Message: x.Message, Frames: x.Frames, Parent: &parent, Relation: x.Relation})
	}
}

// several are words that stand in traces of more than one exception or thread.
var several = []string{"Caused by: ", "Suppressed: ", "direct cause of the following", "During handling of the above",
	"Exception Group Traceback", "goroutine ", "\nNext ", " ---> ", "[cause]: ", "[errors]: ["}

func mayHoldSeveral(text string) bool {
	for _, w := range several {
		if strings.Contains(text, w) {
			return true
		}
	}
	return false
}
