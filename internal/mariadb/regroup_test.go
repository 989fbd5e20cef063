package mariadb

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
)

var oke = Actor{Kind: "person", ID: 102, Name: "Oke Farrow"}

// rule makes a text the project's rules, and lets them act.
func (b *bench) rule(text string) {
	b.t.Helper()
	if _, err := b.PushRules(b.t.Context(), b.project.ID, text, "", -1, maren); err != nil {
		b.t.Fatal(err)
	}
	b.now = b.now.Add(10 * time.Second)
	b.again()
}

// again reads the project anew, as every process does after some seconds.
func (b *bench) again() {
	b.t.Helper()
	var err error
	if b.project, err = b.ProjectByID(b.t.Context(), b.project.ID); err != nil {
		b.t.Fatal(err)
	}
}

// regrouped lets a regrouping under way come to its end.
func (b *bench) regrouped() *Regrouping {
	b.t.Helper()
	for more := true; more; {
		b.followed()
		b.again()
		if next := b.project.NextGrouping(); next != 0 {
			if _, err := b.AdoptGrouping(b.t.Context(), b.project.ID, next, b.printed); err != nil {
				b.t.Fatal(err)
			}
			b.again()
		}
		b.now = b.now.Add(10 * time.Second)
		var err error
		if more, err = b.RegroupStep(b.t.Context(), b.project, b.units); err != nil {
			b.t.Fatal(err)
		}
	}
	g, err := b.Regrouping(b.t.Context(), b.project, 0)
	if err != nil {
		b.t.Fatal(err)
	}
	return g
}

func (b *bench) regroup() *Regrouping {
	b.t.Helper()
	if _, err := b.Store.Regroup(b.t.Context(), b.project, maren); err != nil {
		b.t.Fatal(err)
	}
	return b.regrouped()
}

func (b *bench) unregroup() *Regrouping {
	b.t.Helper()
	b.again()
	if _, err := b.UndoRegroup(b.t.Context(), b.project, oke); err != nil {
		b.t.Fatal(err)
	}
	return b.regrouped()
}

// standing is what the list says of every issue, by number: headline, events, users, bodies.
func (b *bench) standing() map[int64]string {
	b.t.Helper()
	out := map[int64]string{}
	list, _, err := b.Issues(b.t.Context(), IssueQuery{Project: b.project.ID, Limit: 200, Order: "newest", States: []issue.State{issue.New, issue.Accepted, issue.Fixed, issue.Regressed, issue.Dismissed}})
	if err != nil {
		b.t.Fatal(err)
	}
	for _, is := range list {
		out[is.Number] = fmt.Sprintf("%s: %d events, %d users, %d bodies, %s", is.Headline, is.Events, is.Users, is.Bodies, is.State)
	}
	return out
}

func (b *bench) wantStanding(when string, want map[int64]string) {
	b.t.Helper()
	if got := b.standing(); !reflect.DeepEqual(got, want) {
		b.t.Errorf("%s:\n got %v\nwant %v", when, got, want)
	}
	b.recounted()
}

const byLane = "grouping: [{name: lanes, when: 'exception.type == \"GateError\"', extend: 'lane ${gate.lane}', headline: 'Lane ${gate.lane} is shut'}]"

