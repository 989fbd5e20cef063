package occurrence

import (
	"testing"
	"time"

	"firethorn/internal/core/event"
)

const stack = "Error: no tide\n    at tideAt (tides.ts:4:2)"

// report makes a report of "no tide" in one trace.
func report(t *testing.T, signal, span, parent, stack string, after time.Duration) Report {
	t.Helper()
	e := &event.Event{TraceID: "t1", SpanID: span, Exceptions: []event.Exception{{Type: "Error", Message: "no tide", Stack: stack}}}
	if signal == "log" {
		e.Log = &event.Log{}
	} else {
		e.Span = &event.Span{ParentID: parent}
	}
	r, ok := Of(e, time.Unix(1000, 0).Add(after))
	if !ok {
		t.Fatal("it tells no occurrence")
	}
	return r
}

func TestSame(t *testing.T) {
	span := report(t, "span", "a", "p", stack, 0)
	bare := report(t, "span", "a", "p", "", 0)
	for _, c := range []struct {
		name  string
		first Report
		other Report
		same  bool
	}{
		{"its log record", span, report(t, "log", "a", "", stack, 2*time.Millisecond), true},
		{"its log record without a stack", span, report(t, "log", "a", "", "", 2*time.Millisecond), true},
		{"a log record two seconds later", span, report(t, "log", "a", "", stack, 2*time.Second), false},
		{"another stack on the span", span, report(t, "log", "a", "", "Error: no tide\n    at elsewhere (x.ts:1:1)", 0), false},
		{"the span above, same stack", span, report(t, "span", "p", "q", stack, 30*time.Second), true},
		{"the span two above, same stack", span, report(t, "span", "q", "", stack, 2*time.Second), true},
		{"a sibling, same stack: the second try", span, report(t, "span", "b", "p", stack, time.Second), false},
		{"another span without a stack", bare, report(t, "span", "z", "y", "", 0), false},
		{"the span above, without a stack", bare, report(t, "span", "p", "q", "", 10*time.Millisecond), true},
		{"recorded twice", bare, report(t, "span", "a", "p", "", time.Millisecond), true},
		{"two log records without a stack", report(t, "log", "a", "", "", 0), report(t, "log", "a", "", "", time.Millisecond), false},
		{"two log records of one error", report(t, "log", "a", "", stack, 0), report(t, "log", "a", "", stack, time.Millisecond), true},
		{"goroutine stacks of one error at two places", report(t, "span", "a", "p", "goroutine 1 [running]:\nmain.f()", 0), report(t, "span", "p", "", "goroutine 1 [running]:\nmain.g()", time.Millisecond), true},
	} {
		if c.first.Same(c.other) != c.same || c.other.Same(c.first) != c.same {
			t.Errorf("%s: %v and %v, want %v", c.name, c.first.Same(c.other), c.other.Same(c.first), c.same)
		}
		if c.same && c.first.Apart(c.other) {
			t.Errorf("%s: same and apart", c.name)
		}
	}
}

func TestOf_NeedsATraceAndASignal(t *testing.T) {
	for name, e := range map[string]*event.Event{
		"no trace":     {Log: &event.Log{}, Exceptions: []event.Exception{{Message: "m"}}},
		"a native one": {TraceID: "t", SpanID: "s", Exceptions: []event.Exception{{Message: "m"}}},
		"a message":    {TraceID: "t", Log: &event.Log{}, Message: "m"},
	} {
		if _, ok := Of(e, time.Time{}); ok {
			t.Errorf("%s tells an occurrence", name)
		}
	}
	of := func(trace, typ, message string) [16]byte {
		r, _ := Of(&event.Event{TraceID: trace, Span: &event.Span{}, Exceptions: []event.Exception{{Type: typ, Message: message}}}, time.Time{})
		return r.Key
	}
	if of("t", "*fmt.wrapError", "m") != of("t", "*crew.full", "m") {
		t.Error("the type tells reports apart, which span and log name differently")
	}
	if of("t", "A", "m") == of("t", "A", "n") || of("t", "A", "m") == of("u", "A", "m") || of("t", "A", "") == of("t", "B", "") {
		t.Error("trace and message do not tell reports apart")
	}
}
