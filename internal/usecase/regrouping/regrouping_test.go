package regrouping_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/regrouping"
)

const byLane = "grouping: [{name: lanes, when: 'exception.type == \"GateError\"', extend: 'lane ${gate.lane}', headline: 'Lane ${gate.lane} is shut'}]"

// A rule that tells events of one variant apart: those with a body go, what
// comes after goes by the rule, and the undo brings all of it back.
func TestRegroup_SplitsThroughAVariant(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 6 {
		b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "car", User: fmt.Sprintf("p-%d", i), Release: "4.2.0", At: time.Time{}})
	}
	for i := range 4 {
		b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "foot", User: fmt.Sprintf("p-%d", i), Release: "4.2.0", At: time.Time{}})
	}
	before := b.Statuses()
	b.Rule(byLane)
	b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "foot", User: "p-9", Release: "4.2.0", At: time.Time{}})
	b.WantStatuses("a saved rule acts on what comes", map[int64]string{1: before[1], 2: "Lane foot is shut: 1 events, 1 users, 1 bodies, new"})
	g := b.Regroup()
	if g.State != regrouping.RegroupDone || g.Events != 4 || g.Made != 0 || g.Emptied != 0 || g.Stays != 0 {
		t.Errorf("%+v", g)
	}
	b.WantStatuses("regrouped", map[int64]string{1: "Lane car is shut: 6 events, 6 users, 6 bodies, new", 2: "Lane foot is shut: 5 events, 5 users, 5 bodies, new"})
	b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "foot", User: "p-10", Release: "4.2.0", At: time.Time{}}, testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "car", User: "p-10", Release: "4.2.0", At: time.Time{}}, testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "bike", User: "p-10", Release: "4.2.0", At: time.Time{}})
	b.WantStatuses("what comes afterwards", map[int64]string{1: "Lane car is shut: 7 events, 7 users, 7 bodies, new", 2: "Lane foot is shut: 6 events, 6 users, 6 bodies, new", 3: "Lane bike is shut: 1 events, 1 users, 1 bodies, new"})
	if g := b.Unregroup(); g.State != regrouping.RegroupUndone || g.UndoneBy != testbed.Oke.Name {
		t.Errorf("undone: %+v", g)
	}
	b.Again()
	if b.Project.RulesVersion != 2 || len(b.Project.Rules.Grouping) != 0 {
		t.Errorf("rules after the undo: version %d, %d grouping rules", b.Project.RulesVersion, len(b.Project.Rules.Grouping))
	}
	b.WantStatuses("undone", map[int64]string{1: "GateError in barrier: 14 events, 8 users, 14 bodies, new"})
	b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "bike", User: "p-1", Release: "4.2.0", At: time.Time{}})
	b.WantStatuses("after the undo", map[int64]string{1: "GateError in barrier: 15 events, 8 users, 15 bodies, new"})
}

func TestRegroup_JoinsAndBringsBack(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i, f := range []string{"a", "b", "b", "c"} {
		b.File(testbed.Event{Function: f, User: fmt.Sprintf("p-%d", i%3), Release: "4.2.0", At: testbed.Noon})
	}
	if err := b.Triage.Act(t.Context(), b.Issue(3).ID, testbed.FixedIn("4.2.1"), "", testbed.Maren, 0); err != nil {
		t.Fatal(err)
	}
	before := b.Statuses()
	b.Rule("grouping: [{name: one, when: 'exception.type == \"TypeError\"', replace: types, headline: All types}]")
	g := b.Regroup()
	if g.Events != 2 || g.Emptied != 2 || g.Made != 0 {
		t.Errorf("%+v", g)
	}
	b.WantStatuses("joined", map[int64]string{2: "All types: 4 events, 3 users, 4 bodies, new"})
	if is := b.Issue(3); is.Number != 2 {
		t.Errorf("quayside/3 leads to %d", is.Number)
	}
	b.File(testbed.Event{Function: "z", User: "p-7", At: testbed.Noon}, testbed.Event{Function: "a", User: "p-7", At: testbed.Noon})
	b.WantStatuses("what comes joins", map[int64]string{2: "All types: 6 events, 4 users, 6 bodies, new"})
	b.Unregroup()
	want := map[int64]string{1: "TypeError in a: 2 events, 2 users, 2 bodies, new", 2: before[2], 3: before[3], 4: "TypeError in z: 1 events, 1 users, 1 bodies, new"}
	b.WantStatuses("undone", want)
	// The rule again: it does the same once more.
	b.Rule("grouping: [{name: one, when: 'exception.type == \"TypeError\"', replace: types, headline: All types}]")
	b.Regroup()
	if got := b.Statuses(); len(got) != 1 {
		t.Errorf("a second time: %v", got)
	}
	b.Recounted()
}

