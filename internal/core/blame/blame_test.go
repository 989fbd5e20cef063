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

// What engines say of one mistake has one shape; other messages are not taken for it.
func TestPlain_IsOneForAllEngines(t *testing.T) {
	for want, c := range map[string]struct {
		messages []string
		local    bool
	}{
		"no tide of nothing": {[]string{"Cannot read properties of undefined (reading 'tide')", "Cannot read property 'tide' of null", "Cannot set properties of undefined (setting 'tide')", `can't access property "tide", x is undefined`, `can't access property "tide" of null`,
			"undefined is not an object (evaluating 'x.tide')", "null is not an object (evaluating 'f(a.b).tide')", "undefined is not an object (evaluating 'x[0].tide(y.z)')", `undefined is not an object (evaluating 'x["tide"]')`}, true},
		"draw is no function":           {[]string{"a.draw is not a function", "n.t.draw is not a function. (In 'n.t.draw(1)', 'n.t.draw' is undefined)"}, true},
		"what is called is no function": {[]string{"draw is not a function", "r is not a function. (In 'r()', 'r' is 7)"}, true},
		"tides is not defined":          {[]string{"tides is not defined", "Can't find variable: tides"}, true},
		"the stack is full":             {[]string{"Maximum call stack size exceeded", "Maximum call stack size exceeded.", "too much recursion"}, true},
		"the network failed":            {[]string{"Failed to fetch", "NetworkError when attempting to fetch resource.", "Load failed", "fetch failed"}, false},
		"no valid JSON": {[]string{`Unexpected token '<', "<html>" is not valid JSON`, "Unexpected token < in JSON at position 0", "JSON.parse: unexpected character at line 1 column 1 of the JSON data", "JSON Parse error: Unrecognized token '<'", "Unexpected end of JSON input",
			"Expected property name or '}' in JSON at position 1 (line 1 column 2)"}, false},
		"a constant is assigned":                    {[]string{"Assignment to constant variable.", "invalid assignment to const 'n'", "Attempted to assign to readonly property."}, true},
		"used before it has a value":                {[]string{"Cannot access 'n' before initialization", "can't access lexical declaration 'n' before initialization", "Cannot access uninitialized variable."}, true},
		"digits out of range":                       {[]string{"toFixed() digits argument must be between 0 and 100", "toFixed() argument must be between 0 and 100", "precision 101 out of range"}, true},
		"an empty array is reduced":                 {[]string{"Reduce of empty array with no initial value", "reduce of empty array with no initial value"}, true},
		"no tide table for day <number>":            {[]string{"no tide table for day 366"}, false},
		"the gate is not a function of time, is it": {[]string{"the gate is not a function of time, is it"}, false},
		"Cannot read the roster":                    {[]string{"Cannot read the roster"}, false},
	} {
		for _, m := range c.messages {
			if got, local := Plain(m); got != want || local != c.local {
				t.Errorf("%q is %q (%v), want %q (%v)", m, got, local, want, c.local)
			}
		}
	}
}

func TestModule_IsTheSameWhereverItWasPut(t *testing.T) {
	for want, files := range map[string][]string{
		"src/tides.ts":                   {"src/tides.ts", "../../src/tides.ts?v=2", "/srv/quayside/src/tides.ts", "/home/ci/b-17/src/tides.ts", "file:///srv/quayside/src/tides.ts", `C:\work\src\tides.ts`, "https://quayside.example/src/tides.ts", "quayside/./src/tides.ts", "https://quayside.example/4.2.0/src/tides.ts", "https://cdn.example/9f1c2ab77de0/src/tides.ts"},
		"assets/app.js":                  {"https://quayside.example/assets/app-3f2aB9x_.js", "https://quayside.example/assets/app.js", "https://quayside.example/assets/app.9f1c2ab.js"},
		"static/main.chunk.js":           {"https://quayside.example/static/main.3f2a9c.chunk.js"},
		"node_modules/undici":            {"/srv/a/node_modules/undici/lib/x.js", "node_modules/undici/index.js"},
		"node_modules/@firethorn/client": {"node_modules/x/node_modules/@firethorn/client/dist/a.js"},
		"bosun/crew.go":                  {"/srv/bosun/crew.go", "/home/ci/bosun/crew.go"},
	} {
		for _, f := range files {
			if got := Module(event.Frame{File: f, Raw: event.Position{File: f}}); got != want {
				t.Errorf("%s is %s, want %s", f, got, want)
			}
		}
	}
}

// Sources keep their names: numbers in them are people's.
func TestModule_LeavesSourcesAlone(t *testing.T) {
	for _, f := range []string{"src/step-2.js", "src/step-3.js", "src/4.2.0/rates.ts", "src/20261123/rates.js"} {
		if got := Module(event.Frame{File: f, Raw: event.Position{File: "https://a.example/app.js"}}); got != f {
			t.Errorf("%s is %s", f, got)
		}
	}
}

func TestFunction_LeavesOffWhatCompilersNumber(t *testing.T) {
	for want, c := range map[string][]event.Frame{
		"main.run.func":    {raw("main.run.func1", "/a/b.go"), raw("main.run.func12.3", "/a/b.go")},
		"Crew.lambda$main": {raw("Crew.lambda$main$0", "Crew.java"), raw("Crew.lambda$main$17", "Crew.java")},
		"add":              {raw("Roster.add", "https://a.example/a.js"), raw("add", "https://a.example/a.js"), raw("bound add", "https://a.example/a.js")},
		"first":            {raw("get first", "https://a.example/a.js"), raw("first", "https://a.example/a.js")},
		"Berth.get depth":  {{Function: "Berth.get depth", File: "src/a.ts", Raw: event.Position{Function: "Kt", File: "https://a.example/a.js"}}},
		"setUp (callback)": {{Within: "setUp", File: "src/a.ts", Raw: event.Position{File: "https://a.example/a.js"}}},
		"com.x.Fare$.run":  {raw("com.x.Fare$1.run", "Fare.java"), raw("com.x.Fare$22.run", "Fare.java")},
		"handler":          {raw("handler_8f3a2b", "src/a.py"), raw("handler", "src/a.py")},
	} {
		for _, f := range c {
			if got := Function(f); got != want {
				t.Errorf("%s is %q, want %q", f.Function, got, want)
			}
		}
	}
}