// A rule that tells events of one variant apart: those with a body go, what
// comes after goes by the rule, and the undo brings all of it back.
func TestRegroup_SplitsThroughAVariant(t *testing.T) {
	b := open1(t, noon)
	for i := range 6 {
		b.gates(gate{"boardAll", "shut", "car", fmt.Sprintf("p-%d", i), "4.2.0", time.Time{}})
	}
	for i := range 4 {
		b.gates(gate{"boardAll", "shut", "foot", fmt.Sprintf("p-%d", i), "4.2.0", time.Time{}})
	}
	before := b.standing()
	b.rule(byLane)
	b.gates(gate{"boardAll", "shut", "foot", "p-9", "4.2.0", time.Time{}})
	b.wantStanding("a saved rule acts on what comes", map[int64]string{1: before[1], 2: "Lane foot is shut: 1 events, 1 users, 1 bodies, new"})
	g := b.regroup()
	if g.State != RegroupDone || g.Events != 4 || g.Made != 0 || g.Emptied != 0 || g.Stays != 0 {
		t.Errorf("%+v", g)
	}
	b.wantStanding("regrouped", map[int64]string{1: "Lane car is shut: 6 events, 6 users, 6 bodies, new", 2: "Lane foot is shut: 5 events, 5 users, 5 bodies, new"})
	b.gates(gate{"boardAll", "shut", "foot", "p-10", "4.2.0", time.Time{}}, gate{"boardAll", "shut", "car", "p-10", "4.2.0", time.Time{}}, gate{"boardAll", "shut", "bike", "p-10", "4.2.0", time.Time{}})
	b.wantStanding("what comes afterwards", map[int64]string{1: "Lane car is shut: 7 events, 7 users, 7 bodies, new", 2: "Lane foot is shut: 6 events, 6 users, 6 bodies, new", 3: "Lane bike is shut: 1 events, 1 users, 1 bodies, new"})
	if g := b.unregroup(); g.State != RegroupUndone || g.UndoneBy != oke.Name {
		t.Errorf("undone: %+v", g)
	}
	b.again()
	if b.project.RulesVersion != 2 || len(b.project.Rules.Grouping) != 0 {
		t.Errorf("rules after the undo: version %d, %d grouping rules", b.project.RulesVersion, len(b.project.Rules.Grouping))
	}
	b.wantStanding("undone", map[int64]string{1: "GateError in barrier: 14 events, 8 users, 14 bodies, new"})
	b.gates(gate{"boardAll", "shut", "bike", "p-1", "4.2.0", time.Time{}})
	b.wantStanding("after the undo", map[int64]string{1: "GateError in barrier: 15 events, 8 users, 15 bodies, new"})
}

func TestRegroup_JoinsAndBringsBack(t *testing.T) {
	b := open1(t, noon)
	for i, f := range []string{"a", "b", "b", "c"} {
		b.file(occur{function: f, user: fmt.Sprintf("p-%d", i%3), release: "4.2.0", at: noon})
	}
	if err := b.Act(t.Context(), b.issue(3).ID, fixedIn("4.2.1"), "", maren, 0); err != nil {
		t.Fatal(err)
	}
	before := b.standing()
	b.rule("grouping: [{name: one, when: 'exception.type == \"TypeError\"', replace: types, headline: All types}]")
	g := b.regroup()
	if g.Events != 2 || g.Emptied != 2 || g.Made != 0 {
		t.Errorf("%+v", g)
	}
	b.wantStanding("joined", map[int64]string{2: "All types: 4 events, 3 users, 4 bodies, new"})
	if is := b.issue(3); is.Number != 2 {
		t.Errorf("quayside/3 leads to %d", is.Number)
	}
	b.file(occur{function: "z", user: "p-7", at: noon}, occur{function: "a", user: "p-7", at: noon})
	b.wantStanding("what comes joins", map[int64]string{2: "All types: 6 events, 4 users, 6 bodies, new"})
	b.unregroup()
	want := map[int64]string{1: "TypeError in a: 2 events, 2 users, 2 bodies, new", 2: before[2], 3: before[3], 4: "TypeError in z: 1 events, 1 users, 1 bodies, new"}
	b.wantStanding("undone", want)
	// The rule again: it does the same once more.
	b.rule("grouping: [{name: one, when: 'exception.type == \"TypeError\"', replace: types, headline: All types}]")
	b.regroup()
	if got := b.standing(); len(got) != 1 {
		t.Errorf("a second time: %v", got)
	}
	b.recounted()
}

func TestRegroup_LooksThroughAHelper(t *testing.T) {
	b := open1(t, noon)
	for _, caller := range []string{"openGate", "openGate", "closeGate"} {
		b.told("shut", "barrier", caller)
	}
	b.rule("frames: [{name: barriers, function: barrier, do: look-through}]")
	b.regroup()
	got := b.standing()
	if len(got) != 2 || !strings.HasPrefix(got[1], "GateError in openGate: 2 events") || !strings.HasPrefix(got[2], "GateError in closeGate: 1 events") {
		t.Errorf("%v", got)
	}
	if n := b.told("shut", "barrier", "closeGate"); n != 2 {
		t.Errorf("what comes afterwards makes issue %d", n)
	}
	b.recounted()
	b.unregroup()
	if got := b.standing(); len(got) != 1 || !strings.HasPrefix(got[1], "GateError in barrier: 4 events") {
		t.Errorf("undone: %v", got)
	}
	b.recounted()
}