func TestRegroup_LooksThroughAHelper(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for _, caller := range []string{"openGate", "openGate", "closeGate"} {
		b.AddEvent("shut", "barrier", caller)
	}
	b.Rule("frames: [{name: barriers, function: barrier, do: look-through}]")
	b.Regroup()
	got := b.Statuses()
	if len(got) != 2 || !strings.HasPrefix(got[1], "GateError in openGate: 2 events") || !strings.HasPrefix(got[2], "GateError in closeGate: 1 events") {
		t.Errorf("%v", got)
	}
	if n := b.AddEvent("shut", "barrier", "closeGate"); n != 2 {
		t.Errorf("what comes afterwards makes issue %d", n)
	}
	b.Recounted()
	b.Unregroup()
	if got := b.Statuses(); len(got) != 1 || !strings.HasPrefix(got[1], "GateError in barrier: 4 events") {
		t.Errorf("undone: %v", got)
	}
	b.Recounted()
}

// What people merged stays together where no rule names it, and what they
// split off stays apart.
func TestRegroup_KeepsWhatPeopleDecided(t *testing.T) {
	b := testbed.Lanes(t)
	if _, err := b.Split(1, difference.Attribute, "gate.lane", "car"); err != nil {
		t.Fatal(err)
	}
	b.LookedThrough()
	b.Gates(testbed.Gate{Caller: "", Message: "torn", Lane: "car", User: "p-1", Release: "4.2.1", At: testbed.Noon})
	b.File(testbed.Event{Function: "a", At: testbed.Noon}, testbed.Event{Function: "b", At: testbed.Noon})
	all := b.Statuses()
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{4}, 3, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	merged := b.Statuses()
	b.Rule("frames: [{name: moved, path: src/no-such, do: vendor}]\ngrouping: [{name: never, when: 'false', extend: x}]")
	if g := b.Regroup(); g.Events != 0 || g.Made+g.Emptied != 0 {
		t.Errorf("a rule that changes nothing moves: %+v", g)
	}
	b.WantStatuses("nothing changes", merged)
	// Undoing the merge by hand works as before.
	if err := b.Triage.Act(t.Context(), b.Issue(3).ID, issue.Action{Verb: issue.Undo}, "", testbed.Maren, 0); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	b.WantStatuses("the merge is undone", all)
}

func TestRegroup_AnotherVersionAndBack(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	if err := b.Regrouping.WantGrouping(t.Context(), b.Project.ID, 2); err != nil {
		t.Fatal(err)
	}
	if _, err := b.DB.ExecContext(t.Context(), "UPDATE project SET grouping_version=2"); err != nil {
		t.Fatal(err)
	}
	b.Again()
	say := func(messages ...string) {
		for _, m := range messages {
			b.AddEvent(m)
		}
	}
	say("no booking 7fKq2xPd", "no booking 7fKq2xPd", "no booking a4Rt9w2B", "no gate 4", "no gate 5")
	before := b.Statuses()
	if len(before) != 3 {
		t.Fatalf("version 2: %v", before)
	}
	if err := b.Regrouping.WantGrouping(t.Context(), b.Project.ID, 3); err != nil {
		t.Fatal(err)
	}
	b.Again()
	g := b.Regroup()
	if g.Version != 3 || g.BeforeVers != 2 || g.Events != 1 || g.Emptied != 1 {
		t.Errorf("%+v", g)
	}
	say("no booking 9zQx1y7W", "no gate 6")
	after := b.Statuses()
	if len(after) != 2 || !strings.Contains(after[1], "4 events") || !strings.Contains(after[3], "3 events") {
		t.Errorf("version 3: %v", after)
	}
	b.Recounted()
	b.Unregroup()
	b.Again()
	if b.Project.GroupingVersion != 2 {
		t.Errorf("version %d after the undo", b.Project.GroupingVersion)
	}
	got := b.Statuses()
	if len(got) != 4 || got[1] != before[1] || got[2] != before[2] || !strings.Contains(got[3], "3 events") || !strings.Contains(got[4], "1 events") {
		t.Errorf("version 2 again: %v, before it was %v", got, before)
	}
	b.Recounted()
}

