package symbolicate

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"unicode/utf16"

	"firethorn/internal/core/event"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbols"
)

var update = flag.Bool("update", false, "rewrite testdata/*.golden")

// section cuts "-- name --" out of a golden file.
func section(t *testing.T, text, name string) string {
	t.Helper()
	_, rest, ok := strings.Cut(text, "-- "+name+" --\n")
	if !ok {
		t.Fatalf("no section %s", name)
	}
	rest, _, _ = strings.Cut(rest, "\n-- ")
	return strings.TrimSuffix(rest, "\n")
}

// bundles are two real builds of the demo's applications, with their maps.
type bundles map[string]*symbols.File

func (b bundles) File(file, _ string) (*symbols.File, string) {
	for name, u := range b {
		if strings.HasSuffix(name, filepath.Ext(file)) {
			return u, ""
		}
	}
	return nil, "no such file"
}

func (b bundles) Failed(err error) { panic(err) }

func compile(t testing.TB, m *sourcemap.Map, code []byte) *symbols.File {
	t.Helper()
	raw, _, err := symbols.Compile(m, code)
	if err != nil {
		t.Fatal(err)
	}
	f, err := symbols.Open(bytes.NewReader(raw), int64(len(raw)), 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func load(t testing.TB) bundles {
	b := bundles{}
	for _, name := range []string{"quayside.js", "gangway.mjs"} {
		raw, err := os.ReadFile("testdata/" + name + ".map")
		if err != nil {
			t.Fatal(err)
		}
		m, err := sourcemap.Parse(raw)
		if err != nil {
			t.Fatal(err)
		}
		code, err := os.ReadFile("testdata/" + name)
		if err != nil {
			t.Fatal(err)
		}
		b[name] = compile(t, m, code)
	}
	return b
}

func readable(frames []event.Frame) string {
	var b strings.Builder
	for _, f := range frames {
		mark := ""
		if f.Origin {
			mark = " <- origin"
		}
		fmt.Fprintf(&b, "%s %s:%d:%d %s%s\n", f.Called(), f.File, f.Line, f.Column, f.Kind, mark)
		if f.Origin && len(f.SourceLines) > 0 {
			for _, l := range f.SourceLines {
				if l.Line == f.Line {
					fmt.Fprintf(&b, "    %s\n", strings.TrimSpace(l.Text))
				}
			}
		}
	}
	return b.String()
}

// Stacks as Chromium and Node printed them, against real minified builds.
func TestEvent_MakesRealTracesReadable(t *testing.T) {
	units := load(t)
	files, err := filepath.Glob("testdata/*.golden")
	if err != nil || len(files) == 0 {
		t.Fatalf("%d golden files, %v", len(files), err)
	}
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			text := string(raw)
			e := &event.Event{Exceptions: []event.Exception{{Type: section(t, text, "type"), Message: section(t, text, "message"), Stack: section(t, text, "stack")}}}
			got := readable(Event(e, units, Options{Sources: true})[0])
			if *update {
				head, _, _ := strings.Cut(text, "-- want --\n")
				if err := os.WriteFile(file, []byte(head+"-- want --\n"+got), 0o644); err != nil {
					t.Fatal(err)
				}
				return
			}
			if want := section(t, text, "want") + "\n"; got != want {
				t.Errorf("got\n%s\nwant\n%s", got, want)
			}
		})
	}
}

func TestFrame_SaysWhyItStaysRaw(t *testing.T) {
	unit := load(t)["quayside.js"]
	raw := event.RawFrame{Function: "Kt", File: "https://quayside.example/assets/x.js", Line: 1, Column: 5}
	if f := Frame(raw, nil, "no symbols were pushed", Options{}); f.WhyRaw != "no symbols were pushed" || !f.Pending || f.Function != "Kt" {
		t.Errorf("without symbols: %+v", f)
	}
	raw.Line = 9999
	if f := Frame(raw, unit, "", Options{}); !strings.Contains(f.WhyRaw, "9999:5 lies outside") || f.Pending {
		t.Errorf("outside the map: %+v", f)
	}
	if f := Frame(event.RawFrame{File: "node:internal/x", Line: 3}, nil, "why", Options{}); f.WhyRaw != "" || f.Kind != event.Runtime {
		t.Errorf("a runtime frame: %+v", f)
	}
	yes := true
	if f := Frame(event.RawFrame{File: "node_modules/a/b.ts", Line: 3, Own: &yes}, nil, "", Options{}); f.Kind != event.Own {
		t.Errorf("a frame the client calls its own is %s", f.Kind)
	}
}

