package moves_test

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/testbed"
)

func TestSplit_ByAnAttributeMovesWhatItCanReadAndNewEventsFollow(t *testing.T) {
	b := testbed.Lanes(t)
	before := *b.Issue(1)
	n, err := b.Split(1, difference.Attribute, "gate.lane", "car")
	if err != nil || n != 2 {
		t.Fatalf("issue %d, %v; want 2", n, err)
	}
	b.Gates(testbed.Gate{Caller: "", Message: "shut", Lane: "car", User: "p-4", Release: "4.2.1", At: testbed.Noon}, testbed.Gate{Caller: "", Message: "shut", Lane: "foot", User: "p-4", Release: "4.2.1", At: testbed.Noon}) // while it is looked through
	b.Recounted()
	if is := b.Issue(2); is.Events != 1 || !is.Recounting {
		t.Errorf("at once: %d events, recounting %v; want 1 and true", is.Events, is.Recounting)
	}
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(1, 3, 3)
	b.WantCounts(2, 4, 3)
	one, two := b.Issue(1), b.Issue(2)
	if two.Recounting || !two.FirstSeen.Equal(testbed.Noon.Add(-50*time.Hour)) || two.FirstRelease != "4.1.0" || two.LastRelease != "4.2.1" || two.State != issue.New {
		t.Errorf("the part: recounting %v, first %v in %s, last in %s, %s", two.Recounting, two.FirstSeen, two.FirstRelease, two.LastRelease, two.State)
	}
	if !one.FirstSeen.Equal(before.FirstSeen) || one.WindowUsers != 3 || two.WindowUsers != 3 {
		t.Errorf("the rest: first %v; users in the windows %d and %d", one.FirstSeen, one.WindowUsers, two.WindowUsers)
	}
	list, err := b.Moves.Splits(t.Context(), two.ID)
	if err != nil || len(list) != 1 || list[0].From != 1 || list[0].To != 2 || list[0].Looking || list[0].Looked != 5 || list[0].Stays != 0 {
		t.Errorf("it says of itself %+v, %v", list, err)
	}
	if err := b.Undo(1); err != nil {
		t.Fatal(err)
	}
	b.Gates(testbed.Gate{Caller: "", Message: "shut", Lane: "car", User: "p-5", Release: "4.2.1", At: testbed.Noon})
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(1, 8, 5)
	if is := b.Issue(2); is.Number != 1 {
		t.Errorf("the number of the part leads to %d", is.Number)
	}
	if from, err := b.Issues.MergedFrom(t.Context(), b.Issue(1).ID); err != nil || len(from) != 0 {
		t.Errorf("what was split off for a while is shown as merged: %v, %v", from, err)
	}
	if err := b.Undo(2); err == nil || !strings.Contains(err.Error(), "now part of quayside/1") {
		t.Errorf("undone a second time, under the part's number: %v", err)
	}
}

