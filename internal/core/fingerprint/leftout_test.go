package fingerprint

import (
	"slices"
	"testing"

	"firethorn/internal/core/event"
)

func trace(typ, message string, frames ...event.Frame) (*event.Event, [][]event.Frame) {
	for i := range frames {
		if frames[i].File == "" {
			frames[i].File, frames[i].Kind = "src/a.ts", event.Own
		}
		frames[i].Raw.File = "https://q.example/a.js"
		frames[i].Line = i + 1
	}
	for i, f := range frames {
		if f.Kind == event.Own && !f.OnBehalf {
			frames[i].Origin = true
			break
		}
	}
	if !slices.ContainsFunc(frames, func(f event.Frame) bool { return f.Origin }) {
		frames[0].Origin = true
	}
	return &event.Event{Exceptions: []event.Exception{{Type: typ, Message: message}}}, [][]event.Frame{frames}
}

func native1(name, file string) event.Frame {
	return event.Frame{Function: name, File: file, Kind: event.Runtime}
}

// A trace in which an engine left frames out has the fingerprint that a whole
// trace of the bug says it would have.
func TestCompute_ExplainsLeftOutFrames(t *testing.T) {
	of := func(e *event.Event, frames [][]event.Frame) Result { return Compute(Version, e, frames) }
	whole := of(trace("RangeError", "Invalid time value", native1("Date.toISOString", "<anonymous>"), event.Frame{Function: "departure"}, event.Frame{Function: "draw"}, event.Frame{Function: "run"}))
	for _, caller := range []string{"draw", "run"} {
		left := of(trace("RangeError", "Invalid Date", native1("toISOString", "[native code]"), event.Frame{Function: caller, Vanished: true}))
		if !slices.Contains(whole.As, left.Key) {
			t.Errorf("called by %s: %+v is none of what the whole trace would be", caller, left.Parts)
		}
	}
	if other := of(trace("RangeError", "Invalid Date", native1("toFixed", "[native code]"), event.Frame{Function: "draw", Vanished: true})); slices.Contains(whole.As, other.Key) {
		t.Error("another function of the runtime failed")
	}
	awaited := of(trace("RangeError", "Invalid time value", native1("Date.toISOString", "<anonymous>"), event.Frame{Function: "departure"}, event.Frame{Function: "run", Async: true}))
	if len(awaited.As) > 0 {
		t.Error("what was awaited is nobody's last act")
	}
	asked := of(trace("AnswerError", "/v2/berths/17/lock answered 409", event.Frame{Function: "ask", OnBehalf: true}, event.Frame{Function: "lockBerth"}))
	alone := of(trace("AnswerError", "/v2/berths/0b6f1f0a-9e01-4b3a-9d55-2f6f0193a1f2/lock answered 409", event.Frame{Function: "ask", OnBehalf: true}))
	if !slices.Contains(asked.As, alone.Key) || asked.Key == alone.Key {
		t.Errorf("%+v\n%+v", asked.Parts, alone.Parts)
	}
	if old := Compute(5, &event.Event{Exceptions: []event.Exception{{Type: "A"}}}, asked.frames); len(old.As) > 0 {
		t.Error("older versions know of none")
	}
}

func TestWhole_LeavesAloneWhatCouldBeEither(t *testing.T) {
	as, bs, moved, both := Key{1}, Key{2}, Key{3}, Key{9}
	a, b := &Result{Key: as, As: []Key{both, {8}}}, &Result{Key: bs, As: []Key{both}}
	same := func(k Key) Key {
		if k == moved {
			return as
		}
		return k
	}
	if got := Whole([]*Result{a, b}, same); len(got) != 1 || got[Key{8}] != as {
		t.Errorf("%v", got)
	}
	if got := Whole([]*Result{a, {Key: moved, As: []Key{both}}}, same); got[both] != as {
		t.Errorf("one bug that moved: %v", got)
	}
}

// Closures of one function are called alike; where the type says nothing, the
// message tells them apart.
func TestCompute_TellsClosuresApart(t *testing.T) {
	of := func(version int, function, typ, message string) Key {
		e, frames := trace(typ, message, event.Frame{Function: function, File: "bosun/main.go", Kind: event.Own})
		frames[0][0].Raw.File = "bosun/main.go"
		return Compute(version, e, frames).Key
	}
	const routes = "main.routes.func"
	if of(Version, routes+"1", "*fmt.wrapError", "assigning: no crew 7") == of(Version, routes+"3", "*fmt.wrapError", "handing over: stale") {
		t.Error("two handlers are one")
	}
	if of(Version, routes+"1", "*fmt.wrapError", "assigning: no crew 7") != of(Version, routes+"2", "*fmt.wrapError", "assigning: no crew 12") {
		t.Error("one handler that another came before is two")
	}
	if of(Version, routes+"1", "*crew.StaleError", "a") != of(Version, routes+"1", "*crew.StaleError", "b") {
		t.Error("the type tells enough")
	}
	if of(5, routes+"1", "*fmt.wrapError", "a") != of(5, routes+"3", "*fmt.wrapError", "b") {
		t.Error("older versions stay as they are")
	}
}
