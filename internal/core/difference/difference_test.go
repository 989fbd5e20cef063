package difference

import (
	"fmt"
	"strings"
	"testing"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
)

func happened(message string, attributes event.Attributes, functions ...string) (*event.Event, [][]event.Frame, fingerprint.Result) {
	e := &event.Event{Exceptions: []event.Exception{{Type: "GateError", Message: message}}, Attributes: attributes, Resource: event.Attributes{"service.version": "4.2.0"}}
	var list []event.Frame
	for i, f := range functions {
		list = append(list, event.Frame{Function: f, File: "src/gates.ts", Line: i + 1, Kind: event.Own})
	}
	frames := [][]event.Frame{list}
	blame.Mark(e.Exceptions, frames, nil)
	return e, frames, fingerprint.Compute(fingerprint.Version, e, frames)
}

func TestHolds(t *testing.T) {
	e, frames, print := happened("no seat 14 for Ines", event.Attributes{"gate.lane": "car", "seats": 3}, "barrier", "openGate")
	for _, c := range []struct {
		kind           Kind
		name, value    string
		holds, settled bool
	}{
		{Frame, "", "openGate", true, true}, // the caller is part of the variant
		{Frame, "", "src/gates.ts openGate", true, true},
		{Frame, "", "barrier", true, true},
		{Frame, "", "src/other.ts openGate", false, false},
		{Frame, "", "Gate", false, false},
		{Message, "", "no seat 7 for Ines", true, false},
		{Message, "", "no seat 7 for Maren", false, false},
		{Attribute, "gate.lane", "car", true, false},
		{Attribute, "gate.lane", "foot", false, false},
		{Attribute, "seats", "3", true, false},
		{Attribute, "gate.side", "", true, false}, // absent
		{Attribute, "service.version", "4.2.0", true, false},
	} {
		d, err := New(c.kind, c.name, c.value)
		if err != nil {
			t.Fatal(err)
		}
		if holds, settled := d.Holds(e, frames), d.Settled(print); holds != c.holds || settled != c.settled {
			t.Errorf("%s: holds %v, settled %v; want %v and %v", d.Text(), holds, settled, c.holds, c.settled)
		}
	}
}

func TestNew_Refuses(t *testing.T) {
	for _, c := range []struct {
		kind              Kind
		name, value, want string
	}{
		{Frame, "", " ", "the frame to split by is empty"}, {Message, "", "", "the message to split by is empty"}, {Attribute, " ", "car", "has no name"},
		{"colour", "", "red", `"colour" cannot be split by`}, {Attribute, "a", strings.Repeat("x", 1001), "too long"},
	} {
		if _, err := New(c.kind, c.name, c.value); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s %q %q: %v, want %q", c.kind, c.name, c.value, err, c.want)
		}
	}
}

// A long message is told from others by its beginning, however long both are.
func TestNew_CutsAMessageAsItsEventsAre(t *testing.T) {
	long := strings.Repeat("the tide came in ", 500)
	d, err := New(Message, "", long)
	if err != nil {
		t.Fatal(err)
	}
	e, frames, _ := happened(long, nil, "barrier")
	if !d.Holds(e, frames) {
		t.Error("an event does not have its own message")
	}
}

func TestDifferences_ListsWhatAPartHas(t *testing.T) {
	s := NewSample()
	for i := range 12 {
		caller, lane := "openGate", "car"
		if i%3 == 0 {
			caller = "closeGate"
		}
		if i%2 == 0 {
			lane = "foot"
		}
		e, frames, print := happened(fmt.Sprintf("shut by %s", []string{"tide", "wind"}[i%2]), event.Attributes{"gate.lane": lane, "ticket": fmt.Sprint("t-", i), "user.id": fmt.Sprint("p-", i%3), "pier": "north"}, "barrier", caller)
		s.Add(e, frames, print)
	}
	var got []string
	for _, f := range s.Differences() {
		got = append(got, fmt.Sprintf("%s %s %s: %d %v", f.Kind, f.Name, f.Value, f.Events, f.Settled))
	}
	want := "frame  src/gates.ts openGate: 8 true\nframe  src/gates.ts closeGate: 4 true\nmessage  shut by tide: 6 false\nmessage  shut by wind: 6 false\nattribute gate.lane car: 6 false\nattribute gate.lane foot: 6 false"
	if all := strings.Join(got, "\n"); all != want {
		t.Errorf("got\n%s\nwant\n%s", all, want)
	}
}

func TestDifferences_OfNothing(t *testing.T) {
	if list := NewSample().Differences(); len(list) != 0 {
		t.Errorf("no events differ in %v", list)
	}
}