// What people merged stays together where no rule names it, and what they
// split off stays apart.
func TestRegroup_KeepsWhatPeopleDecided(t *testing.T) {
	b := lanes(t)
	if _, err := b.split(1, difference.Attribute, "gate.lane", "car"); err != nil {
		t.Fatal(err)
	}
	b.lookedThrough()
	b.gates(gate{"", "torn", "car", "p-1", "4.2.1", noon})
	b.file(occur{function: "a", at: noon}, occur{function: "b", at: noon})
	all := b.standing()
	if err := b.Merge(t.Context(), b.project, []int64{4}, 3, maren); err != nil {
		t.Fatal(err)
	}
	b.followed()
	merged := b.standing()
	b.rule("frames: [{name: moved, path: src/no-such, do: vendor}]\ngrouping: [{name: never, when: 'false', extend: x}]")
	if g := b.regroup(); g.Events != 0 || g.Made+g.Emptied != 0 {
		t.Errorf("a rule that changes nothing moves: %+v", g)
	}
	b.wantStanding("nothing changes", merged)
	// Undoing the merge by hand works as before.
	if err := b.Act(t.Context(), b.issue(3).ID, issue.Action{Verb: issue.Undo}, "", maren, 0); err != nil {
		t.Fatal(err)
	}
	b.followed()
	b.wantStanding("the merge is undone", all)
}

func TestRegroup_AnotherVersionAndBack(t *testing.T) {
	b := open1(t, noon)
	if err := b.WantGrouping(t.Context(), b.project.ID, 2); err != nil {
		t.Fatal(err)
	}
	if _, err := b.db.ExecContext(t.Context(), "UPDATE project SET grouping_version=2"); err != nil {
		t.Fatal(err)
	}
	b.again()
	say := func(messages ...string) {
		for _, m := range messages {
			b.told(m)
		}
	}
	say("no booking 7fKq2xPd", "no booking 7fKq2xPd", "no booking a4Rt9w2B", "no gate 4", "no gate 5")
	before := b.standing()
	if len(before) != 3 {
		t.Fatalf("version 2: %v", before)
	}
	if err := b.WantGrouping(t.Context(), b.project.ID, 3); err != nil {
		t.Fatal(err)
	}
	b.again()
	g := b.regroup()
	if g.Version != 3 || g.BeforeVers != 2 || g.Events != 1 || g.Emptied != 1 {
		t.Errorf("%+v", g)
	}
	say("no booking 9zQx1y7W", "no gate 6")
	after := b.standing()
	if len(after) != 2 || !strings.Contains(after[1], "4 events") || !strings.Contains(after[3], "3 events") {
		t.Errorf("version 3: %v", after)
	}
	b.recounted()
	b.unregroup()
	b.again()
	if b.project.GroupingVersion != 2 {
		t.Errorf("version %d after the undo", b.project.GroupingVersion)
	}
	got := b.standing()
	if len(got) != 4 || got[1] != before[1] || got[2] != before[2] || !strings.Contains(got[3], "3 events") || !strings.Contains(got[4], "1 events") {
		t.Errorf("version 2 again: %v, before it was %v", got, before)
	}
	b.recounted()
}

