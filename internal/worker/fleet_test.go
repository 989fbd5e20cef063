package worker

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/measure"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/symbolstore"
)

// fleetEvent is an event of corpus/fleet.
type fleetEvent struct {
	id           uuid.UUID
	bug, release string
	raw          json.RawMessage
	issue        int64
	head         string // headline and place of the issue
}

func readFleet(t *testing.T, file string) (out []*fleetEvent) {
	t.Helper()
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	now := time.Now().UTC().Add(-time.Hour).Format(time.RFC3339)
	for _, line := range bytes.Split(bytes.TrimSpace(raw), []byte("\n")) {
		var e struct {
			Attributes struct{ Bug string }
			Resource   map[string]string
		}
		if err := json.Unmarshal(line, &e); err != nil {
			t.Fatal(err)
		}
		line = bytes.Replace(line, []byte("2026-11-23T08:00:00Z"), []byte(now), 1)
		out = append(out, &fleetEvent{uuid.New(), e.Attributes.Bug, e.Resource["service.version"], line, 0, ""})
	}
	return out
}

// pushFleet pushes the symbols of one release, bundles with their maps or maps alone.
func (b *bench) pushFleet(t *testing.T, dir, release string) {
	t.Helper()
	maps, err := filepath.Glob(filepath.Join(dir, release, "*.map"))
	if err != nil || len(maps) == 0 {
		t.Fatalf("no maps of %s: %v", release, err)
	}
	var files []symbolstore.PushedFile
	for _, name := range maps {
		var contents [][]byte
		for _, part := range []string{name, strings.TrimSuffix(name, ".map")} {
			raw, err := os.ReadFile(part)
			if err == nil {
				contents = append(contents, raw)
			}
		}
		hashes, err := b.Symbols.PutSymbols(t.Context(), b.project.ID, contents)
		if err != nil {
			t.Fatal(err)
		}
		f := symbolstore.PushedFile{Address: strings.TrimSuffix(filepath.Base(name), ".map"), Map: hashes[0]}
		if len(hashes) > 1 {
			f.Bundle = hashes[1]
		}
		files = append(files, f)
	}
	if _, err := b.Symbols.AddSymbolFiles(t.Context(), b.project.ID, release, files); err != nil {
		t.Fatal(err)
	}
	for more := true; more; {
		if more, err = b.w.Units.CompileSome(t.Context(), b.project.ID, time.Minute); err != nil {
			t.Fatal(err)
		}
	}
}

// Grouping of corpus/fleet in the service: one release after the other, events
// in any order. FIRETHORN_FLEET names the corpus.
func TestRun_GroupsAnotherKindOfApplication(t *testing.T) {
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
		b := prepare(t)
		all := readFleet(t, filepath.Join(dir, "events.ndjson"))
		for _, release := range []string{"1.0.0", "1.1.0", "1.2.0"} {
			b.pushFleet(t, filepath.Join(dir, maps), release)
			b.w.Units.Forget(b.project.ID)
			batch := &pipeline.Batch{Received: time.Now().UTC()}
			order := rand.New(rand.NewPCG(1, 2)).Perm(len(all))
			for _, i := range order {
				if e := all[i]; e.release == release {
					batch.IDs, batch.Events = append(batch.IDs, e.id), append(batch.Events, e.raw)
				}
			}
			for i := 0; i < len(batch.IDs); i += 50 {
				if err := b.Inbox.Append(t.Context(), b.project.ID, batch.Part(i, min(i+50, len(batch.IDs)))); err != nil {
					t.Fatal(err)
				}
			}
			b.run(t)
			for more := true; more; {
				if more, err = b.Moves.FollowMoved(t.Context(), b.project, b.w.Units, nil); err != nil {
					t.Fatal(err)
				}
			}
		}
		for _, e := range all {
			row, err := b.Events.Event(t.Context(), b.project, e.id)
			if err != nil {
				t.Fatal(err)
			}
			e.issue = row.Issue
			is, err := b.Issues.Issue(t.Context(), b.project, row.Issue)
			if err != nil {
				t.Fatal(err)
			}
			e.head = is.Headline + " " + is.Place
		}
		for h, name := range []string{"looked at", "not looked at"} {
			var half []*fleetEvent
			for _, e := range all {
				if slices.Contains(looked, e.bug) == (h == 0) {
					half = append(half, e)
				}
			}
			reportFleet(t, maps+" "+name, half, h == 0)
		}
	}
}

func reportFleet(t *testing.T, name string, list []*fleetEvent, tell bool) {
	t.Helper()
	var labelled []measure.Labelled
	heads := map[string]string{}
	for _, e := range list {
		issue := fmt.Sprint(e.issue)
		heads[issue] = e.head
		labelled = append(labelled, measure.Labelled{Bug: e.bug, Issue: issue})
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
		var as []string
		for _, issue := range issues {
			as = append(as, issue+" "+heads[issue])
		}
		t.Logf("%s: in pieces: %s: %q", name, bug, as)
	}
}