// What a server runs as it was written has no symbols to wait for.
func TestFrame_WaitsForNoSymbolsOfWhatWasWritten(t *testing.T) {
	for name, c := range map[string]struct {
		raw     event.RawFrame
		pending bool
	}{
		"a server's source":    {event.RawFrame{Function: "openGate", File: "/srv/gangway/src/gates.js", Line: 12, Column: 9}, false},
		"by its address":       {event.RawFrame{Function: "Gate.open", File: "file:///srv/gangway/gates.mjs", Line: 12, Column: 9}, false},
		"anonymous":            {event.RawFrame{File: "/srv/gangway/src/gates.js", Line: 12, Column: 9}, false},
		"a page's script":      {event.RawFrame{Function: "openGate", File: "https://quayside.example/gates.js", Line: 12, Column: 9}, true},
		"what a build wrote":   {event.RawFrame{Function: "openGate", File: "/srv/gangway/dist/server.mjs", Line: 12, Column: 9}, true},
		"a name a build made":  {event.RawFrame{Function: "Kt", File: "/srv/gangway/server.js", Line: 12, Column: 9}, true},
		"far out on its line":  {event.RawFrame{Function: "openGate", File: "/srv/gangway/server.js", Line: 2, Column: 48211}, true},
		"a hash in its name":   {event.RawFrame{Function: "openGate", File: "/srv/gangway/server-Df3J_Cgv.js", Line: 12, Column: 9}, true},
		"without its position": {event.RawFrame{Function: "openGate", File: "/srv/gangway/server.js", Line: 12}, true},
	} {
		if f := Frame(c.raw, nil, "no symbols", Options{}); f.Pending != c.pending || (f.WhyRaw != "") != c.pending {
			t.Errorf("%s: pending %v, %q", name, f.Pending, f.WhyRaw)
		}
	}
}

func TestFrame_FollowsTheProjectsKinds(t *testing.T) {
	yes := true
	opt := Options{Kinds: []KindRule{{Path: "node_modules/@marrow/*", Kind: event.Own}, {Path: "src/lib/*", Kind: event.Vendor}, {Function: "example.marrow.*", Kind: event.Own}, {Path: "src/*", Function: "glue*", Kind: event.Vendor}}}
	for name, c := range map[string]struct {
		raw  event.RawFrame
		want event.Kind
	}{
		"an own package":       {event.RawFrame{File: "node_modules/@marrow/tides/index.js", Line: 1}, event.Own},
		"another package":      {event.RawFrame{File: "node_modules/tides/index.js", Line: 1}, event.Vendor},
		"a copied library":     {event.RawFrame{File: "src/lib/md5.js", Line: 1}, event.Vendor},
		"by module":            {event.RawFrame{Module: "example.marrow.Roster", Function: "assign", File: "Roster.java", Line: 3}, event.Own},
		"none fits: language":  {event.RawFrame{Module: "java.util.List", Function: "of", File: "List.java", Line: 3}, event.Runtime},
		"both fit":             {event.RawFrame{Function: "glueUp", File: "src/main.js", Line: 1}, event.Vendor},
		"one of both":          {event.RawFrame{Function: "glueUp", File: "other/main.js", Line: 1}, event.Own},
		"the client knows":     {event.RawFrame{File: "src/lib/md5.js", Line: 1, Own: &yes}, event.Own},
		"none fits: own frame": {event.RawFrame{File: "src/main.js", Line: 1}, event.Own},
	} {
		if f := Frame(c.raw, nil, "", opt); f.Kind != c.want {
			t.Errorf("%s: %s is %s, want %s", name, f.File, f.Kind, c.want)
		}
	}
}

func TestFrame_GivesSevenLinesEachSide(t *testing.T) {
	text := strings.Repeat("x\n", 30)
	m, err := sourcemap.Parse([]byte(`{"version":3,"sources":["a.ts"],"sourcesContent":["` + strings.ReplaceAll(text, "\n", `\n`) + `"],"mappings":"AAUA"}`))
	if err != nil {
		t.Fatal(err)
	}
	f := Frame(event.RawFrame{File: "https://a.example/b.js", Line: 1, Column: 1}, compile(t, m, nil), "", Options{Sources: true})
	if f.Line != 11 || len(f.SourceLines) != 15 || f.SourceLines[0].Line != 4 || f.SourceLines[14].Line != 18 {
		t.Errorf("line %d with %d lines of source: %+v", f.Line, len(f.SourceLines), f.SourceLines)
	}
}