// An issue that lost a part to a regrouping, and was then merged, takes the part
// back only once the merge is undone.
func TestRegroup_MergedSince(t *testing.T) {
	b := open1(t, noon)
	parted(b)
	if err := b.Merge(t.Context(), b.project, []int64{1}, 3, maren); err != nil {
		t.Fatal(err)
	}
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); code(err) != fault.Conflict || !strings.Contains(err.Error(), "quayside/1 was merged into quayside/3 since; undo that first") {
		t.Fatalf("%v", err)
	}
	if err := b.Act(t.Context(), b.issue(1).ID, issue.Action{Verb: issue.Undo}, "", maren, 0); err != nil {
		t.Fatal(err)
	}
	b.followed()
	b.unregroup()
	b.wantStanding("undone", map[int64]string{1: "GateError in barrier: 5 events, 3 users, 5 bodies, new", 3: "TypeError in tideAt: 1 events, 1 users, 1 bodies, new"})
}

// What people merge while a regrouping is taken back stays merged, with what
// comes back.
func TestRegroup_MergedWhileItIsTakenBack(t *testing.T) {
	b := open1(t, noon)
	b.file(occur{function: "a", user: "p-1", at: noon}, occur{function: "b", user: "p-1", at: noon}, occur{function: "b", user: "p-2", at: noon})
	b.gates(gate{"boardAll", "shut", "car", "p-3", "4.2.0", time.Time{}}, gate{"boardAll", "full", "car", "p-3", "4.2.0", time.Time{}})
	if err := b.Merge(t.Context(), b.project, []int64{3}, 1, maren); err != nil {
		t.Fatal(err)
	}
	b.told("late", "crew", "callCrew")
	b.rule("grouping: [{name: one, when: 'exception.type == \"TypeError\"', replace: types, headline: All types}]")
	if g := b.regroup(); g.Events != 1 || g.Emptied != 0 {
		t.Fatalf("%+v", g)
	}
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); err != nil {
		t.Fatal(err)
	}
	if err := b.Merge(t.Context(), b.project, []int64{1}, 4, maren); err != nil {
		t.Fatal(err)
	}
	b.regrouped()
	b.wantStanding("undone", map[int64]string{2: "TypeError in b: 2 events, 2 users, 2 bodies, new", 4: "GateError in crew: 4 events, 2 users, 4 bodies, new"})
}

// What people merge after the plan, before anything moved, stays merged.
func TestRegroup_MergedBetweenPlanAndMove(t *testing.T) {
	b := open1(t, noon)
	twoLanes(b)
	b.rule(byLane)
	if _, err := b.Regroup(t.Context(), b.project, oke); err != nil {
		t.Fatal(err)
	}
	for b.step() != RegroupMoving {
	}
	if err := b.Merge(t.Context(), b.project, []int64{1}, 2, maren); err != nil {
		t.Fatal(err)
	}
	b.regrouped()
	b.recounted()
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); err == nil {
		b.regrouped()
	}
	b.gates(gate{"boardAll", "shut", "foot", "p-2", "4.2.0", time.Time{}}, gate{"boardAll", "shut", "car", "p-2", "4.2.0", time.Time{}})
	b.recounted()
}

// twoLanes files five events of one variant on two lanes, and an issue beside.
func twoLanes(b *bench) {
	b.t.Helper()
	for i, lane := range []string{"car", "car", "car", "foot", "foot"} {
		b.gates(gate{"boardAll", "shut", lane, fmt.Sprintf("p-%d", i%3), "4.2.0", time.Time{}})
	}
	b.file(occur{function: "tideAt", user: "p-1", release: "4.2.0", at: noon})
}

// parted files four events on two lanes, of which one was made an issue of its own, quayside/2.
func parted(b *bench) {
	b.t.Helper()
	for i, lane := range []string{"car", "car", "car", "foot"} {
		b.gates(gate{"boardAll", "shut", lane, fmt.Sprintf("p-%d", i%3), "4.2.0", time.Time{}})
	}
	b.rule(byLane)
	b.gates(gate{"boardAll", "shut", "foot", "p-1", "4.2.0", time.Time{}})
	b.file(occur{function: "tideAt", user: "p-1", release: "4.2.0", at: noon})
	if g := b.regroup(); g.Events != 1 {
		b.t.Fatalf("%+v", g)
	}
}

// step goes on with a regrouping by a step.
func (b *bench) step() RegroupState {
	b.t.Helper()
	b.followed()
	b.again()
	b.now = b.now.Add(10 * time.Second)
	if _, err := b.RegroupStep(b.t.Context(), b.project, b.units); err != nil {
		b.t.Fatal(err)
	}
	g, err := b.Regrouping(b.t.Context(), b.project, 0)
	if err != nil {
		b.t.Fatal(err)
	}
	return g.State
}

