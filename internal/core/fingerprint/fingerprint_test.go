package fingerprint

import (
	"strings"
	"testing"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
)

// report builds an event of one exception with its readable frames.
type report struct {
	typ, message string
	frames       []event.Frame
	release      string
	grouping     *event.Grouping
	attributes   event.Attributes
}

func own(function, file string, line int) event.Frame {
	return event.Frame{Function: function, File: file, Line: line, Kind: event.Own, Raw: event.Position{Function: function, File: file, Line: line}}
}

func pending(function, file string, line, column int) event.Frame {
	f := own(function, file, line)
	f.Raw.Column, f.Pending = column, true
	return f
}

func vendor(function, file string) event.Frame {
	return event.Frame{Function: function, File: file, Kind: event.Vendor}
}

func (r report) compute() Result {
	e := &event.Event{Exceptions: []event.Exception{{Type: r.typ, Message: r.message}}, Resource: event.Attributes{"service.version": r.release}, Grouping: r.grouping, Attributes: r.attributes}
	frames := [][]event.Frame{r.frames}
	blame.Mark(e.Exceptions, frames, nil)
	return Compute(Version, e, frames)
}

func TestCompute_PutsOneCauseTogether(t *testing.T) {
	tide := report{typ: "TypeError", message: "Cannot read properties of undefined (reading '7')", frames: []event.Frame{own("tideAt", "src/tides.ts", 17), own("draw", "src/draw.ts", 8)}}
	same := map[string]report{
		"another line and release": {typ: "TypeError", message: tide.message, release: "4.2.1", frames: []event.Frame{own("tideAt", "src/tides.ts", 48), own("draw", "src/draw.ts", 90)}},
		"another browser's words":  {typ: "TypeError", message: "table is undefined", frames: tide.frames},
		"another call depth":       {typ: "TypeError", message: tide.message, frames: []event.Frame{own("tideAt", "src/tides.ts", 17), own("nextStill", "src/tides.ts", 22), own("nextStill", "src/tides.ts", 23), own("week", "src/draw.ts", 3)}},
		"runtime frames inside":    {typ: "TypeError", message: tide.message, frames: []event.Frame{{Function: "Array.map", File: "<anonymous>", Kind: event.Runtime}, own("tideAt", "src/tides.ts", 17)}},
		"another place of build":   {typ: "TypeError", message: tide.message, frames: []event.Frame{own("tideAt", "../../src/tides.ts?v=2", 17)}},
	}
	for name, r := range same {
		t.Run(name, func(t *testing.T) {
			if got, want := r.compute(), tide.compute(); got.Key != want.Key {
				t.Errorf("%v\nis not with\n%v", got.Parts, want.Parts)
			}
		})
	}
	apart := map[string]report{
		"another function": {typ: "TypeError", message: tide.message, frames: []event.Frame{own("stillAt", "src/tides.ts", 17)}},
		"another module":   {typ: "TypeError", message: tide.message, frames: []event.Frame{own("tideAt", "src/other.ts", 17)}},
		"another type":     {typ: "RangeError", message: tide.message, frames: tide.frames},
		"an added key":     {typ: "TypeError", message: tide.message, frames: tide.frames, grouping: &event.Grouping{Extend: []string{"${berth.zone}"}}, attributes: event.Attributes{"berth.zone": "C"}},
	}
	for name, r := range apart {
		t.Run(name, func(t *testing.T) {
			if got := r.compute(); got.Key == tide.compute().Key {
				t.Errorf("%v is with tideAt", got.Parts)
			}
		})
	}
}

func TestCompute_TellsTwoPlacesOfOneMessageApart(t *testing.T) {
	a := report{typ: "Error", message: "not found", frames: []event.Frame{own("findSailing", "src/sailings.ts", 18)}}.compute()
	b := report{typ: "Error", message: "not found", frames: []event.Frame{own("findBerth", "src/berths.ts", 5)}}.compute()
	if a.Key == b.Key {
		t.Error("two bugs with one message are one issue")
	}
}

func TestCompute_LooksThroughHelpers(t *testing.T) {
	by := func(caller string) Result {
		return report{typ: "AssertionError", message: "no", frames: []event.Frame{own("assert", "src/assert.ts", 6), own(caller, "src/map.ts", 42)}}.compute()
	}
	if by("berthOf").Key == by("zoneOf").Key {
		t.Error("two callers of assert are one issue")
	}
	if got := by("berthOf").Headline; got != "AssertionError in berthOf" {
		t.Errorf("headline = %q", got)
	}
}

func TestCompute_UsesTheMessageWhereThereIsNothingBetter(t *testing.T) {
	shape := func(message string) Key { return report{typ: "Error", message: message}.compute().Key }
	if shape("no berth 12 for 0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01") != shape("no berth 7 for 1193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e02") {
		t.Error("messages that differ in numbers and ids are apart")
	}
	if shape("no berth 12") == shape("no tide 12") {
		t.Error("messages that differ in words are together")
	}
	v := func(message string) Key {
		return report{typ: "Error", message: message, frames: []event.Frame{vendor("fetch", "node_modules/undici/index.js")}}.compute().Key
	}
	if v("fetch failed") == v("other side closed") {
		t.Error("without own frames the message does not count")
	}
}

