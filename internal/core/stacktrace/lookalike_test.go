package stacktrace

import "testing"

// Texts that read a little like traces, and are none: they have no frames.
func TestRead_TakesNoProseForFrames(t *testing.T) {
	for name, text := range map[string]string{
		"opening hours":            "The quay is open\n  at (9:30:00)\n  at weekends (10:00:00)",
		"a ratio":                  "mixed at a ratio (3:1)\nand later at equal parts (1:1:1)",
		"chapters":                 "see\n  at the end (chapter 4:12:3)\n  at length (5:1)",
		"times in brackets":        "departures\n  at Eider (08:15:00)\n  at Tern (09:45:30)",
		"scores":                   "lost at home (2:3)\nwon at sea (4:1:0)",
		"an address in prose":      "meet me at https://pier.example:8443/berths at noon",
		"addresses in a list":      "mirrors:\n  at https://a.example:443/x\n  at https://b.example:443/y",
		"e-mail":                   "write to oke.farrow@ferries.example:25:1 or liv@ferries.example:587:2",
		"a numbered list":          "#1 open the gate (first)\n#2 shut the gate (last)\n#3 go home",
		"issues":                   "#12 was fixed in src/tides.ts(17): see there\nand #13 too",
		"an index":                 "tides, 3:12; gates, 4:8; berths 7:1:2",
		"verses":                   "at the beginning (John 3:16:1)\nat the end (Luke 2:1:5)",
		"from somewhere":           "from Eider:8 to Tern:9\nfrom the quay:12 in all",
		"goroutines in prose":      "a goroutine 12 [of many] was slow",
		"line in prose":            "see line 12 of the table, in March",
		"File in prose":            "The File \"tides\" has line 3 missing",
		"a list of files":          "src/tides.ts:12:3\nsrc/gates.ts:4:1",
		"a compiler's complaint":   "src/tides.ts:12:3: error: expected a semicolon\nsrc/gates.ts:4:1: warning: never used",
		"a diff":                   "@@ -12,3 +14,4 @@ func tides\n+at the quay (12:3)",
		"a query":                  "SELECT * FROM berths WHERE at = '12:30:00' (3 rows)",
		"a table":                  "| at | 12:30:15 |\n| at | 13:45:10 |",
		"a poem":                   "at dawn (the gulls)\nat dusk (the terns)",
		"a schedule":               "at 12:30:15\nat 13:45:10",
		"versions":                 "quayside@4.2.0:1:2 is newer than gangway@4.1.0:1:1",
		"a person's handle":        "thanks @liv:1:2 and @oke:3:4",
		"a ticket":                 "at counter (A12:7:1)\nat gate (B3:9:4)",
		"proportions in a message": "RangeError: the mix at the pump (1:50:2) is wrong",
		"coordinates":              "at sea (54:12:30)\nat anchor (54:13:01)",
		"a port":                   "listening at localhost (127.0.0.1:8080:1)",
		"somebody's log":           "12:30:15 moored at Eider (berth 3:2:1)",
	} {
		got := Read(text, 100)
		for _, x := range got.Exceptions {
			if len(x.Frames) > 0 {
				t.Errorf("%s (%s): %+v", name, got.Language, x.Frames)
			}
		}
	}
}

// Words, timestamps, levels and names of loggers before the type are no part of it.
func TestRead_FindsTheHeadBehindWords(t *testing.T) {
	const frame = "\n    at tideAt (/srv/gangway/tides.js:17:9)\n    at run (/srv/gangway/main.js:3:1)"
	for head, want := range map[string][2]string{
		"RangeError: too deep":                                            {"RangeError", "too deep"},
		"worker failed: RangeError: too deep":                             {"RangeError", "too deep"},
		"2026-11-30T01:02:03.123Z ERROR tides: TypeError: no tide: day 3": {"TypeError", "no tide: day 3"},
		"[01:02:03] [main/WARN] HttpError: answered 409":                  {"HttpError", "answered 409"},
		"Uncaught (in promise) TideError: low":                            {"TideError", "low"},
		"error: AssertionError [ERR_ASSERTION]: not equal":                {"AssertionError", "not equal"},
		"gangway | TypeError [ERR_INVALID_ARG_TYPE]: a number":            {"TypeError", "a number"},
		"unhandled: Error":                                                {"Error", ""},
	} {
		got := Read(head+frame, 10)
		if len(got.Exceptions) != 1 || got.Exceptions[0].Type != want[0] || got.Exceptions[0].Message != want[1] || len(got.Exceptions[0].Frames) != 2 {
			t.Errorf("%s: %+v", head, got.Exceptions)
		}
	}
}

// Firefox says of a script that another one brought in where that did, and the
// places within it.
func TestFrames_TakesThePlaceWithinABroughtInScript(t *testing.T) {
	got := Frames("draw@https://q.example/app.js line 12 > srcScript:3:210\nrun@https://q.example/app.js line 3 > eval:1:1", "Error", "x", 10)
	if len(got) != 2 || got[0].File != "https://q.example/app.js" || got[0].Line != 3 || got[0].Column != 210 || got[1].Line != 3 || got[1].Column != 0 {
		t.Errorf("%+v", got)
	}
}
