package fingerprint_test

import (
	"bufio"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

// shelf has the symbols of the corpus by the name of the generated file.
type shelf map[string]*symbols.File

func (s shelf) Failed(err error) { panic(err) }

func (s shelf) File(path, _ string) (*symbols.File, string) {
	if f := s[filepath.Base(path)]; f != nil {
		return f, ""
	}
	return nil, "no symbols for " + path
}

func loadShelf(t testing.TB, dir string) shelf {
	t.Helper()
	s := shelf{}
	for _, pattern := range []string{"/maps/*/*.js", "/maps/*/*/*.js"} {
		files, err := filepath.Glob(dir + pattern)
		if err != nil {
			t.Fatal(err)
		}
		for _, file := range files {
			code, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			raw, err := os.ReadFile(file + ".map")
			if err != nil {
				t.Fatal(err)
			}
			m, err := sourcemap.Parse(raw)
			if err != nil {
				t.Fatal(err)
			}
			compiled, _, err := symbols.Compile(m, code)
			if err != nil {
				t.Fatal(err)
			}
			if s[filepath.Base(file)], err = symbols.Open(bytes.NewReader(compiled), int64(len(compiled)), 1<<20); err != nil {
				t.Fatal(err)
			}
		}
	}
	return s
}

// met is one event of the corpus: which bug it is, and how it is grouped.
type met struct {
	bug, engine, release string
	event                *event.Event
	frames               [][]event.Frame
	result               fingerprint.Result
}

func loadCorpus(t testing.TB, dir string, files ...string) []met {
	t.Helper()
	known := loadShelf(t, dir)
	var list []met
	helpers := blame.NewHelpers()
	for _, file := range files {
		raw, err := os.ReadFile(filepath.Join(dir, file))
		if err != nil {
			t.Fatal(err)
		}
		s := bufio.NewScanner(bytes.NewReader(raw))
		s.Buffer(nil, 1<<24)
		for s.Scan() {
			e, err := event.Decode(bytes.Clone(s.Bytes()), event.DefaultLimits)
			if err != nil {
				t.Fatal(err)
			}
			stacktrace.Expand(e, event.DefaultLimits)
			m := met{bug: e.Attributes.Text("bug"), engine: e.Attributes.Text("engine"), release: e.Release(), event: e, frames: symbolicate.Event(e, known, symbolicate.Options{})}
			helpers.Learn(e, m.frames)
			list = append(list, m)
		}
	}
	for i := range list {
		m := &list[i]
		blame.Again(m.event.Exceptions, m.frames, helpers)
		m.result = fingerprint.ComputeWith(fingerprint.Version, m.event, m.frames, helpers)
	}
	return list
}

// agreement is the adjusted Rand index of two labellings: 1 where they part
// the events alike, about 0 where they agree by chance.
func agreement(list []met) float64 {
	pairs := func(n float64) float64 { return n * (n - 1) / 2 }
	cells, bugs, issues := map[string]float64{}, map[string]float64{}, map[fingerprint.Key]float64{}
	for _, m := range list {
		cells[fmt.Sprintf("%s %x", m.bug, m.result.Key)]++
		bugs[m.bug]++
		issues[m.result.Key]++
	}
	var both, a, b float64
	for _, n := range cells {
		both += pairs(n)
	}
	for _, n := range bugs {
		a += pairs(n)
	}
	for _, n := range issues {
		b += pairs(n)
	}
	expected := a * b / pairs(float64(len(list)))
	return (both - expected) / ((a+b)/2 - expected)
}

// Some forty bugs were planted in programs that really ran: in three browsers,
// in Node, in Go and Java, in two releases between which everything moved, and
// minified once more by others (corpus/grouping makes it).
func TestCompute_FindsThePlantedBugs(t *testing.T) {
	dir := "testdata/corpus"
	if d := os.Getenv("FIRETHORN_PLANTED"); d != "" {
		dir = d
	}
	for name, files := range map[string][]string{"two releases": {"events.ndjson"}, "minified again": {"again.ndjson"}, "all": {"events.ndjson", "again.ndjson"}} {
		list := loadCorpus(t, dir, files...)
		byBug, byIssue := map[string]map[fingerprint.Key]*met{}, map[fingerprint.Key]map[string]int{}
		for i := range list {
			m := &list[i]
			if byBug[m.bug] == nil {
				byBug[m.bug] = map[fingerprint.Key]*met{}
			}
			byBug[m.bug][m.result.Key] = m
			if byIssue[m.result.Key] == nil {
				byIssue[m.result.Key] = map[string]int{}
			}
			byIssue[m.result.Key][m.bug]++
		}
		merged, split := 0, 0
		for _, bugs := range byIssue {
			if len(bugs) > 1 {
				merged++
				t.Logf("%s: merged: %v", name, bugs)
			}
		}
		for bug, issues := range byBug {
			if len(issues) > 1 {
				split++
				var as []string
				for _, m := range issues {
					as = append(as, fmt.Sprintf("%s %s %v", m.engine, m.release, values(m.result.Parts)))
				}
				slices.Sort(as)
				t.Logf("%s: split: %s into\n        %s", name, bug, strings.Join(as, "\n        "))
			}
		}
		ari := agreement(list)
		t.Logf("%s: %d events of %d bugs in %d issues; agreement %.4f, %d issues with more than one bug, %d bugs in more than one issue", name, len(list), len(byBug), len(byIssue), ari, merged, split)
		if ari < 0.97 || merged > 0 || len(byBug) < 30 {
			t.Errorf("%s: agreement %.4f, %d wrongly merged, %d bugs", name, ari, merged, len(byBug))
		}
	}
}

func values(parts []fingerprint.Part) (out []string) {
	for _, p := range parts {
		out = append(out, p.Value)
	}
	return out
}