func TestRegroup_OneAtATime(t *testing.T) {
	b := lanes(t)
	b.rule(byLane)
	if _, err := b.Store.Regroup(t.Context(), b.project, maren); err != nil {
		t.Fatal(err)
	}
	_, err := b.Store.Regroup(t.Context(), b.project, oke)
	if f, ok := errors.AsType[*fault.Error](err); !ok || f.Code != fault.Conflict || !strings.Contains(f.Pub, maren.Name) {
		t.Errorf("a second one at once: %v", err)
	}
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); err == nil {
		t.Error("one that is under way is undone")
	}
	if err := b.StopRegroup(t.Context(), b.project, oke); err != nil {
		t.Fatal(err)
	}
	if g := b.regrouped(); g.State != RegroupStopped || g.Events != 0 {
		t.Errorf("stopped: %+v", g)
	}
	b.regroup()
	// Who merged since stands in the way of the undo.
	if err := b.Merge(t.Context(), b.project, []int64{2}, 1, maren); err != nil {
		t.Fatal(err)
	}
	b.followed()
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); err == nil || !strings.Contains(err.Error(), "undo that first") {
		t.Errorf("undo behind a merge: %v", err)
	}
}

// A regrouping that is killed again and again while events come comes to the
// same end, and every count is right at any moment.
func TestRegroup_KilledAtAnyMoment(t *testing.T) {
	b := open1(t, noon)
	rng := rand.New(rand.NewPCG(7, 7))
	send := func(n int) {
		for range n {
			b.gates(gate{[]string{"openGate", "closeGate"}[rng.IntN(2)], []string{"shut", "torn"}[rng.IntN(2)], []string{"car", "foot", "bike"}[rng.IntN(3)], fmt.Sprintf("p-%d", rng.IntN(9)), "4.2.0", time.Time{}})
		}
	}
	send(40)
	before := b.standing()
	total := b.one("SELECT SUM(events) FROM issue_list")
	b.rule(byLane)
	b.chunk = 3
	run := func() {
		for range 400 {
			b.again()
			b.now = b.now.Add(time.Second)
			ctx, cancel := context.WithTimeout(t.Context(), time.Duration(rng.IntN(12))*time.Millisecond)
			_, _ = b.RegroupStep(ctx, b.project, b.units) // it is killed
			_, _ = b.FollowMove(ctx, b.project.ID)
			cancel()
		}
	}
	if _, err := b.Store.Regroup(t.Context(), b.project, maren); err != nil {
		t.Fatal(err)
	}
	run()
	b.recounted()
	send(5)
	if g := b.regrouped(); g.State != RegroupDone {
		t.Fatalf("%+v", g)
	}
	b.recounted()
	if n := b.one("SELECT SUM(events) FROM issue_list"); n != total+5 {
		t.Errorf("%d events, want %d", n, total+5)
	}
	if n := b.one("SELECT COUNT(*) FROM issue_list"); n != 3 {
		t.Errorf("%d issues, want one a lane: %v", n, b.standing())
	}
	if _, err := b.UndoRegroup(t.Context(), b.project, oke); err != nil {
		t.Fatal(err)
	}
	run()
	b.regrouped()
	b.recounted()
	if got := b.standing(); len(got) != len(before) {
		t.Errorf("undone: %v, before %v", got, before)
	}
}

func TestRegroup_OfNothing(t *testing.T) {
	b := open1(t, noon)
	b.rule(byLane)
	b.again()
	if _, err := b.Store.Regroup(t.Context(), b.project, maren); err != nil {
		t.Fatal(err)
	}
	if g := b.regrouped(); g.State != RegroupDone || g.Events != 0 {
		t.Errorf("nothing is stored: %+v", g)
	}
	if err := b.WantGrouping(t.Context(), b.project.ID, fingerprint.Version+1); err == nil {
		t.Error("a version that there is none of is wanted")
	}
}