// Where no function is known the statement represents it: whatever the message
// says, in whichever line it stands.
func TestCompute_LetsTheStatementStandForTheFunction(t *testing.T) {
	at := func(statement, message string, line int) report {
		f := own("", "src/tides.ts", line)
		f.Statement = statement
		return report{typ: "RangeError", message: message, frames: []event.Frame{f}}
	}
	first := at("throw new RangeError(day)", "no table for Eider", 17).compute()
	if got := at("throw new RangeError(day)", "no table for Tern", 40).compute(); got.Key != first.Key {
		t.Errorf("%v\nis not with\n%v", got.Parts, first.Parts)
	}
	for name, r := range map[string]report{"another statement": at("throw new RangeError(week)", "no table for Eider", 17), "none": at("", "no table for Eider", 17)} {
		if got := r.compute(); got.Key == first.Key {
			t.Errorf("%s: %v", name, got.Parts)
		}
	}
	if want := "RangeError in tides.ts: throw new RangeError(day)"; first.Headline != want {
		t.Errorf("headline %q, want %q", first.Headline, want)
	}
	if long := at(strings.Repeat("x + ", 100), "", 1).compute(); len(long.Headline) > 130 {
		t.Errorf("headline %q", long.Headline)
	}
}

func TestCompute_BindsPendingVariantsToTheirBuild(t *testing.T) {
	a := report{typ: "TypeError", message: "x", release: "1", frames: []event.Frame{pending("Kt", "https://a.example/app-3f2aB9x_.js", 1, 100)}}.compute()
	b := report{typ: "TypeError", message: "x", release: "2", frames: []event.Frame{pending("Qx", "https://a.example/app-Zz81kQpL.js", 1, 90)}}.compute()
	if !a.Provisional || a.Variant == b.Variant {
		t.Errorf("provisional %v, variants differ %v", a.Provisional, a.Variant != b.Variant)
	}
	if a.Key != b.Key {
		t.Error("minified names of two builds make two issues")
	}
	resolved := report{typ: "TypeError", message: "x", release: "1", frames: []event.Frame{own("tideAt", "src/tides.ts", 17)}}.compute()
	if resolved.Provisional || resolved.Variant != resolved.Key {
		t.Errorf("a resolved event: provisional %v", resolved.Provisional)
	}
}

func TestCompute_LetsTheApplicationReplaceTheKey(t *testing.T) {
	g := &event.Grouping{Replace: []string{"tide-table", "${berth.zone}"}}
	a := report{typ: "A", message: "x", grouping: g, attributes: event.Attributes{"berth.zone": "C"}}.compute()
	b := report{typ: "B", message: "y", grouping: g, attributes: event.Attributes{"berth.zone": "C"}, frames: []event.Frame{own("f", "g.ts", 1)}}.compute()
	c := report{typ: "A", message: "x", grouping: g}.compute()
	if a.Key != b.Key || a.Key == c.Key {
		t.Errorf("same key %v, other zone apart %v", a.Key == b.Key, a.Key != c.Key)
	}
}

func TestCompute_WritesHeadlineAndPlace(t *testing.T) {
	for name, c := range map[string]struct {
		event           event.Event
		frames          [][]event.Frame
		headline, place string
	}{
		"type and function":   {event.Event{Exceptions: []event.Exception{{Type: "TypeError", Message: "m"}}}, [][]event.Frame{{own("tideAt", "src/tides.ts", 48)}}, "TypeError in tideAt", "src/tides.ts:48"},
		"top level of a file": {event.Event{Exceptions: []event.Exception{{Type: "TypeError"}}}, [][]event.Frame{{own("", "src/main.ts", 3)}}, "TypeError in main.ts", "src/main.ts:3"},
		"a minified origin": {event.Event{Exceptions: []event.Exception{{Type: "TypeError"}}}, [][]event.Frame{{func() event.Frame {
			f := pending("Kt", "https://a.example/assets/app-3f2aB9x_.js", 1, 48211)
			f.Column = 48211
			return f
		}()}}, "TypeError in app.js", "assets/app.js:1:48211"},
		"no frames":     {event.Event{Exceptions: []event.Exception{{Type: "TypeError", Message: "m"}}}, [][]event.Frame{nil}, "TypeError", ""},
		"a thrown text": {event.Event{Exceptions: []event.Exception{{Thrown: "string", Message: "berth 12 is taken"}}}, [][]event.Frame{nil}, "berth <number> is taken", ""},
		"a message":     {event.Event{Message: "gate 7 is open\nstill"}, nil, "gate <number> is open", ""},
	} {
		t.Run(name, func(t *testing.T) {
			blame.Mark(c.event.Exceptions, c.frames, nil)
			r := Compute(Version, &c.event, c.frames)
			if r.Headline != c.headline || r.Place != c.place {
				t.Errorf("headline %q, place %q, want %q, %q", r.Headline, r.Place, c.headline, c.place)
			}
		})
	}
}

func BenchmarkCompute(b *testing.B) {
	var frames []event.Frame
	for i := range 30 {
		frames = append(frames, own("f", "src/a.ts", i))
	}
	r := report{typ: "TypeError", message: "Cannot read properties of undefined (reading '7')", frames: frames}
	b.Run("frames=30", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			r.compute()
		}
	})
}

func TestCompute_SaysInTheHeadlineWhatCounts(t *testing.T) {
	e := &event.Event{Message: "booking 7fKq2xPd on 4 could not be read"}
	for version, want := range map[int]string{2: "booking <number>fKq<number>xPd on <number> could not be read", 3: "booking <code> on <number> could not be read"} {
		if r := Compute(version, e, nil); r.Headline != want {
			t.Errorf("by version %d: %q, want %q", version, r.Headline, want)
		}
	}
}