// An issue that lost a part to a regrouping, and was then merged, takes the part
// back only once the merge is undone.
func TestRegroup_MergedSince(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	parted(b)
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{1}, 3, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); testbed.Code(err) != problem.Conflict || !strings.Contains(err.Error(), "quayside/1 was merged into quayside/3 since; undo that first") {
		t.Fatalf("%v", err)
	}
	if err := b.Triage.Act(t.Context(), b.Issue(1).ID, issue.Action{Verb: issue.Undo}, "", testbed.Maren, 0); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	b.Unregroup()
	b.WantStatuses("undone", map[int64]string{1: "GateError in barrier: 5 events, 3 users, 5 bodies, new", 3: "TypeError in tideAt: 1 events, 1 users, 1 bodies, new"})
}

// What people merge while a regrouping is undone stays merged, with what
// comes back.
func TestRegroup_MergedWhileItIsTakenBack(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "a", User: "p-1", At: testbed.Noon}, testbed.Event{Function: "b", User: "p-1", At: testbed.Noon}, testbed.Event{Function: "b", User: "p-2", At: testbed.Noon})
	b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "car", User: "p-3", Release: "4.2.0", At: time.Time{}}, testbed.Gate{Caller: "boardAll", Message: "full", Lane: "car", User: "p-3", Release: "4.2.0", At: time.Time{}})
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{3}, 1, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.AddEvent("late", "crew", "callCrew")
	b.Rule("grouping: [{name: one, when: 'exception.type == \"TypeError\"', replace: types, headline: All types}]")
	if g := b.Regroup(); g.Events != 1 || g.Emptied != 0 {
		t.Fatalf("%+v", g)
	}
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); err != nil {
		t.Fatal(err)
	}
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{1}, 4, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Regrouped()
	b.WantStatuses("undone", map[int64]string{2: "TypeError in b: 2 events, 2 users, 2 bodies, new", 4: "GateError in crew: 4 events, 2 users, 4 bodies, new"})
}

// What people merge after the plan, before anything moved, stays merged.
func TestRegroup_MergedBetweenPlanAndMove(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	twoLanes(b)
	b.Rule(byLane)
	if _, err := b.Regrouping.Regroup(t.Context(), b.Project, testbed.Oke); err != nil {
		t.Fatal(err)
	}
	for b.Step() != regrouping.RegroupMoving {
	}
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{1}, 2, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Regrouped()
	b.Recounted()
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); err == nil {
		b.Regrouped()
	}
	b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "foot", User: "p-2", Release: "4.2.0", At: time.Time{}}, testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "car", User: "p-2", Release: "4.2.0", At: time.Time{}})
	b.Recounted()
}

// twoLanes files five events of one variant on two lanes, and an issue beside.
func twoLanes(b *testbed.Bench) {
	b.T.Helper()
	for i, lane := range []string{"car", "car", "car", "foot", "foot"} {
		b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: lane, User: fmt.Sprintf("p-%d", i%3), Release: "4.2.0", At: time.Time{}})
	}
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon})
}

// parted files four events on two lanes, of which one was made an issue of its own, quayside/2.
func parted(b *testbed.Bench) {
	b.T.Helper()
	for i, lane := range []string{"car", "car", "car", "foot"} {
		b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: lane, User: fmt.Sprintf("p-%d", i%3), Release: "4.2.0", At: time.Time{}})
	}
	b.Rule(byLane)
	b.Gates(testbed.Gate{Caller: "boardAll", Message: "shut", Lane: "foot", User: "p-1", Release: "4.2.0", At: time.Time{}})
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon})
	if g := b.Regroup(); g.Events != 1 {
		b.T.Fatalf("%+v", g)
	}
}

func TestRegroup_OneAtATime(t *testing.T) {
	b := testbed.Lanes(t)
	b.Rule(byLane)
	if _, err := b.Regrouping.Regroup(t.Context(), b.Project, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	_, err := b.Regrouping.Regroup(t.Context(), b.Project, testbed.Oke)
	if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.Conflict || !strings.Contains(f.Pub, testbed.Maren.Name) {
		t.Errorf("a second one at once: %v", err)
	}
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); err == nil {
		t.Error("one that is under way is undone")
	}
	if err := b.Regrouping.StopRegroup(t.Context(), b.Project, testbed.Oke); err != nil {
		t.Fatal(err)
	}
	if g := b.Regrouped(); g.State != regrouping.RegroupStopped || g.Events != 0 {
		t.Errorf("stopped: %+v", g)
	}
	b.Regroup()
	// Who merged since stands in the way of the undo.
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{2}, 1, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); err == nil || !strings.Contains(err.Error(), "undo that first") {
		t.Errorf("undo behind a merge: %v", err)
	}
}