// Of a line without end the part around the column is shown, in whole characters.
func TestFrame_CutsALongLineAroundItsColumn(t *testing.T) {
	long := strings.Repeat("ä😀;", 20_000) + "blame(me)" + strings.Repeat("x", 5000)
	m, err := sourcemap.Parse([]byte(`{"version":3,"sources":["a.js"],"sourcesContent":[` + strconv.Quote("first\n"+long+"\nlast") + `],"mappings":"AACggxBA"}`))
	if err != nil {
		t.Fatal(err)
	}
	o, _ := m.Find(sourcemap.Pos{})
	f := Frame(event.RawFrame{File: "https://quayside.example/a.js", Line: 1, Column: 1}, compile(t, m, nil), "", Options{Sources: true})
	if len(f.SourceLines) != 3 {
		t.Fatalf("%d lines around %v", len(f.SourceLines), o.Pos)
	}
	l := f.SourceLines[1]
	rest := string(utf16.Decode(utf16.Encode([]rune(l.Text))[f.Column-1-l.From:]))
	if want := string(utf16.Decode(utf16.Encode([]rune(long))[f.Column-1:]))[:20]; !strings.HasPrefix(rest, want) || len(l.Text) > 1200 || l.From == 0 {
		t.Errorf("column %d: from %d, %d bytes, there stands %.30q, want %q", f.Column, l.From, len(l.Text), rest, want)
	}
	if f.SourceLines[0].Text != "first" || f.SourceLines[2].Text != "last" {
		t.Errorf("around it: %q, %q", f.SourceLines[0].Text, f.SourceLines[2].Text)
	}
}

func TestChoose(t *testing.T) {
	app, id := "https://quayside.example/assets/app.js", "0b7c1f5e-0000-4000-a000-000000000001"
	file := func(address, id, build string) File { return File{Address: address, DebugID: id, Build: build} }
	for name, c := range map[string]struct {
		named, with []File
		file, id    string
		want        int
		byID        bool
		why         string
	}{
		"whole address":                  {named: []File{file(app, "", "1"), file("https://other.example/assets/app.js", "", "2")}, file: app + "?v=2"},
		"debug id before address":        {named: []File{file("https://other.example/x/app.js", id, "1"), file(app, "", "2")}, file: app, id: id},
		"pushed under another release":   {with: []File{file("x.js", id, "1")}, file: app, id: id, byID: true},
		"the same build in two releases": {with: []File{file("x.js", id, "1"), file("y.js", id, "1")}, file: app, id: id, want: 1, byID: true},
		"two builds with one id":         {named: []File{file(app, id, "1"), file(app, id, "2")}, with: []File{file(app, id, "1"), file(app, id, "2")}, file: app, id: id, want: -1, why: "2 different builds were pushed with the debug id"},
		"two builds under one address":   {named: []File{file(app, "", "1"), file(app, "", "2")}, file: app, want: -1, why: "has 2 different builds of https://quayside.example/assets/app.js"},
		"pushed twice":                   {named: []File{file(app, "", "1"), file(app, "", "1")}, file: app, want: 1},
		"another build by its id":        {named: []File{file(app, "1b7c1f5e-0000-4000-a000-000000000001", "1")}, file: app, id: id, want: -1, why: "belong to another build: their debug id is 1b7c"},
		"a bundle without the id it has": {named: []File{file(app, "", "1")}, file: app, id: id, want: -1, why: "carries no debug id, but the loaded one does"},
		"a map alone":                    {named: []File{{Address: app, Build: "1", Bare: true}}, file: app, id: id},
		"end of a path":                  {named: []File{file("dist/app.js", "", "1")}, file: "file:///srv/quayside/dist/app.js"},
		"the longer end":                 {named: []File{file("app.js", "", "1"), file("b/app.js", "", "2"), file("c/b/app.js", "", "3")}, file: "/srv/x/b/app.js", want: 1},
		"another host":                   {named: []File{file(app, "", "1")}, file: "https://third.example/assets/app.js", want: -1, why: "not for https://third.example"},
		"any host":                       {named: []File{file("https://*.example/assets/app.js", "", "1")}, file: app},
		"any host of another place":      {named: []File{file("https://*.example/assets/app.js", "", "1")}, file: "https://quayside.test/assets/app.js", want: -1, why: "but not for"},
		"any directory":                  {named: []File{file("static/*/app.js", "", "1")}, file: "https://quayside.example/static/4.2/app.js"},
		"any directory of another":       {named: []File{file("static/*/app.js", "", "1")}, file: "https://quayside.example/moving/4.2/app.js", want: -1, why: "but not for"},
		"a part of a directory's name":   {named: []File{file("b/app.js", "", "1")}, file: "/srv/xb/app.js", want: -1, why: "but not for"},
	} {
		t.Run(name, func(t *testing.T) {
			got, byID, miss := Choose(Wanted{File: c.file, DebugID: c.id, Project: "quayside", Release: "4.2.0", InRelease: len(c.named) + 1, Named: c.named, WithID: c.with})
			if got != c.want || byID != c.byID || !strings.Contains(miss.Text, c.why) || (c.why == "") != (miss.Reason == "") {
				t.Errorf("Choose = %d, %v, %q, want %d, %v, %q", got, byID, miss, c.want, c.byID, c.why)
			}
		})
	}
	if _, _, why := Choose(Wanted{File: "a.js", Project: "quayside", Release: "4.2.0"}); !strings.Contains(why.Text, "firethorn symbols push --project quayside --release 4.2.0") {
		t.Errorf("without symbols it says %q", why)
	}
	if _, _, why := Choose(Wanted{File: "a.js", InRelease: 1}); !strings.Contains(why.Text, "names no release") {
		t.Errorf("without a release it says %q", why)
	}
}

