package fingerprint_test

import (
	"bufio"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
	"firethorn/internal/measure"
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
		var labelled []measure.Labelled
		for _, m := range list {
			labelled = append(labelled, measure.Labelled{Bug: m.bug, Issue: fmt.Sprintf("%x", m.result.Key)})
		}
		a := measure.Of(labelled)
		for _, bugs := range a.Merged {
			t.Logf("%s: merged: %q", name, bugs)
		}
		for bug, issues := range a.Pieces {
			var as []string
			for _, m := range list {
				if m.bug == bug {
					as = append(as, fmt.Sprintf("%s %s %v", m.engine, m.release, values(m.result.Parts)))
				}
			}
			t.Logf("%s: %s is in %d issues:\n        %s", name, bug, len(issues), strings.Join(as, "\n        "))
		}
		t.Logf("%s: %v", name, a)
		if a.Index < 0.97 || len(a.Merged) > 0 || a.Bugs < 30 {
			t.Errorf("%s: %v", name, a)
		}
	}
}

func values(parts []fingerprint.Part) (out []string) {
	for _, p := range parts {
		out = append(out, p.Value)
	}
	return out
}