func raw(function, file string) event.Frame {
	return event.Frame{Function: function, File: file, Line: 3, Kind: event.Own, Raw: event.Position{Function: function, File: file, Line: 3}}
}

func TestMark_LooksThroughWhoFailsForOthers(t *testing.T) {
	thrown, mistake := event.Exception{Type: "GateError", Message: "shut"}, event.Exception{Type: "TypeError", Message: "x is not a function"}
	runtime := event.Frame{Function: "panic", File: "/usr/local/go/src/runtime/panic.go", Kind: event.Runtime}
	helpers := NewHelpers()
	for _, caller := range []string{"openGate", "closeGate", "countSeats", "callCrew"} {
		list := [][]event.Frame{{at("barrier", "src/b.ts", event.Own), at(caller, "src/g.ts", event.Own)}}
		Mark([]event.Exception{thrown}, list, nil)
		helpers.Learn(&event.Event{Exceptions: []event.Exception{thrown}}, list)
	}
	for name, c := range map[string]struct {
		x      event.Exception
		frames []event.Frame
		want   int
	}{
		"by its name":                 {thrown, []event.Frame{at("ensureOpen", "u", event.Own), at("a", "m", event.Own)}, 1},
		"a mistake of its own":        {mistake, []event.Frame{at("ensureOpen", "u", event.Own), at("a", "m", event.Own)}, 0},
		"an exception's constructor":  {thrown, []event.Frame{at("new GateError", "u", event.Own), at("a", "m", event.Own)}, 1},
		"a maker of errors":           {thrown, []event.Frame{at("makeGateError", "u", event.Own), at("a", "m", event.Own)}, 1},
		"found out":                   {thrown, []event.Frame{at("barrier", "src/b.ts", event.Own), at("ringBell", "src/g.ts", event.Own)}, 1},
		"found out, alone":            {thrown, []event.Frame{at("barrier", "src/b.ts", event.Own)}, 0},
		"found out, its own mistake":  {mistake, []event.Frame{at("barrier", "src/b.ts", event.Own), at("ringBell", "src/g.ts", event.Own)}, 0},
		"another of that name":        {thrown, []event.Frame{at("barrier", "src/other.ts", event.Own), at("ringBell", "src/g.ts", event.Own)}, 0},
		"what recovered from a panic": {thrown, []event.Frame{at("main.report", "r.go", event.Own), runtime, at("main.open", "g.go", event.Own)}, 2},
		"a place that is none":        {thrown, []event.Frame{{File: "unknown", Kind: event.Own}, at("a", "m", event.Own)}, 1},
	} {
		t.Run(name, func(t *testing.T) {
			list := [][]event.Frame{c.frames}
			Mark([]event.Exception{c.x}, list, helpers)
			if _, j, ok := Origin(list); !ok || j != c.want {
				t.Errorf("frame %d is blamed, %v, want %d", j, ok, c.want)
			}
		})
	}
}

// What its source says makes errors is passed over, save where the mistake is
// its own.
func TestMark_PassesOverWhatMakesErrors(t *testing.T) {
	for message, want := range map[string]int{"the berth is taken": 2, "Cannot read properties of undefined (reading 'tide')": 0} {
		list := [][]event.Frame{{at("new Sunk", "src/s.ts", event.Own), at("refuse", "src/s.ts", event.Own), at("moor", "src/m.ts", event.Own)}}
		list[0][0].MakesError, list[0][1].MakesError = true, true
		Mark([]event.Exception{{Type: "Sunk", Message: message}}, list, nil)
		if _, j, _ := Origin(list); j != want {
			t.Errorf("%s: %s is blamed", message, list[0][j].Function)
		}
		if k, ok := Through(list[0], 2); ok {
			t.Errorf("it failed through %s", list[0][k].Function)
		}
	}
}

func TestHelpers_KnowWhoAskedForWhat(t *testing.T) {
	h := NewHelpers()
	learn := func(message, caller string) {
		e := &event.Event{Exceptions: []event.Exception{{Type: "HttpError", Message: message}}}
		list := [][]event.Frame{{at("fetchJson", "src/http.ts", event.Own), at(caller, "src/g.ts", event.Own)}}
		Mark(e.Exceptions, list, nil)
		h.Learn(e, list)
	}
	learn("GET /gates was answered with 500", "drawGates")
	if _, _, ok := h.Asked(at("fetchJson", "src/http.ts", event.Own), "GET /gates was answered with 502"); ok {
		t.Error("one caller makes no helper")
	}
	learn("GET /seats was answered with 500", "drawSeats")
	learn("GET /crew was answered with 500", "drawSeats")
	learn("GET /crew was answered with 500", "drawGates")
	for message, want := range map[string]string{"GET /gates was answered with 502": "drawGates", "GET /seats was answered with 404": "drawSeats", "GET /crew was answered with 500": "", "GET /tides was answered with 500": ""} {
		if _, function, _ := h.Asked(at("fetchJson", "src/http.ts", event.Own), message); function != want {
			t.Errorf("%s was asked for by %q, want %q", message, function, want)
		}
	}
}
