package mariadb

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"github.com/google/uuid"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/pipeline"
)

// told files events of own frames, innermost first, and gives the number of
// issues there are then.
func (b *bench) told(message string, functions ...string) int64 {
	b.t.Helper()
	var frames []any
	for i, f := range functions {
		frames = append(frames, map[string]any{"function": f, "file": fmt.Sprintf("src/%s.ts", f), "line": i + 1})
	}
	raw, err := json.Marshal(map[string]any{"exceptions": []any{map[string]any{"type": "GateError", "message": message, "frames": frames}}})
	if err != nil {
		b.t.Fatal(err)
	}
	if err := b.Append(b.t.Context(), b.project.ID, &pipeline.Batch{Received: b.now, IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{raw}}); err != nil {
		b.t.Fatal(err)
	}
	if _, err := b.File(b.t.Context(), b.filing()); err != nil {
		b.t.Fatal(err)
	}
	return b.one("SELECT COUNT(*) FROM issue")
}

// A function that many others call to fail on their behalf is found out: who
// calls it from then on has an issue of its own, and what was filed before
// stays where it is.
func TestFile_FindsOutWhoFailsOnBehalfOfOthers(t *testing.T) {
	b := open1(t, noon)
	for i, caller := range []string{"openGate", "closeGate", "countSeats"} {
		if n := b.told("shut", "barrier", caller); n != 1 {
			t.Fatalf("caller %d: %d issues", i+1, n)
		}
	}
	if n := b.told("shut", "barrier", "callCrew"); n != 2 {
		t.Fatalf("the fourth caller: %d issues", n)
	}
	if n := b.told("shut", "barrier", "ringBell"); n != 3 {
		t.Errorf("the fifth caller: %d issues", n)
	}
	for _, caller := range []string{"openGate", "closeGate", "callCrew", "callCrew", "ringBell"} {
		if n := b.told("shut", "barrier", caller); n != 3 {
			t.Errorf("%s again: %d issues", caller, n)
		}
	}
	if got := b.one("SELECT COUNT(*) FROM issue_list WHERE headline='GateError in callCrew' AND events=3"); got != 1 {
		t.Errorf("the issue of the fourth caller is not called by it")
	}
	if got := b.one("SELECT events FROM issue_list ORDER BY issue LIMIT 1"); got != 5 {
		t.Errorf("%d events in the first issue, want 5", got)
	}
	// A mistake in the function itself is its own, however many call it.
	for _, caller := range []string{"a1", "b2", "c3", "d4", "e5", "f6"} {
		if n := b.told("Cannot read properties of undefined (reading 'gate')", "locate", caller+"Caller"); n != 4 {
			t.Errorf("%s: %d issues", caller, n)
		}
	}
	// One whose name says that it asks for others is found out at the second.
	b.told("GET /gates was answered with 500", "fetchJson", "drawGates")
	if n := b.told("GET /seats was answered with 500", "fetchJson", "drawSeats"); n != 6 {
		t.Errorf("a second caller of fetchJson: %d issues", n)
	}
	b.recounted()
}

// older makes what is there look as an earlier algorithm would have left it:
// other keys, an earlier number.
func (b *bench) older() {
	b.t.Helper()
	for _, q := range []string{
		"UPDATE alias SET grouping_version=1, hash=UNHEX(MD5(hash))", "UPDATE variant SET grouping_version=1, hash=UNHEX(MD5(hash)), fingerprint=UNHEX(MD5(fingerprint))",
		"UPDATE project SET grouping_version=1",
	} {
		if _, err := b.db.ExecContext(b.t.Context(), q); err != nil {
			b.t.Fatal(err)
		}
	}
}

// printed is the Printer of a binary.
func (b *bench) printed(ctx context.Context, _ int, body []byte) (key, through fingerprint.Key, err error) {
	e, frames, err := pipeline.Read(ctx, b.project.Project, body, b.units)
	if err != nil {
		return key, through, err
	}
	print := fingerprint.Compute(fingerprint.Version, e, frames)
	if print.Caller != "" {
		through = print.Through(e, frames).Key
	}
	return print.Key, through, nil
}

// A binary with another grouping version finds the issues that are there.
func TestAdoptGrouping_RegroupsNothing(t *testing.T) {
	b := open1(t, noon)
	all := func() (issues int64) {
		for i := range 5 {
			b.told("shut", fmt.Sprintf("gate%cOpens", 'A'+i))
		}
		for _, caller := range []string{"openGate", "closeGate", "countSeats", "callCrew", "ringBell"} { // the last two have issues of their own
			issues = b.told("shut", "barrier", caller)
		}
		return issues
	}
	before := all()
	b.older()
	if n, err := b.AdoptGrouping(t.Context(), b.project.ID, fingerprint.Version, b.printed); err != nil || n != 10 {
		t.Fatalf("%d variants, %v", n, err)
	}
	if n, err := b.AdoptGrouping(t.Context(), b.project.ID, fingerprint.Version, b.printed); err != nil || n != 0 {
		t.Errorf("a second time: %d variants, %v", n, err)
	}
	if n := all(); n != before || before != 8 {
		t.Errorf("%d issues, there were %d", n, before)
	}
	if n := b.one("SELECT COUNT(*) FROM issue_list WHERE events=2"); n != 7 {
		t.Errorf("%d issues have both events, want 7", n)
	}
	if n := b.one("SELECT events FROM issue_list WHERE events>2"); n != 6 {
		t.Errorf("the issue of three callers has %d events, want 6", n)
	}
	b.recounted()
}
