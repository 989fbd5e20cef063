package stacktrace

import (
	"fmt"
	"strings"
	"testing"

	"firethorn/internal/core/event"
)

// short writes frames as "function|file|line:column", one a line.
func short(frames []event.RawFrame) string {
	var out []string
	for _, f := range frames {
		out = append(out, fmt.Sprintf("%s|%s|%d:%d", f.Function, f.File, f.Line, f.Column))
	}
	return strings.Join(out, "\n")
}

func TestParse_ReadsTheDialects(t *testing.T) {
	for name, c := range map[string]struct{ text, typ, message, header, want string }{
		"V8 in a browser": {
			"TypeError: x is undefined\n    at Kt (https://quayside.example/assets/app-3f2a.js:1:48211)\n    at https://quayside.example/assets/app-3f2a.js:1:9120\n    at Array.map (<anonymous>)\n    at async load (https://quayside.example/a.js:2:3)",
			"TypeError", "x is undefined", "TypeError: x is undefined",
			"Kt|https://quayside.example/assets/app-3f2a.js|1:48211\n|https://quayside.example/assets/app-3f2a.js|1:9120\nArray.map|<anonymous>|0:0\nload|https://quayside.example/a.js|2:3",
		},
		"V8 in Node": {
			"Error: no\n    at Object.<anonymous> (/srv/gangway/server.mjs:10:7)\n    at new Gate (file:///srv/gangway/gate.mjs:3:1)\n    at Gate.open [as shut] (/srv/gangway/gate.mjs:4:2)\n    at process.processTicksAndRejections (node:internal/process/task_queues:105:5)",
			"Error", "no", "Error: no",
			"|/srv/gangway/server.mjs|10:7\nGate|file:///srv/gangway/gate.mjs|3:1\nGate.open|/srv/gangway/gate.mjs|4:2\nprocess.processTicksAndRejections|node:internal/process/task_queues|105:5",
		},
		"V8 eval": {
			"Error\n    at eval (eval at run (https://a.example/b.js:5:6), <anonymous>:1:2)", "Error", "", "Error",
			"eval|https://a.example/b.js|5:6",
		},
		"SpiderMonkey": {
			"Kt@https://quayside.example/app.js:1:48211\n@https://quayside.example/app.js:1:9\nasync*load@https://quayside.example/app.js:2:3\ninner/<@https://quayside.example/@scope/x.js:7:8\nrun@https://a.example/b.js line 5 > eval:1:2",
			"TypeError", "x is undefined", "",
			"Kt|https://quayside.example/app.js|1:48211\n|https://quayside.example/app.js|1:9\nload|https://quayside.example/app.js|2:3\n|https://quayside.example/@scope/x.js|7:8\nrun|https://a.example/b.js|5:0",
		},
		"JavaScriptCore": {
			"Kt@https://quayside.example/app.js:1:48211\nmap@[native code]\nglobal code@https://quayside.example/app.js:9:1\n[native code]",
			"TypeError", "x", "",
			"Kt|https://quayside.example/app.js|1:48211\nmap|[native code]|0:0\n|https://quayside.example/app.js|9:1\n|[native code]|0:0",
		},
		"a message that looks like frames": {
			"Error: first\n    at fake (https://a.example/fake.js:1:1)\nlast\n    at real (https://a.example/b.js:1:2)",
			"Error", "first\n    at fake (https://a.example/fake.js:1:1)\nlast", "Error: first\n    at fake (https://a.example/fake.js:1:1)\nlast",
			"real|https://a.example/b.js|1:2",
		},
		"brackets in a path": {
			"Error: x\n    at f (https://a.example/(group)/b.js:1:2)", "Error", "x", "Error: x", "f|https://a.example/(group)/b.js|1:2",
		},
		"a message of lines, type unknown": {"boom\nsecond line\n    at f (a.js:1:2)", "", "", "boom\nsecond line", "f|a.js|1:2"},
		"no trace":                         {"boom", "Error", "boom", "boom", ""},
		"nothing":                          {"", "", "", "", ""},
		"Windows line ends and paths":      {"Error: x\r\n    at f (C:\\srv\\a.js:1:2)\r\n", "Error", "x", "Error: x", `f|C:\srv\a.js|1:2`},
	} {
		t.Run(name, func(t *testing.T) {
			got := Parse(c.text, c.typ, c.message, 100)
			if short(got.Frames) != c.want {
				t.Errorf("frames =\n%s\nwant\n%s", short(got.Frames), c.want)
			}
			if got.Header != c.header {
				t.Errorf("header = %q, want %q", got.Header, c.header)
			}
		})
	}
}

