package mariadb

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
)

func (b *bench) reader() Reader { return ReaderOf(b.project.Project, b.units) }

// lookedThrough lets moves arrive and splits be looked through.
func (b *bench) lookedThrough() {
	b.t.Helper()
	for more := true; more; {
		b.followed()
		var err error
		if more, err = b.LookThrough(b.t.Context(), b.project.ID, b.reader()); err != nil {
			b.t.Fatal(err)
		}
	}
}

func (b *bench) split(number int64, kind difference.Kind, name, value string) (int64, error) {
	b.t.Helper()
	d, err := difference.New(kind, name, value)
	if err != nil {
		b.t.Fatal(err)
	}
	return b.Split(b.t.Context(), b.project, number, d, b.reader(), maren)
}

// gate is an event of the gates: barrier fails, called by caller.
type gate struct {
	caller, message, lane, user, release string
	at                                   time.Time
}

func (b *bench) gates(list ...gate) {
	b.t.Helper()
	batch := &pipeline.Batch{Received: b.now}
	for _, g := range list {
		frames := []any{map[string]any{"function": "barrier", "file": "src/barrier.ts", "line": 4}}
		if g.caller != "" {
			frames = append(frames, map[string]any{"function": g.caller, "file": "src/gates.ts", "line": 30})
		}
		e := map[string]any{"exceptions": []any{map[string]any{"type": "GateError", "message": g.message, "frames": frames}},
			"attributes": map[string]any{"gate.lane": g.lane, "user.id": g.user}, "resource": map[string]any{"service.version": g.release}}
		if !g.at.IsZero() {
			e["time"] = g.at.Format(time.RFC3339Nano)
		}
		raw, err := json.Marshal(e)
		if err != nil {
			b.t.Fatal(err)
		}
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, raw)
	}
	if err := b.Append(b.t.Context(), b.project.ID, batch); err != nil {
		b.t.Fatal(err)
	}
	if _, err := b.File(b.t.Context(), b.filing()); err != nil {
		b.t.Fatal(err)
	}
}

// lanes files the same failure on two lanes, by users of one lane, of the
// other and of both.
func lanes(t *testing.T) *bench {
	b := open1(t, noon)
	b.gates(
		gate{"", "shut", "foot", "p-1", "4.1.0", noon.Add(-72 * time.Hour)},
		gate{"", "shut", "car", "p-2", "4.1.0", noon.Add(-50 * time.Hour)},
		gate{"", "shut", "foot", "p-2", "4.2.0", noon.Add(-3 * time.Hour)},
		gate{"", "shut", "car", "p-3", "4.2.0", noon.Add(-2 * time.Hour)},
		gate{"", "shut", "car", "p-3", "4.2.0", noon.Add(-time.Hour)},
	)
	return b
}

func TestSplit_ByAnAttributeMovesWhatItCanReadAndNewEventsFollow(t *testing.T) {
	b := lanes(t)
	before := *b.issue(1)
	n, err := b.split(1, difference.Attribute, "gate.lane", "car")
	if err != nil || n != 2 {
		t.Fatalf("issue %d, %v; want 2", n, err)
	}
	b.gates(gate{"", "shut", "car", "p-4", "4.2.1", noon}, gate{"", "shut", "foot", "p-4", "4.2.1", noon}) // while it is looked through
	b.recounted()
	if is := b.issue(2); is.Events != 1 || !is.Recounting {
		t.Errorf("at once: %d events, recounting %v; want 1 and true", is.Events, is.Recounting)
	}
	b.lookedThrough()
	b.recounted()
	b.wantCounts(1, 3, 3)
	b.wantCounts(2, 4, 3)
	one, two := b.issue(1), b.issue(2)
	if two.Recounting || !two.FirstSeen.Equal(noon.Add(-50*time.Hour)) || two.FirstRelease != "4.1.0" || two.LastRelease != "4.2.1" || two.State != issue.New {
		t.Errorf("the part: recounting %v, first %v in %s, last in %s, %s", two.Recounting, two.FirstSeen, two.FirstRelease, two.LastRelease, two.State)
	}
	if !one.FirstSeen.Equal(before.FirstSeen) || one.WindowUsers != 3 || two.WindowUsers != 3 {
		t.Errorf("the rest: first %v; users in the windows %d and %d", one.FirstSeen, one.WindowUsers, two.WindowUsers)
	}
	list, err := b.Splits(t.Context(), two.ID)
	if err != nil || len(list) != 1 || list[0].From != 1 || list[0].To != 2 || list[0].Looking || list[0].Looked != 5 || list[0].Stays != 0 {
		t.Errorf("it says of itself %+v, %v", list, err)
	}
	if err := b.undo(1); err != nil {
		t.Fatal(err)
	}
	b.gates(gate{"", "shut", "car", "p-5", "4.2.1", noon})
	b.lookedThrough()
	b.recounted()
	b.wantCounts(1, 8, 5)
	if is := b.issue(2); is.Number != 1 {
		t.Errorf("the number of the part leads to %d", is.Number)
	}
	if from, err := b.MergedFrom(t.Context(), b.issue(1).ID); err != nil || len(from) != 0 {
		t.Errorf("what was split off for a while is shown as merged: %v, %v", from, err)
	}
	if err := b.undo(2); err == nil || !strings.Contains(err.Error(), "leads to quayside/1 now") {
		t.Errorf("undone a second time, under the part's number: %v", err)
	}
}