// A function that is in the fingerprint's reach takes whole variants along:
// also their events whose bodies were never kept.
func TestSplit_ByACallerIsExactWithoutBodies(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for range 3 {
		b.Gates(testbed.Gate{Caller: "openGate", Message: "shut", Lane: "foot", User: "p-1", Release: "4.1.0", At: testbed.Noon.Add(-time.Hour)}, testbed.Gate{Caller: "closeGate", Message: "shut", Lane: "foot", User: "p-2", Release: "4.1.0", At: testbed.Noon.Add(-time.Hour)})
	}
	if _, err := b.DB.Exec("UPDATE event SET has_body=0"); err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{"DELETE FROM event_body", "UPDATE variant SET bodies=0", "UPDATE issue_list SET bodies=0"} {
		if _, err := b.DB.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	if n, err := b.Split(1, difference.Frame, "", "closeGate"); err != nil || n != 2 {
		t.Fatalf("issue %d, %v", n, err)
	}
	b.Gates(testbed.Gate{Caller: "closeGate", Message: "shut", Lane: "car", User: "p-3", Release: "4.1.0", At: testbed.Noon}, testbed.Gate{Caller: "openGate", Message: "shut", Lane: "car", User: "p-3", Release: "4.1.0", At: testbed.Noon})
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(1, 4, 2)
	b.WantCounts(2, 4, 2)
	if err := b.Undo(2); err != nil {
		t.Fatal(err)
	}
	b.Gates(testbed.Gate{Caller: "closeGate", Message: "shut", Lane: "car", User: "p-4", Release: "4.1.0", At: testbed.Noon})
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(1, 9, 4)
}

func TestSplit_SaysHowManyStayWithoutABody(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var list []testbed.Gate
	for i := range 400 {
		list = append(list, testbed.Gate{Caller: "", Message: "shut", Lane: []string{"foot", "car"}[i%2], User: fmt.Sprint("p-", i%50), Release: "4.1.0", At: testbed.Noon.Add(-time.Duration(i) * time.Minute)})
	}
	b.Gates(list...)
	kept := b.One("SELECT SUM(has_body) FROM event")
	cars, err := b.Split(1, difference.Attribute, "gate.lane", "car")
	if err != nil {
		t.Fatal(err)
	}
	b.Moves.Chunk = 7
	b.LookedThrough()
	b.Recounted()
	const wrong = "SELECT COUNT(*) FROM issue_release r JOIN (SELECT variant, app_release, MIN(thrown) a, MAX(thrown) z FROM event GROUP BY 1,2) e ON e.variant=r.variant AND e.app_release=r.app_release WHERE r.first_seen<>e.a OR r.last_seen<>e.z"
	if n := b.One(wrong); n != 0 {
		t.Errorf("%d releases are first or last seen when no event was", n)
	}
	part, all := b.Issue(cars), b.Issue(1)
	splits, err := b.Moves.Splits(t.Context(), part.ID)
	if err != nil || len(splits) != 1 {
		t.Fatal(splits, err)
	}
	s := splits[0]
	// The slot of the newest may hold a body more than those that stand with events.
	if part.Events+all.Events != 400 || part.Events < kept/3 || s.Looked != kept || s.Stays < 400-kept-1 || s.Stays > 400-kept {
		t.Errorf("%d events of %d kept went, %d stay of %d; it says %d were looked at and %d stay without a body", part.Events, kept, all.Events, 400, s.Looked, s.Stays)
	}
	b.Gates(testbed.Gate{Caller: "", Message: "shut", Lane: "car", User: "p-1", Release: "4.1.0", At: testbed.Noon})
	b.WantCounts(cars, part.Events+1, b.Issue(cars).Users)
	b.Recounted()
}

func TestSplit_OfAPartAndOutOfOrder(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for _, lane := range []string{"foot", "car"} {
		for _, message := range []string{"shut at pier", "shut by tide"} {
			for range 2 {
				b.Gates(testbed.Gate{Caller: "", Message: message, Lane: lane, User: "p-1", Release: "4.1.0", At: testbed.Noon.Add(-time.Hour)})
			}
		}
	}
	cars, err := b.Split(1, difference.Attribute, "gate.lane", "car")
	if err != nil {
		t.Fatal(err)
	}
	b.LookedThrough()
	tides, err := b.Split(cars, difference.Message, "", "shut by tide")
	if err != nil {
		t.Fatal(err)
	}
	b.LookedThrough()
	b.Gates(testbed.Gate{Caller: "", Message: "shut by tide", Lane: "car", User: "p-1", Release: "4.1.0", At: testbed.Noon}, testbed.Gate{Caller: "", Message: "shut at pier", Lane: "car", User: "p-1", Release: "4.1.0", At: testbed.Noon}, testbed.Gate{Caller: "", Message: "shut by tide", Lane: "foot", User: "p-1", Release: "4.1.0", At: testbed.Noon})
	b.Recounted()
	b.WantCounts(1, 5, 1)
	b.WantCounts(cars, 3, 1)
	b.WantCounts(tides, 3, 1)
	if err := b.Undo(1); err == nil || !strings.Contains(err.Error(), "quayside/3 was split off from quayside/2 since") {
		t.Errorf("the earlier split is undone first: %v", err)
	}
	b.Merge(cars, 1) // what remained joins its part
	if err := b.Undo(tides); err != nil {
		t.Fatal(err)
	}
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(cars, 11, 1)
	if err := b.Undo(1); err != nil { // the merge
		t.Fatal(err)
	}
	if err := b.Undo(1); err != nil { // the first split
		t.Fatal(err)
	}
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(1, 11, 1)
}

func TestSplit_Refuses(t *testing.T) {
	b := testbed.Lanes(t)
	if _, err := b.Split(1, difference.Attribute, "gate.lane", "bicycle"); err == nil || !strings.Contains(err.Error(), "no kept event of quayside/1 matches (gate.lane is bicycle)") {
		t.Errorf("what no event has: %v", err)
	}
	if _, err := b.Split(1, difference.Frame, "", "barrier"); err == nil || !strings.Contains(err.Error(), "nothing to split") {
		t.Errorf("what all events have: %v", err)
	}
	if n := b.One("SELECT COUNT(*) FROM issue"); n != 1 {
		t.Errorf("%d issues after refusals", n)
	}
}

// Grouping versions raised while parts are split off change nothing.
func TestSplit_StaysWhenAGroupingVersionIsAdopted(t *testing.T) {
	b := testbed.Lanes(t)
	b.Older()
	if _, err := b.Split(1, difference.Attribute, "gate.lane", "car"); err != nil {
		t.Fatal(err)
	}
	b.LookedThrough()
	if _, err := b.Regrouping.AdoptGrouping(t.Context(), b.Project.ID, fingerprint.Version, b.Printed); err != nil {
		t.Fatal(err)
	}
	b.Gates(testbed.Gate{Caller: "", Message: "shut", Lane: "car", User: "p-1", Release: "4.2.1", At: testbed.Noon}, testbed.Gate{Caller: "", Message: "shut", Lane: "foot", User: "p-1", Release: "4.2.1", At: testbed.Noon})
	b.Recounted()
	b.WantCounts(1, 3, 2)
	b.WantCounts(2, 4, 3)
	if err := b.Undo(2); err != nil {
		t.Fatal(err)
	}
	b.Gates(testbed.Gate{Caller: "", Message: "shut", Lane: "car", User: "p-1", Release: "4.2.1", At: testbed.Noon})
	b.LookedThrough()
	b.Recounted()
	b.WantCounts(1, 8, 3)
}

// Two people merge, split and undo at once, while events flow in.
func TestSplit_AndMergeAtOnceWhileEventsFlowIn(t *testing.T) {
	b := testbed.Lanes(t)
	b.File(testbed.Event{Function: "tideAt", User: "p-9", Release: "4.1.0", At: testbed.Noon})
	b.Moves.Chunk = 3
	var people sync.WaitGroup
	stop := make(chan struct{})
	refused := func(err error) {
		if _, ok := errors.AsType[*problem.Error](err); err != nil && !ok {
			t.Error(err)
		}
	}
	people.Go(func() {
		for i := range 6 {
			d := difference.Difference{Kind: difference.Attribute, Name: "gate.lane", Value: []string{"car", "foot"}[i%2]}
			_, err := b.Moves.Split(t.Context(), b.Project, 1, d, b.Reader(), testbed.Maren)
			refused(err)
			id, err := b.Issues.DecidedOn(t.Context(), b.Project, 1)
			refused(err)
			if i%3 == 2 {
				refused(b.Triage.Act(t.Context(), id, issue.Action{Verb: issue.Undo}, "", testbed.Maren, 0))
			}
		}
	})
	people.Go(func() {
		for i := range 6 {
			refused(b.Moves.Merge(t.Context(), b.Project, []int64{int64(1 + i%3)}, 2, accounts.Actor{Kind: "person", Name: "Ines Brandt"}))
			id, err := b.Issues.DecidedOn(t.Context(), b.Project, int64(1+i%3))
			refused(err)
			if i%2 == 1 && err == nil {
				refused(b.Triage.Act(t.Context(), id, issue.Action{Verb: issue.Undo}, "", accounts.Actor{Kind: "person", Name: "Ines Brandt"}, 0))
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
			if _, err := b.Moves.FollowMove(t.Context(), b.Project.ID); err != nil {
				t.Error(err)
			}
			if _, err := b.Moves.LookThrough(t.Context(), b.Project.ID, b.Reader()); err != nil {
				t.Error(err)
			}
		}
	})
	for i := range 30 {
		b.Gates(testbed.Gate{Caller: "", Message: "shut", Lane: []string{"car", "foot", "bicycle"}[i%3], User: fmt.Sprint("p-", i%7), Release: "4.3.0", At: testbed.Noon}, testbed.Gate{Caller: "", Message: "shut", Lane: "car", User: "p-8", Release: "4.3.0", At: testbed.Noon})
	}
	people.Wait()
	close(stop)
	upkeep.Wait()
	b.LookedThrough()
	b.Recounted()
	if n := b.One("SELECT SUM(events) FROM issue_list"); n != 5+1+60 {
		t.Errorf("%d events are listed, want %d", n, 5+1+60)
	}
}