// A regrouping that is killed again and again while events come comes to the
// same end, and every count is right at any moment.
func TestRegroup_KilledAtAnyMoment(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	rng := rand.New(rand.NewPCG(7, 7))
	send := func(n int) {
		for range n {
			b.Gates(testbed.Gate{Caller: []string{"openGate", "closeGate"}[rng.IntN(2)], Message: []string{"shut", "torn"}[rng.IntN(2)], Lane: []string{"car", "foot", "bike"}[rng.IntN(3)], User: fmt.Sprintf("p-%d", rng.IntN(9)), Release: "4.2.0", At: time.Time{}})
		}
	}
	send(40)
	before := b.Statuses()
	total := b.One("SELECT SUM(events) FROM issue_list")
	b.Rule(byLane)
	b.Moves.Chunk = 3
	run := func() {
		for range 400 {
			b.Again()
			b.Now = b.Now.Add(time.Second)
			ctx, cancel := context.WithTimeout(t.Context(), time.Duration(rng.IntN(12))*time.Millisecond)
			_, _ = b.Regrouping.RegroupStep(ctx, b.Project, b.Units) // it is killed
			_, _ = b.Moves.FollowMove(ctx, b.Project.ID)
			cancel()
		}
	}
	if _, err := b.Regrouping.Regroup(t.Context(), b.Project, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	run()
	b.Recounted()
	send(5)
	if g := b.Regrouped(); g.State != regrouping.RegroupDone {
		t.Fatalf("%+v", g)
	}
	b.Recounted()
	if n := b.One("SELECT SUM(events) FROM issue_list"); n != total+5 {
		t.Errorf("%d events, want %d", n, total+5)
	}
	if n := b.One("SELECT COUNT(*) FROM issue_list"); n != 3 {
		t.Errorf("%d issues, want one a lane: %v", n, b.Statuses())
	}
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); err != nil {
		t.Fatal(err)
	}
	run()
	b.Regrouped()
	b.Recounted()
	if got := b.Statuses(); len(got) != len(before) {
		t.Errorf("undone: %v, before %v", got, before)
	}
}

// Events that come while a part is on its way go to the part's issue.
func TestRegroup_EventsThatComeWhileAPartMoves(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	send := func(lanes ...string) {
		for i, lane := range lanes {
			b.Gates(testbed.Gate{Caller: "openGate", Message: "shut", Lane: lane, User: fmt.Sprintf("p-%d", i), Release: "4.2.0", At: time.Time{}})
		}
	}
	send("car", "foot", "car", "foot", "car", "foot", "car", "foot", "car", "foot", "car")
	b.Rule(byLane)
	b.Moves.Chunk = 3
	if _, err := b.Regrouping.Regroup(t.Context(), b.Project, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	b.Again()
	for b.One("SELECT COUNT(*) FROM issue_list") == 1 {
		if _, err := b.Regrouping.RegroupStep(t.Context(), b.Project, b.Units); err != nil {
			t.Fatal(err)
		}
		b.Now = b.Now.Add(time.Second)
	}
	send("foot", "car") // three of five are there
	b.Regrouped()
	b.Recounted()
	if n := b.One("SELECT COUNT(*) FROM issue_list"); n != 2 {
		t.Errorf("%d issues, want one a lane: %v", n, b.Statuses())
	}
	b.WantCounts(2, 6, 6)
	if _, err := b.Regrouping.UndoRegroup(t.Context(), b.Project, testbed.Oke); err != nil {
		t.Fatal(err)
	}
	b.Regrouped()
	b.Recounted()
	b.WantCounts(1, 13, 11)
}

func TestRegroup_OfNothing(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Rule(byLane)
	b.Again()
	if _, err := b.Regrouping.Regroup(t.Context(), b.Project, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	if g := b.Regrouped(); g.State != regrouping.RegroupDone || g.Events != 0 {
		t.Errorf("nothing is stored: %+v", g)
	}
	if err := b.Regrouping.WantGrouping(t.Context(), b.Project.ID, fingerprint.Version+1); err == nil {
		t.Error("a version that there is none of is wanted")
	}
}