// A function that is in the fingerprint's reach takes whole variants along:
// also their events whose bodies were never kept.
func TestSplit_ByACallerIsExactWithoutBodies(t *testing.T) {
	b := open1(t, noon)
	for range 3 {
		b.gates(gate{"openGate", "shut", "foot", "p-1", "4.1.0", noon.Add(-time.Hour)}, gate{"closeGate", "shut", "foot", "p-2", "4.1.0", noon.Add(-time.Hour)})
	}
	if _, err := b.db.Exec("UPDATE event SET has_body=0"); err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{"DELETE FROM event_body", "UPDATE variant SET bodies=0", "UPDATE issue_list SET bodies=0"} {
		if _, err := b.db.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	if n, err := b.split(1, difference.Frame, "", "closeGate"); err != nil || n != 2 {
		t.Fatalf("issue %d, %v", n, err)
	}
	b.gates(gate{"closeGate", "shut", "car", "p-3", "4.1.0", noon}, gate{"openGate", "shut", "car", "p-3", "4.1.0", noon})
	b.lookedThrough()
	b.recounted()
	b.wantCounts(1, 4, 2)
	b.wantCounts(2, 4, 2)
	if err := b.undo(2); err != nil {
		t.Fatal(err)
	}
	b.gates(gate{"closeGate", "shut", "car", "p-4", "4.1.0", noon})
	b.lookedThrough()
	b.recounted()
	b.wantCounts(1, 9, 4)
}

func TestSplit_SaysHowManyStayWithoutABody(t *testing.T) {
	b := open1(t, noon)
	var list []gate
	for i := range 400 {
		list = append(list, gate{"", "shut", []string{"foot", "car"}[i%2], fmt.Sprint("p-", i%50), "4.1.0", noon.Add(-time.Duration(i) * time.Minute)})
	}
	b.gates(list...)
	kept := b.one("SELECT SUM(has_body) FROM event")
	cars, err := b.split(1, difference.Attribute, "gate.lane", "car")
	if err != nil {
		t.Fatal(err)
	}
	b.chunk = 7
	b.lookedThrough()
	b.recounted()
	part, all := b.issue(cars), b.issue(1)
	splits, err := b.Splits(t.Context(), part.ID)
	if err != nil || len(splits) != 1 {
		t.Fatal(splits, err)
	}
	s := splits[0]
	// The slot of the newest may hold a body more than those that stand with events.
	if part.Events+all.Events != 400 || part.Events < kept/3 || s.Looked != kept || s.Stays < 400-kept-1 || s.Stays > 400-kept {
		t.Errorf("%d events of %d kept went, %d stay of %d; it says %d were looked at and %d stay without a body", part.Events, kept, all.Events, 400, s.Looked, s.Stays)
	}
	b.gates(gate{"", "shut", "car", "p-1", "4.1.0", noon})
	b.wantCounts(cars, part.Events+1, b.issue(cars).Users)
	b.recounted()
}

func TestSplit_OfAPartAndOutOfOrder(t *testing.T) {
	b := open1(t, noon)
	for _, lane := range []string{"foot", "car"} {
		for _, message := range []string{"shut at pier", "shut by tide"} {
			for range 2 {
				b.gates(gate{"", message, lane, "p-1", "4.1.0", noon.Add(-time.Hour)})
			}
		}
	}
	cars, err := b.split(1, difference.Attribute, "gate.lane", "car")
	if err != nil {
		t.Fatal(err)
	}
	b.lookedThrough()
	tides, err := b.split(cars, difference.Message, "", "shut by tide")
	if err != nil {
		t.Fatal(err)
	}
	b.lookedThrough()
	b.gates(gate{"", "shut by tide", "car", "p-1", "4.1.0", noon}, gate{"", "shut at pier", "car", "p-1", "4.1.0", noon}, gate{"", "shut by tide", "foot", "p-1", "4.1.0", noon})
	b.recounted()
	b.wantCounts(1, 5, 1)
	b.wantCounts(cars, 3, 1)
	b.wantCounts(tides, 3, 1)
	if err := b.undo(1); err == nil || !strings.Contains(err.Error(), "quayside/3 was split off from quayside/2 since") {
		t.Errorf("the earlier split is undone first: %v", err)
	}
	b.merge(cars, 1) // what remained joins its part
	if err := b.undo(tides); err != nil {
		t.Fatal(err)
	}
	b.lookedThrough()
	b.recounted()
	b.wantCounts(cars, 11, 1)
	if err := b.undo(1); err != nil { // the merge
		t.Fatal(err)
	}
	if err := b.undo(1); err != nil { // the first split
		t.Fatal(err)
	}
	b.lookedThrough()
	b.recounted()
	b.wantCounts(1, 11, 1)
}

func TestSplit_Refuses(t *testing.T) {
	b := lanes(t)
	if _, err := b.split(1, difference.Attribute, "gate.lane", "bicycle"); err == nil || !strings.Contains(err.Error(), "no kept event of quayside/1 fits (gate.lane is bicycle)") {
		t.Errorf("what no event has: %v", err)
	}
	if _, err := b.split(1, difference.Frame, "", "barrier"); err == nil || !strings.Contains(err.Error(), "nothing to split") {
		t.Errorf("what all events have: %v", err)
	}
	if n := b.one("SELECT COUNT(*) FROM issue"); n != 1 {
		t.Errorf("%d issues after refusals", n)
	}
}

// Grouping versions raised while parts are split off change nothing.
func TestSplit_StaysWhenAGroupingVersionIsAdopted(t *testing.T) {
	b := lanes(t)
	b.older()
	if _, err := b.split(1, difference.Attribute, "gate.lane", "car"); err != nil {
		t.Fatal(err)
	}
	b.lookedThrough()
	if _, err := b.AdoptGrouping(t.Context(), b.project.ID, fingerprint.Version, b.printed); err != nil {
		t.Fatal(err)
	}
	b.gates(gate{"", "shut", "car", "p-1", "4.2.1", noon}, gate{"", "shut", "foot", "p-1", "4.2.1", noon})
	b.recounted()
	b.wantCounts(1, 3, 2)
	b.wantCounts(2, 4, 3)
	if err := b.undo(2); err != nil {
		t.Fatal(err)
	}
	b.gates(gate{"", "shut", "car", "p-1", "4.2.1", noon})
	b.lookedThrough()
	b.recounted()
	b.wantCounts(1, 8, 3)
}

// Two people merge, split and undo at once, while events flow in.
func TestSplit_AndMergeAtOnceWhileEventsFlowIn(t *testing.T) {
	b := lanes(t)
	b.file(occur{function: "tideAt", user: "p-9", release: "4.1.0", at: noon})
	b.chunk = 3
	var people sync.WaitGroup
	stop := make(chan struct{})
	refused := func(err error) {
		if _, ok := errors.AsType[*fault.Error](err); err != nil && !ok {
			t.Error(err)
		}
	}
	people.Go(func() {
		for i := range 6 {
			d := difference.Difference{Kind: difference.Attribute, Name: "gate.lane", Value: []string{"car", "foot"}[i%2]}
			_, err := b.Split(t.Context(), b.project, 1, d, b.reader(), maren)
			refused(err)
			id, err := b.DecidedOn(t.Context(), b.project, 1)
			refused(err)
			if i%3 == 2 {
				refused(b.Act(t.Context(), id, issue.Action{Verb: issue.Undo}, "", maren, 0))
			}
		}
	})
	people.Go(func() {
		for i := range 6 {
			refused(b.Merge(t.Context(), b.project, []int64{int64(1 + i%3)}, 2, Actor{Kind: "person", Name: "Ines Brandt"}))
			id, err := b.DecidedOn(t.Context(), b.project, int64(1+i%3))
			refused(err)
			if i%2 == 1 && err == nil {
				refused(b.Act(t.Context(), id, issue.Action{Verb: issue.Undo}, "", Actor{Kind: "person", Name: "Ines Brandt"}, 0))
			}
		}
	})
	var upkeep sync.WaitGroup
	upkeep.Go(func() {
		for {
			select {
			case <-stop:
				return
			default:
			}
			if _, err := b.FollowMove(t.Context(), b.project.ID); err != nil {
				t.Error(err)
			}
			if _, err := b.LookThrough(t.Context(), b.project.ID, b.reader()); err != nil {
				t.Error(err)
			}
		}
	})
	for i := range 30 {
		b.gates(gate{"", "shut", []string{"car", "foot", "bicycle"}[i%3], fmt.Sprint("p-", i%7), "4.3.0", noon}, gate{"", "shut", "car", "p-8", "4.3.0", noon})
	}
	people.Wait()
	close(stop)
	upkeep.Wait()
	b.lookedThrough()
	b.recounted()
	if n := b.one("SELECT SUM(events) FROM issue_list"); n != 5+1+60 {
		t.Errorf("%d events are listed, want %d", n, 5+1+60)
	}
}
