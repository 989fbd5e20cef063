package stacktrace

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"firethorn/internal/core/event"
)

// inShort writes an event's exceptions and threads shortly.
func inShort(e *event.Event) string {
	var out []string
	for _, x := range e.Exceptions {
		s := fmt.Sprintf("%s/%d", x.Type, len(x.Frames))
		if x.Parent != nil {
			s += fmt.Sprintf(" %s of %d", x.Relation, *x.Parent)
		}
		out = append(out, s)
	}
	for _, th := range e.Threads {
		out = append(out, fmt.Sprintf("thread %s/%d", th.Name, len(th.Frames)))
	}
	return strings.Join(out, ", ")
}

func TestExpand(t *testing.T) {
	for file, want := range map[string]string{
		"Crew.java":        "Crew$CrewException/4, java.lang.ArrayIndexOutOfBoundsException/3 cause of 0, java.lang.IllegalStateException/2 suppressed of 1",
		"crew.py.cause":    "CrewError/3, KeyError/2 cause of 0",
		"crew.py.group":    "ExceptionGroup/2, ValueError/0 member of 0, TypeError/0 member of 0",
		"crew.go.deadlock": "fatal error/1, thread goroutine 19 [chan receive]/2",
		"crew.js.cause":    "Error/7, TypeError/7 cause of 0",
		"crew.php":         "RuntimeException/3, OutOfBoundsException/4 cause of 0",
		"crew.go.panic":    "panic/2",
		"crew.pl":          "/3",
		"crew.rb":          "CrewError/5, KeyError/6 cause of 0",
		"crew.cs":          "System.AggregateException/4, CrewException/2 cause of 0, System.Collections.Generic.KeyNotFoundException/3 cause of 1",
	} {
		raw, err := os.ReadFile("testdata/printed/" + file + ".txt")
		if err != nil {
			t.Fatal(err)
		}
		e := &event.Event{Exceptions: []event.Exception{{Stack: string(raw)}}}
		Expand(e, event.DefaultLimits)
		if got := inShort(e); got != want {
			t.Errorf("%s: %s, want %s", file, got, want)
		}
	}
}

func TestExpand_KeepsExplicitAttributes(t *testing.T) {
	java := "a.E: x\n\tat a.B.c(B.java:7)\nCaused by: a.F: y\n\tat a.B.d(B.java:8)"
	for name, e := range map[string]*event.Event{
		"two exceptions": {Exceptions: []event.Exception{{Type: "A", Stack: java}, {Type: "B"}}},
		"frames":         {Exceptions: []event.Exception{{Type: "A", Stack: java, Frames: []event.RawFrame{{File: "x"}}}}},
		"one alone":      {Exceptions: []event.Exception{{Type: "A", Stack: "a.E: x\n\tat a.B.c(B.java:7)"}}},
		"JavaScript":     {Exceptions: []event.Exception{{Type: "A", Stack: "Error: Caused by: me\n    at f (a.js:1:2)\nError: no\n    at g (a.js:1:2)"}}},
		"none":           {Message: "m"},
	} {
		before := inShort(e)
		if Expand(e, event.DefaultLimits); inShort(e) != before {
			t.Errorf("%s: %s became %s", name, before, inShort(e))
		}
	}
	named := &event.Event{Exceptions: []event.Exception{{Type: "Named", Message: "by the client", Stack: java}}}
	if Expand(named, event.DefaultLimits); named.Exceptions[0].Type != "Named" || named.Exceptions[0].Message != "by the client" || len(named.Exceptions) != 2 {
		t.Errorf("what the client says does not win: %+v", named.Exceptions[0])
	}
}

func TestExpand_IsBounded(t *testing.T) {
	text := "a.E: x\n\tat a.B.c(B.java:7)\n" + strings.Repeat("Caused by: a.F: y\n\tat a.B.d(B.java:8)\n", 500)
	e := &event.Event{Exceptions: []event.Exception{{Stack: text}}}
	if Expand(e, event.DefaultLimits); len(e.Exceptions) != event.DefaultLimits.Exceptions {
		t.Errorf("%d exceptions", len(e.Exceptions))
	}
}
