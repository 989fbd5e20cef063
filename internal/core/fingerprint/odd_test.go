package fingerprint

import (
	"fmt"
	"runtime"
	"strings"
	"testing"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
)

func of(e *event.Event, frames ...[]event.Frame) Result {
	blame.Mark(e.Exceptions, frames, nil)
	return Compute(Version, e, frames)
}

// Events that have little to go by, or too much, have a fingerprint all the same.
func TestCompute_OfOddEvents(t *testing.T) {
	deep := func(depth int) Result {
		frames := make([]event.Frame, depth)
		for i := range frames {
			frames[i] = own("deepen", "src/depth.ts", 3)
		}
		return of(&event.Event{Exceptions: []event.Exception{{Type: "RangeError", Message: "Maximum call stack size exceeded"}}}, append(frames, own("main", "src/main.ts", 1)))
	}
	if deep(500).Key != deep(80).Key {
		t.Error("recursion of 500 frames and of 80 are two issues")
	}
	if other := of(&event.Event{Exceptions: []event.Exception{{Type: "InternalError", Message: "too much recursion"}}}, []event.Frame{own("deepen", "src/depth.ts", 3), own("deepen", "src/depth.ts", 3)}); other.Key != deep(500).Key {
		t.Errorf("another engine's word for it: %v", other.Parts)
	}

	nested := func(n int) Result {
		e, frames := &event.Event{}, [][]event.Frame{}
		for i := range n {
			x := event.Exception{Type: fmt.Sprintf("Wrap%dError", i), Message: "wrapped"}
			if i > 0 {
				parent := i - 1
				x.Parent, x.Relation = &parent, "cause"
			}
			e.Exceptions = append(e.Exceptions, x)
			frames = append(frames, []event.Frame{own(fmt.Sprintf("layer%d", i), "src/layers.ts", i+1)})
		}
		e.Exceptions[n-1].Type, frames[n-1] = "TideError", []event.Frame{own("tideAt", "src/tides.ts", 17)}
		return of(e, frames...)
	}
	if nested(20).Key != nested(1).Key {
		t.Errorf("twenty wrappers make another issue of one cause: %v", nested(20).Parts)
	}

	message := func(m string) Result {
		return of(&event.Event{Exceptions: []event.Exception{{Type: "Error", Message: m}}}, nil)
	}
	for name, c := range map[string][2]string{
		"digits alone":   {"4711", "12"},
		"another script": {"нет таблицы на день 366", "нет таблицы на день 12"},
		"emoji":          {"⚓ 7 вышел", "⚓ 12 вышел"},
	} {
		if message(c[0]).Key != message(c[1]).Key {
			t.Errorf("%s: %q and %q are apart", name, c[0], c[1])
		}
	}
	if message("нет таблицы").Key == message("нет причала").Key {
		t.Error("words of another script do not count")
	}
	var before, after runtime.MemStats
	long := strings.Repeat("no tide 12 for day 366 ", 1<<20/23)
	runtime.ReadMemStats(&before)
	r := message(long)
	runtime.ReadMemStats(&after)
	if took := after.TotalAlloc - before.TotalAlloc; took > 1<<20 || len(r.Headline) > 250 {
		t.Errorf("a message of a megabyte takes %d bytes, its headline %d", took, len(r.Headline))
	}

	nameless := func(message string) Result {
		return of(&event.Event{Exceptions: []event.Exception{{Type: "TypeError", Message: message}}}, []event.Frame{own("", "src/main.ts", 3), own("", "src/main.ts", 9)})
	}
	if nameless("Cannot read properties of undefined (reading 'a')").Key != nameless(`can't access property "a", x is undefined`).Key {
		t.Error("two engines' words for one mistake in a function without a name are apart")
	}
	if nameless("Cannot read properties of undefined (reading 'a')").Key == nameless("x is not defined").Key {
		t.Error("two mistakes in functions without names are together")
	}

	typed := func(typ string) Result {
		return of(&event.Event{Exceptions: []event.Exception{{Type: typ, Message: "m"}}}, []event.Frame{own("moor", "src/berths.ts", 3)})
	}
	if typed("Kt").Key != typed("e").Key || typed("Kt").Key != typed("Error").Key {
		t.Error("types that a build named make issues")
	}
	if typed("BerthError").Key == typed("TideError").Key {
		t.Error("types do not count")
	}
	empty := of(&event.Event{})
	if empty.Key == (Key{}) || empty.Variant != empty.Key {
		t.Errorf("an event of nothing: %+v", empty)
	}
	if of(&event.Event{Exceptions: []event.Exception{{Type: "A"}}}, nil).Key == of(&event.Event{Exceptions: []event.Exception{{Type: "B"}}}, nil).Key {
		t.Error("where there is nothing else a short type must do")
	}
	hidden := func(host string) Result {
		return of(&event.Event{Exceptions: []event.Exception{{Type: "Error", Message: "Script error."}}}, []event.Frame{{File: host, Kind: event.Own, Raw: event.Position{File: host}}})
	}
	if hidden("https://widgets.example/a.js").Key == hidden("https://adverts.example/b.js").Key {
		t.Error("what a browser hides of two hosts is together")
	}
}