func TestParse_KeepsWhatIsNoFrame(t *testing.T) {
	got := Parse("Error: x\n    at f (a.js:1:2)\n    ... 3 lines matching cause stack trace ...\n    at g (a.js:3:4)", "Error", "x", 100)
	if len(got.Frames) != 2 || len(got.Rest) != 1 || !strings.Contains(got.Rest[0], "3 lines matching") {
		t.Errorf("frames %d, rest %q", len(got.Frames), got.Rest)
	}
}

func TestParse_StopsAtTheLimit(t *testing.T) {
	text := "RangeError: deep\n" + strings.Repeat("    at f (a.js:1:2)\n", 10_000)
	if got := Parse(text, "RangeError", "deep", 500); len(got.Frames) != 500 || len(got.Rest) != 0 {
		t.Errorf("%d frames and %d other lines, want 500 and 0", len(got.Frames), len(got.Rest))
	}
}

func TestKindOf(t *testing.T) {
	for file, want := range map[string]event.Kind{
		"src/timetable/tides.ts": event.Own, "https://quayside.example/assets/app.js": event.Own, "/srv/gangway/server.mjs": event.Own,
		"node_modules/react-dom/index.js": event.Vendor, "../../node_modules/@a/b/c.js": event.Vendor, "chrome-extension://abc/x.js": event.Vendor,
		"node:internal/process/task_queues": event.Runtime, "<anonymous>": event.Runtime, "[native code]": event.Runtime, "": event.Runtime,
	} {
		if got := KindOf(file); got != want {
			t.Errorf("KindOf(%q) = %s, want %s", file, got, want)
		}
	}
}

func TestPath_LeavesOutWhatChangesFromBuildToBuild(t *testing.T) {
	for file, want := range map[string]string{
		"https://quayside.example/assets/app-3f2aB9x_.js?v=3#top": "assets/app.js", "https://other.example/assets/app-Zz81kQpL.js": "assets/app.js",
		"../../src/timetable/tides.ts": "src/timetable/tides.ts", "./src/a.ts": "src/a.ts", "/srv/a/b.js": "srv/a/b.js",
		"assets/tide-timetable.js": "assets/tide-timetable.js", `C:\srv\a.js`: "C:/srv/a.js", "webpack:///./src/x.ts": "src/x.ts",
	} {
		if got := Path(file); got != want {
			t.Errorf("Path(%q) = %q, want %q", file, got, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add("TypeError: x\n    at f (a.js:1:2)\ng@https://a.example/b.js:1:2", "TypeError", "x")
	f.Fuzz(func(t *testing.T, text, typ, message string) {
		got := Parse(text, typ, message, 50)
		if len(got.Frames) > 50 {
			t.Fatalf("%d frames, 50 are the most", len(got.Frames))
		}
		for _, fr := range got.Frames {
			if fr.File == "" || fr.Line < 0 || fr.Column < 0 {
				t.Fatalf("frame %+v of %q", fr, text)
			}
		}
	})
}

func BenchmarkParse(b *testing.B) {
	text := "TypeError: Cannot read properties of undefined\n" + strings.Repeat("    at Kt (https://quayside.example/assets/app-3f2a.js:1:48211)\n", 30)
	b.Run("dialect=V8/frames=30", func(b *testing.B) {
		b.SetBytes(int64(len(text)))
		b.ReportAllocs()
		for b.Loop() {
			Parse(text, "TypeError", "Cannot read properties of undefined", 500)
		}
	})
}

// What waits for several promises, and what a bundler puts in, is nobody's own code.
func TestKindOf_KnowsGlue(t *testing.T) {
	frames := Parse("Error: x\n    at open (https://a.example/a.js:1:2)\n    at async Promise.all (index 0)\n    at async Promise.all (index 12)\n    at async round (https://a.example/a.js:3:4)", "Error", "x", 10).Frames
	if len(frames) != 4 || KindOf(frames[1].File) != event.Runtime || frames[1] != frames[2] {
		t.Errorf("%+v", frames)
	}
	for file, want := range map[string]event.Kind{"quayside/webpack/bootstrap": event.Runtime, "webpack/runtime/jsonp chunk loading": event.Runtime, "src/webpack.ts": event.Own, "src/index 1.ts": event.Own} {
		if got := KindOf(file); got != want {
			t.Errorf("%s is %s, want %s", file, got, want)
		}
	}
}
