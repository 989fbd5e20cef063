package likeness

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/event"
)

var tides = Sketch{Type: "TypeError", Message: "no tide of nothing", Module: "src/tides.ts", Origin: "tideAt", Own: []string{"src/tides.ts tideAt", "src/draw.ts row", "src/draw.ts draw", "src/main.ts main"}}

func with(s Sketch, change func(*Sketch)) Sketch {
	s.Own = slices.Clone(s.Own)
	change(&s)
	return s
}

func TestCompare_OrdersAsPeopleWould(t *testing.T) {
	cases := []struct {
		name  string
		other Sketch
	}{
		{"the same", tides},
		{"another caller far out", with(tides, func(s *Sketch) { s.Own[3] = "src/print.ts main" })},
		{"the function moved to another file", with(tides, func(s *Sketch) { s.Module, s.Own[0] = "src/tide/at.ts", "src/tide/at.ts tideAt" })},
		{"the message alone", Sketch{Type: "TypeError", Message: "no tide of nothing", Module: "src/a.ts", Origin: "a", Own: []string{"src/a.ts a"}}},
		{"the type and main alone", Sketch{Type: "TypeError", Message: "no fare of nothing", Module: "src/fares.ts", Origin: "fare", Own: []string{"src/fares.ts fare", "src/main.ts main"}}},
		{"nothing", Sketch{Type: "GateError", Message: "gate <number> is shut", Own: []string{"src/gate.ts open"}}},
	}
	last := 1.1
	for _, c := range cases {
		l := Compare(tides, c.other)
		if l.Score >= last || l.Score < 0 || l.Score > 1 {
			t.Errorf("%s: %.2f, before it %.2f", c.name, l.Score, last)
		}
		if back := Compare(c.other, tides); back.Score != l.Score {
			t.Errorf("%s: %.3f one way, %.3f the other", c.name, l.Score, back.Score)
		}
		last = l.Score
	}
	if l := Compare(tides, tides); l.Score != 1 || !slices.Contains(l.Reasons, "the same origin: src/tides.ts tideAt") || !slices.Contains(l.Reasons, "4 of 4 functions on the stack") {
		t.Errorf("with itself: %+v", l)
	}
	if l := Compare(tides, cases[5].other); l.Score != 0 || len(l.Reasons) != 0 {
		t.Errorf("nothing alike: %+v", l)
	}
	if l := Compare(Sketch{Message: "no table"}, Sketch{Message: "no table"}); l.Score != 1 {
		t.Errorf("messages alone: %+v", l)
	}
}

func TestFeatures_FindWhatSharesAnything(t *testing.T) {
	moved := with(tides, func(s *Sketch) { s.Module, s.Own[0] = "src/at.ts", "src/at.ts tideAt" })
	n := 0
	for _, f := range tides.Features() {
		if slices.Contains(moved.Features(), f) {
			n++
		}
	}
	if n < 4 {
		t.Errorf("%d features in common", n)
	}
	if len(Sketch{Type: "Error"}.Features()) != 1 {
		t.Error("a bare type has no feature")
	}
}

func TestOf_TakesOwnFramesOnceAndBoundsThem(t *testing.T) {
	e := &event.Event{Exceptions: []event.Exception{{Type: "RangeError", Message: "no day 366 of booking 7fKq2xPd"}}}
	var frames []event.Frame
	for i := range 100 {
		name := fmt.Sprintf("step%c%c", 'a'+i%26, 'a'+i/26%26)
		frames = append(frames, event.Frame{Function: name, File: "src/walk.ts", Line: i + 1, Kind: event.Own, Origin: i == 1}, event.Frame{Function: "again", File: "src/walk.ts", Line: 7, Kind: event.Own}, event.Frame{Function: "run", File: "node_modules/x/i.js", Kind: event.Vendor})
	}
	s := Of(e, [][]event.Frame{frames}, nil)
	if s.Message != "no day <number> of booking <code>" || s.Type != "RangeError" || len(s.Own) != maxFrames || s.Vendor != nil || strings.Count(strings.Join(s.Own, "|"), "again") != 1 {
		t.Errorf("%+v", s)
	}
}
