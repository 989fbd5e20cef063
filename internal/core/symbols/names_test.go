package symbols

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// place is a frame that really ran: where, and what V8 called its function.
type place struct {
	File         string
	Line, Column int
	Name         string
	Made         string // "new" in a constructor
}

func (p place) at() sourcemap.Pos {
	return sourcemap.Pos{Line: int32(p.Line - 1), Col: int32(p.Column - 1)}
}

// truth is the name of the function in the original program; "" for anonymous
// functions and what V8 puts in angle brackets, which is no function.
func (p place) truth() string {
	switch {
	case p.Made == "new" && p.Name != "":
		return "new " + p.Name
	case strings.HasPrefix(p.Name, "<"):
		return ""
	case strings.HasPrefix(p.Name, "["): // [Symbol.iterator]
		return p.Name
	}
	return p.Name[strings.LastIndexByte(p.Name, '.')+1:]
}

// own is a label without its class.
func own(label string) string {
	if strings.HasPrefix(label, "new ") || strings.HasPrefix(label, "[") {
		return label
	}
	if i := strings.LastIndex(label, ".["); i >= 0 {
		return label[i+1:]
	}
	return label[strings.LastIndexByte(label, '.')+1:]
}

// open compiles a build. When typed, its sources are called so that they are
// taken for no scripts: the functions of the built code are all there is.
func open(t testing.TB, dir, name string, typed bool) *File {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join(dir, name+".mjs.map"))
	if err != nil {
		t.Fatal(err)
	}
	if typed {
		raw = bytes.ReplaceAll(raw, []byte(`js",`), []byte(`js.raw",`))
		raw = bytes.ReplaceAll(raw, []byte(`js"]`), []byte(`js.raw"]`))
	}
	code, err := os.ReadFile(filepath.Join(dir, name+".mjs"))
	if err != nil {
		t.Fatal(err)
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		t.Fatal(err)
	}
	compiled, _, err := Compile(m, code)
	if err != nil {
		t.Fatal(err)
	}
	f, err := Open(bytes.NewReader(compiled), int64(len(compiled)), 16<<20)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// run is a program as it was written or built: the frames that were seen.
type run struct {
	build  string
	frames []place
}

// names are the names of the originals by place.
type truths map[sourcemap.Original]string

// several represents a line with more than one function.
const several = "\x00"

func (t truths) add(p place) {
	t[sourcemap.Original{Source: p.File, Pos: p.at()}] = p.truth()
	line := sourcemap.Original{Source: p.File, Pos: sourcemap.Pos{Line: p.at().Line, Col: -1}} // for maps that know no better
	if other, ok := t[line]; ok && other != p.truth() {
		t[line] = several
	} else {
		t[line] = p.truth()
	}
}

func (t truths) of(o sourcemap.Original) (name string, ok bool) {
	if name, ok = t[sourcemap.Original{Source: o.Source, Pos: o.Pos}]; !ok {
		name, ok = t[sourcemap.Original{Source: o.Source, Pos: sourcemap.Pos{Line: o.Pos.Line, Col: -1}}]
	}
	return name, ok && name != several
}

// A program was run as it was written and as four bundlers and two further
// minifiers built it; each frame that was seen in a build is the frame of the
// original that came from the same place. At least 98 of 100 have their name
// back. The builds are made by corpus/names; FIRETHORN_NAMES names another
// directory of them, such as one with real packages.
func TestFunction_GivesTheNamesOfTheOriginal(t *testing.T) {
	dir := "testdata/names"
	if d := os.Getenv("FIRETHORN_NAMES"); d != "" {
		dir = d
	}
	raw, err := os.ReadFile(filepath.Join(dir, "frames.json"))
	if err != nil {
		t.Fatal(err)
	}
	var all map[string][]place
	if err := json.Unmarshal(raw, &all); err != nil {
		t.Fatal(err)
	}
	truth := truths{}
	var runs []run
	for build, frames := range all {
		if build != "original" {
			runs = append(runs, run{build, frames})
			continue
		}
		for _, p := range frames {
			truth.add(p)
		}
	}
	slices.SortFunc(runs, func(a, b run) int { return strings.Compare(a.build, b.build) })
	for _, typed := range []bool{false, true} {
		t.Logf("typed sources: %v", typed)
		t.Logf("%-16s %6s %9s %6s %7s", "build", "frames", "compared", "right", "share")
		for _, r := range runs {
			share := 98
			if typed {
				share = typedShare[r.build]
			}
			compared, right := compare(t, open(t, dir, r.build, typed), r, truth)
			if compared < len(r.frames)*8/10 || right*100 < compared*share {
				t.Errorf("%s: %d of %d frames could be compared, %d of them have the right name", r.build, compared, len(r.frames), right)
			}
		}
	}
}

// typedShare is how many of 100 names are right at least where only the built
// code can be read: functions that are used once have gone into their callers,
// of which the small program is full, and a minifier that is given a coarse
// map cannot say where its functions came from.
var typedShare = map[string]int{"esbuild-plain": 98, "esbuild-min": 97, "rolldown-plain": 98, "rolldown-min": 97, "rollup-plain": 98, "rollup-terser": 85, "webpack-plain": 85, "webpack-min": 90, "rollup-swc": 75, "rollup-uglify": 50}

func compare(t *testing.T, f *File, r run, truth truths) (compared, right int) {
	wrong := map[string]int{}
	for _, p := range r.frames {
		o, ok, err := f.Find(p.at())
		if err != nil {
			t.Fatal(err)
		}
		plain := o
		plain.Source = strings.TrimSuffix(o.Source, ".raw")
		want, known := truth.of(plain)
		if !ok || !known {
			continue
		}
		got, _, err := f.Function(p.at(), o)
		if err != nil {
			t.Fatal(err)
		}
		compared++
		if own(got.Name) == want || "new "+own(got.Name) == want { // that a plain function was called with new stands at its caller
			right++
		} else {
			wrong[want+" is called "+got.Name+" ("+o.Source+")"]++
		}
	}
	t.Logf("%-16s %6d %9d %6d %6.1f%%", r.build, len(r.frames), compared, right, 100*float64(right)/float64(compared))
	for _, w := range sortedByCount(wrong) {
		t.Logf("    %4d %s", wrong[w], w)
	}
	return compared, right
}

func sortedByCount(m map[string]int) []string {
	var list []string
	for k := range m {
		list = append(list, k)
	}
	slices.SortFunc(list, func(a, b string) int {
		if m[a] != m[b] {
			return m[b] - m[a]
		}
		return strings.Compare(a, b)
	})
	return list[:min(len(list), 40)]
}