func TestClosest(t *testing.T) {
	files := []File{{Address: "https://quayside.example/assets/index-DfNJ.js"}, {Address: "https://quayside.example/assets/berths-x1.js"}, {Address: "old/index-a.js"}}
	for file, want := range map[string]string{
		"https://quayside.example/assets/berths-zz.js": files[1].Address, "https://quayside.example/app/index-a.js": files[2].Address, "/srv/other.js": "", "": "",
	} {
		if got := Closest(files, file); got != want {
			t.Errorf("closest to %q is %q, want %q", file, got, want)
		}
	}
}

func TestSourcePath(t *testing.T) {
	for in, want := range map[string]string{
		"../../src/timetable/tides.ts": "src/timetable/tides.ts", "webpack://app/./src/a.ts": "app/./src/a.ts", "../../../node_modules/@a/b/c.js": "node_modules/@a/b/c.js", "src/a.ts": "src/a.ts",
	} {
		if got := SourcePath(in); got != want {
			t.Errorf("SourcePath(%q) = %q, want %q", in, got, want)
		}
	}
}

// One event of ten frames against a build of 13 kB, its map decoded.
func BenchmarkEvent(b *testing.B) {
	units := load(b)
	stack := "TypeError: x" + strings.Repeat("\n    at H (https://quayside.example/assets/index.js:2:8671)", 10)
	e := &event.Event{Exceptions: []event.Exception{{Type: "TypeError", Message: "x", Stack: stack}}}
	b.Run("frames=10/map=hot", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			Event(e, units, Options{})
		}
	})
}

func TestNearest(t *testing.T) {
	files := []File{{Address: "1.0.0/assets/app.js", DebugID: "id-1"}, {Address: "1.1.0/assets/app.js", DebugID: "id-2"}, {Address: "other/app.js"}, {Address: "vendor/lib.js"}}
	for name, c := range map[string]struct {
		file, debugID, release string
		want                   int
	}{
		"by debug id":            {"https://quayside.example/x.js", "id-1", "", 0},
		"the longest end":        {"https://quayside.example/assets/app.js", "", "", 1},
		"and the release's":      {"https://quayside.example/assets/app.js", "", "1.0.0", 0},
		"the name alone":         {"https://cdn.example/v3/lib.js?x=1", "", "9", 3},
		"longer before release":  {"file:///srv/other/app.js", "", "1.0.0", 2},
		"a part of a name isn't": {"https://quayside.example/myapp.js", "", "", -1},
	} {
		if got := Nearest(files, c.file, c.debugID, c.release); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
}
