package blame

import (
	"slices"
	"testing"

	"firethorn/internal/core/event"
)

func at(function, file string, kind event.Kind) event.Frame {
	return event.Frame{Function: function, File: file, Kind: kind}
}

func TestMark(t *testing.T) {
	zero, one := 0, 1
	cause := func(parent *int) event.Exception { return event.Exception{Parent: parent, Relation: "cause"} }
	for name, c := range map[string]struct {
		exceptions []event.Exception
		frames     [][]event.Frame
		want       [2]int
	}{
		"innermost own frame":         {make([]event.Exception, 1), [][]event.Frame{{at("map", "<anonymous>", event.Runtime), at("a", "src/a.ts", event.Own), at("b", "src/a.ts", event.Own)}}, [2]int{0, 1}},
		"deepest cause":               {[]event.Exception{{}, cause(&zero), cause(&one)}, [][]event.Frame{{at("a", "a", event.Own)}, {at("b", "b", event.Own)}, {at("x", "node:x", event.Runtime)}}, [2]int{1, 0}},
		"wrapped in one function":     {[]event.Exception{{}, cause(&zero)}, [][]event.Frame{{at("read", "a", event.Own)}, {at("parse", "<anonymous>", event.Runtime), at("read", "a", event.Own)}}, [2]int{0, 0}},
		"a helper is looked through":  {make([]event.Exception, 1), [][]event.Frame{{at("assert", "u", event.Own), at("berthOf", "m", event.Own)}}, [2]int{0, 1}},
		"nothing but a helper":        {make([]event.Exception, 1), [][]event.Frame{{at("ensureOpen", "u", event.Own)}}, [2]int{0, 0}},
		"no helper by accident":       {make([]event.Exception, 1), [][]event.Frame{{at("failover", "u", event.Own), at("b", "m", event.Own)}}, [2]int{0, 0}},
		"a member, when nothing else": {[]event.Exception{{}, {Parent: &zero, Relation: "member"}}, [][]event.Frame{{}, {at("open", "g", event.Own)}}, [2]int{1, 0}},
	} {
		t.Run(name, func(t *testing.T) {
			Mark(c.exceptions, c.frames, nil)
			i, j, ok := Origin(c.frames)
			if got := [2]int{i, j}; !ok || got != c.want {
				t.Errorf("origin = %v, %v, want %v", got, ok, c.want)
			}
		})
	}
}

func TestMarkOrigin_PicksOneFunctionOfACircle(t *testing.T) {
	zoom, step, turn := at("zoomTo", "src/zoom.ts", event.Own), at("stepZoom", "src/zoom.ts", event.Own), at("turn", "src/zoom.ts", event.Own)
	overflow := []event.Exception{{Type: "RangeError", Message: "Maximum call stack size exceeded"}}
	for _, frames := range [][]event.Frame{{zoom, turn, step, zoom, turn}, {turn, step, zoom, turn}, {step, zoom, turn, step}} {
		list := [][]event.Frame{slices.Clone(frames)}
		Mark(overflow, list, nil)
		if _, j, _ := Origin(list); list[0][j].Function != "stepZoom" {
			t.Errorf("the stack full in %s blames %s", frames[0].Function, list[0][j].Function)
		}
	}
	list := [][]event.Frame{{zoom, turn, step, zoom, turn}}
	Mark([]event.Exception{{Type: "TypeError"}}, list, nil)
	if _, j, _ := Origin(list); list[0][j].Function != "zoomTo" {
		t.Errorf("another error within the circle blames %s", list[0][j].Function)
	}
}

func TestShape(t *testing.T) {
	for in, want := range map[string]string{
		"no tide table for day 366": "no tide table for day <number>",
		"user ila@tarn.example at 2026-11-23T04:39:02.123Z from 10.0.0.7:80": "user <email> at <date> from <address>",
		`cannot find "Eider" or 'Gull' in /srv/ships/list.json`:              "cannot find <text> or <text> in <path>",
		"GET https://a.example/x?y=1 failed with 0xdeadbeef":                 "GET <url> failed with <hex>",
		"id 0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01, commit 9f1c2ab77de":        "id <id>, commit <hex>",
		"nothing varies here": "nothing varies here",
	} {
		if got := Shape(in); got != want {
			t.Errorf("Shape(%q) = %q, want %q", in, got, want)
		}
	}
}
