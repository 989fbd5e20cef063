package blame

import (
	"testing"

	"firethorn/internal/core/event"
)

func TestItself_KnowsWhatEnginesSay(t *testing.T) {
	for message, want := range map[string]bool{
		"can't access property Symbol.iterator, this.on.get(...) is undefined": true,
		"e.stops[2] is undefined":                                                             true,
		"Cannot add property 1, object is not extensible":                                     true,
		"can't define array index property past the end of an array with non-writable length": true,
		"Cannot convert undefined or null to object":                                          true,
		"URI malformed": true, "malformed URI sequence": true, "URI error": true,
		"Cannot read properties of undefined (reading 'x')": true,
		"the gate is undefined in the plan":                 false,
		"Cannot load the roster":                            false,
		"seat A1 is taken":                                  false,
		"":                                                  false,
	} {
		if got := Itself(event.Exception{Type: "TypeError", Message: message}); got != want {
			t.Errorf("%q: %v, want %v", message, got, want)
		}
	}
	if Itself(event.Exception{Type: "BookingError", Message: "e.stops[2] is undefined"}) {
		t.Error("an application's own class is no engine's mistake")
	}
	for _, m := range []string{"URI malformed", "malformed URI sequence", "URI error"} {
		if says, _ := PlainIDs(m); says != "a malformed URI" {
			t.Errorf("%q is told as %q", m, says)
		}
	}
}

func TestModuleBelowRoot_IsOneWhereverAnApplicationIsPut(t *testing.T) {
	for want, files := range map[string][]string{
		"bosun/crew.py":  {"/app/bosun/crew.py", "/srv/bosun/crew.py", "/home/ci/bosun/crew.py", "/usr/src/app/bosun/crew.py", "/var/task/bosun/crew.py", "/builds/team/bosun/crew.py", `C:\work\bosun\crew.py`},
		"src/tides.ts":   {"/app/src/tides.ts", "/home/ci/quayside/src/tides.ts", "src/tides.ts"},
		"app/main.rb":    {"/app/main.rb"},
		"app/berths.rb":  {"/srv/gangway/app/berths.rb"},
		"node_modules/x": {"/app/node_modules/x/lib/a.js"},
	} {
		for _, file := range files {
			f := event.Frame{File: file}
			f.Raw.File = file
			if got := ModuleBelowRoot(f); got != want {
				t.Errorf("%s is %q, want %q", file, got, want)
			}
		}
	}
}
