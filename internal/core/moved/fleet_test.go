package moved_test

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
	"firethorn/internal/core/moved"
	"firethorn/internal/core/release"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
	"firethorn/internal/measure"
)

// builds has the symbols of the corpus by release and name of the generated file.
type builds struct {
	by      map[string]map[string]*symbols.File
	current string
}

func (b *builds) Failed(err error) { panic(err) }

func (b *builds) File(path, _ string) (*symbols.File, string) {
	if f := b.by[b.current][filepath.Base(path)]; f != nil {
		return f, ""
	}
	return nil, "no symbols for " + path
}

func (b *builds) Before(x, y string) bool {
	return release.CompareVersions(release.Parse(x), release.Parse(y)) < 0
}

func (b *builds) Sources(name string) moved.Sources { return sourcesOf(b.by[name]) }

type sourcesOf map[string]*symbols.File

func (s sourcesOf) Named(name string) (out []moved.Placed, known bool) {
	for _, f := range s {
		list, err := symbolicate.Named(f, name)
		if err != nil {
			panic(err)
		}
		for _, p := range list {
			out = append(out, moved.Placed{Module: blame.Module(event.Frame{File: symbolicate.SourcePath(p.Source)}), Text: p.Digest})
		}
		known = true
	}
	return out, known
}

func loadBuilds(t testing.TB, dir, again string) *builds {
	t.Helper()
	b := &builds{by: map[string]map[string]*symbols.File{}}
	files, err := filepath.Glob(filepath.Join(dir, again, "[0-9]*", "*.map"))
	if err != nil || len(files) == 0 {
		t.Fatalf("no maps in %s: %v", dir, err)
	}
	for _, file := range files {
		raw, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		code, _ := os.ReadFile(strings.TrimSuffix(file, ".map")) // not there: the map alone
		m, err := sourcemap.Parse(raw)
		if err != nil {
			t.Fatal(err)
		}
		compiled, _, err := symbols.Compile(m, code)
		if err != nil {
			t.Fatal(err)
		}
		f, err := symbols.Open(bytes.NewReader(compiled), int64(len(compiled)), 4<<20)
		if err != nil {
			t.Fatal(err)
		}
		name := filepath.Base(filepath.Dir(file))
		if b.by[name] == nil {
			b.by[name] = map[string]*symbols.File{}
		}
		b.by[name][strings.TrimSuffix(filepath.Base(file), ".map")] = f
	}
	return b
}

// met is one event: which bug it is, and how it is grouped.
type met struct {
	bug, engine, release string
	event                *event.Event
	frames               [][]event.Frame
	print                fingerprint.Result
	key                  fingerprint.Key
}

// group reads events of a file as `fingerprint` does, with what all teach of
// helpers and the moves of functions.
func group(t testing.TB, file string, b *builds) []*met {
	t.Helper()
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	var list []*met
	helpers := blame.NewHelpers()
	s := bufio.NewScanner(bytes.NewReader(raw))
	s.Buffer(nil, 1<<24)
	for s.Scan() {
		e, err := event.Decode(bytes.Clone(s.Bytes()), event.DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		stacktrace.Expand(e, event.DefaultLimits)
		b.current = e.Release()
		m := &met{bug: e.Attributes.Text("bug"), engine: e.Attributes.Text("engine"), release: e.Release(), event: e, frames: symbolicate.Event(e, b, symbolicate.Options{})}
		helpers.Learn(e, m.frames)
		list = append(list, m)
	}
	var seen []moved.Seen
	for _, m := range list {
		blame.Again(m.event.Exceptions, m.frames, helpers)
		m.print = fingerprint.ComputeWith(fingerprint.Version, m.event, m.frames, helpers)
		m.key = m.print.Key
		b.current = m.release
		symbolicate.Digests(m.event, m.frames, b)
		if o, ok := moved.OriginOf(&m.print, m.frames); ok {
			seen = append(seen, moved.Seen{Key: m.key, Release: m.release, Origin: o})
		}
	}
	follows := moved.Group(seen, b)
	same := func(k fingerprint.Key) fingerprint.Key {
		if f, ok := follows[k]; ok {
			return f.Key
		}
		return k
	}
	var prints []*fingerprint.Result
	for _, m := range list {
		prints = append(prints, &m.print)
	}
	whole := fingerprint.Whole(prints, same)
	for _, m := range list {
		if k, ok := whole[m.key]; ok {
			m.key = k
		} else {
			m.key = same(m.key)
		}
	}
	return list
}

// Bugs of corpus/fleet: applications of another kind than those that the
// algorithms were made on. FIRETHORN_FLEET names the directory that
// `node corpus/fleet/run.mjs` wrote. What is wrong is told of the half that is
// looked at; of the other one figures alone.
func TestGroup_OfAnotherKindOfApplication(t *testing.T) {
	dir := os.Getenv("FIRETHORN_FLEET")
	if dir == "" {
		t.Skip("FIRETHORN_FLEET names no corpus")
	}
	raw, err := os.ReadFile(filepath.Join(dir, "seen"))
	if err != nil {
		t.Fatal(err)
	}
	looked := strings.Split(strings.TrimSpace(string(raw)), "\n")
	for _, maps := range []string{"maps", "alone"} {
		for _, again := range []string{"", "again"} {
			file := map[string]string{"": "events.ndjson", "again": "again.ndjson"}[again]
			all := group(t, filepath.Join(dir, file), loadBuilds(t, filepath.Join(dir, maps), again))
			var half [2][]*met
			for _, m := range all {
				h := 1
				if slices.Contains(looked, m.bug) {
					h = 0
				}
				half[h] = append(half[h], m)
			}
			for h, list := range half {
				report(t, fmt.Sprintf("%s %s %s", maps, again, []string{"looked at", "not looked at"}[h]), list, h == 0)
			}
		}
	}
}

func report(t *testing.T, name string, list []*met, tell bool) {
	t.Helper()
	var labelled []measure.Labelled
	for _, m := range list {
		labelled = append(labelled, measure.Labelled{Bug: m.bug, Issue: fmt.Sprintf("%x", m.key)})
	}
	a := measure.Of(labelled)
	t.Logf("%s: %v", name, a)
	if !tell {
		return
	}
	for _, bugs := range a.Merged {
		t.Logf("%s: merged: %q", name, bugs)
	}
	for bug, issues := range a.Pieces {
		t.Logf("%s: in pieces: %s\n        %s", name, bug, strings.Join(piecesOf(list, bug, issues), "\n        "))
	}
}

// piecesOf says of each issue of a bug what its events have in common.
func piecesOf(list []*met, bug string, issues []string) (out []string) {
	for _, issue := range issues {
		in, parts := map[string]int{}, []string(nil)
		for _, m := range list {
			if m.bug != bug || fmt.Sprintf("%x", m.key) != issue {
				continue
			}
			in[m.engine+" "+m.release]++
			parts = nil
			for _, p := range m.print.Parts {
				parts = append(parts, p.What+"="+p.Value)
			}
		}
		out = append(out, fmt.Sprintf("%v %q", in, parts))
	}
	return out
}
