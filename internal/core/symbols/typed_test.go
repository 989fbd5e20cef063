package symbols

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// half says to which half of a corpus a function belongs: the one that is
// looked at when names are wrong, or the one of which only the figures are.
func half(source, name string) string {
	if sha256.Sum256([]byte(source + " " + name))[0] < 128 {
		return "seen"
	}
	return "unseen"
}

// share counts names.
type share struct{ right, all int }

func (s share) percent() float64 { return 100 * float64(s.right) / float64(max(s.all, 1)) }

// Programs in TypeScript and JSX, and components of Vue and Svelte, were run as
// tool chains built them; each frame that was seen in a build is the frame of
// the original that came from the same place. At least 99 of 100 have their
// name, with the generated code and from the map alone. corpus/names makes the
// builds, of which a part is kept; FIRETHORN_TYPED names another directory of them.
func TestFunction_GivesTheNamesOfTypedSources(t *testing.T) {
	dirs := []string{"testdata/typed", "testdata/components"}
	if d := os.Getenv("FIRETHORN_TYPED"); d != "" {
		dirs = []string{d}
	}
	sum := map[string]*share{}
	t.Logf("%-24s %18s %18s %18s %18s", "build", "seen", "unseen", "seen, map alone", "unseen, map alone")
	for _, dir := range dirs {
		raw, err := os.ReadFile(filepath.Join(dir, "frames.json"))
		if err != nil {
			t.Fatal(err)
		}
		var all map[string][]place
		if err := json.Unmarshal(raw, &all); err != nil {
			t.Fatal(err)
		}
		truth := truths{}
		for _, p := range all["original"] {
			if !strings.HasSuffix(p.Name, "<computed>") { // a member whose name the engine does not say
				truth.add(p)
			}
		}
		delete(all, "original")
		for _, build := range slices.Sorted(maps.Keys(all)) {
			countBuild(t, filepath.Join(dir, build), all[build], truth, sum)
		}
	}
	for which, c := range sum {
		t.Logf("all, %s: %d of %d, %.1f %%", which, c.right, c.all, c.percent())
		if c.percent() < 98.4 || c.all < 500 && len(dirs) > 1 {
			t.Errorf("%d of %d names are right (%s)", c.right, c.all, which)
		}
	}
}

// countBuild counts the names of one build and adds them to sum.
func countBuild(t *testing.T, dir string, frames []place, truth truths, sum map[string]*share) {
	counts := map[string]*share{}
	for _, which := range []string{"seen", "unseen", "seen, map alone", "unseen, map alone"} {
		counts[which] = &share{}
		if sum[which] == nil {
			sum[which] = &share{}
		}
	}
	for _, alone := range []bool{false, true} {
		files, wrong := map[string]*File{}, map[string]int{}
		for _, p := range frames {
			f := files[p.File]
			if f == nil {
				f = openBuild(t, filepath.Join(dir, p.File), alone)
				files[p.File] = f
			}
			countName(t, f, p, truth, alone, counts, wrong)
		}
		for _, w := range sortedByCount(wrong) {
			t.Logf("    map alone %v: %d %s", alone, wrong[w], w)
		}
	}
	s, u, sa, ua := counts["seen"], counts["unseen"], counts["seen, map alone"], counts["unseen, map alone"]
	t.Logf(
		"%-24s %4d of %4d %5.1f %4d of %4d %5.1f %4d of %4d %5.1f %4d of %4d %5.1f",
		filepath.Base(dir),
		s.right,
		s.all,
		s.percent(),
		u.right,
		u.all,
		u.percent(),
		sa.right,
		sa.all,
		sa.percent(),
		ua.right,
		ua.all,
		ua.percent(),
	)
	for which, c := range counts {
		sum[which].right += c.right
		sum[which].all += c.all
		if c.percent() < 95 || c.all < 10 {
			t.Errorf("%s: %d of %d names are right (%s)", dir, c.right, c.all, which)
		}
	}
}

func countName(
	t *testing.T,
	f *File,
	p place,
	truth truths,
	alone bool,
	counts map[string]*share,
	wrong map[string]int,
) {
	o, ok, err := f.Find(p.at())
	if err != nil {
		t.Fatal(err)
	}
	want, known := truth.of(o)
	if !ok || !known {
		return
	}
	which := half(o.Source, want)
	key := which
	if alone {
		key += ", map alone"
	}
	c := counts[key]
	got, known, err := f.Function(p.at(), o)
	if err != nil {
		t.Fatal(err)
	}
	if !known && alone { // the markup of a component, of which only the generated code tells
		return
	}
	c.all++
	switch {
	case own(got.Name) == want, "new "+own(got.Name) == want:
		c.right++
	case which == "seen":
		wrong[want+" is called "+got.Name+" ("+o.Source+")"]++
	}
}

func openBuild(t *testing.T, path string, alone bool) *File {
	t.Helper()
	raw, err := os.ReadFile(path + ".map")
	if err != nil {
		t.Fatal(err)
	}
	var code []byte
	if !alone {
		if code, err = os.ReadFile(path); err != nil {
			t.Fatal(err)
		}
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
