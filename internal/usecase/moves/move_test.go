package moves_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/issues"
	"firethorn/internal/testbed"
)

func TestMerge_MovesEverythingAndUndoBringsItBack(t *testing.T) {
	b := testbed.Pair(t)
	before1, before2 := *b.Issue(1), *b.Issue(2)
	b.Merge(1, 2)
	if is := b.Issue(1); is.Events != 6 || !is.Recounting {
		t.Errorf("at once: %d events, recounting %v; want 6 and true", is.Events, is.Recounting)
	}
	// Events flow in while rows follow: under both fingerprints, of old users and new ones.
	b.File(testbed.Event{Function: "drawWeek", User: "p-3", Release: "4.2.1", At: testbed.Noon}, testbed.Event{Function: "drawWeek", User: "p-4", Release: "4.2.1", At: testbed.Noon}, testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon})
	b.Followed()
	b.Recounted()
	b.WantCounts(1, 9, 4)
	is := b.Issue(1)
	if is.Recounting || !is.FirstSeen.Equal(testbed.Noon.Add(-20*24*time.Hour)) || is.FirstRelease != "4.1.0" || is.LastRelease != "4.2.1" {
		t.Errorf("after: recounting %v, first %v in %s, last in %s", is.Recounting, is.FirstSeen, is.FirstRelease, is.LastRelease)
	}
	if other := b.Issue(2); other.Number != 1 {
		t.Errorf("the merged-away number leads to %d", other.Number)
	}
	if list, _, err := b.Issues.Issues(t.Context(), issues.IssueQuery{Project: b.Project.ID, States: issue.States, Order: issues.ByImpact, Limit: 10}); err != nil || len(list) != 1 {
		t.Errorf("%d issues are listed, %v; want 1", len(list), err)
	}
	if err := b.Undo(2); err != nil {
		t.Fatal(err)
	}
	b.File(testbed.Event{Function: "drawWeek", User: "p-5", Release: "4.2.1", At: testbed.Noon})
	b.Followed()
	b.Recounted()
	b.WantCounts(1, before1.Events+1, before1.Users)
	b.WantCounts(2, before2.Events+3, before2.Users+2)
	again := b.Issue(2)
	if again.Number != 2 || again.Headline != before2.Headline || !again.FirstSeen.Equal(before2.FirstSeen) || again.State != before2.State {
		t.Errorf("it comes back as %+v", again)
	}
	if first := b.Issue(1); !first.FirstSeen.Equal(before1.FirstSeen) || first.FirstRelease != before1.FirstRelease {
		t.Errorf("the target begins at %v in %s, want %v in %s", first.FirstSeen, first.FirstRelease, before1.FirstSeen, before1.FirstRelease)
	}
}

func TestMerge_NewVariantsOfAMergedFingerprintComeBackWithIt(t *testing.T) {
	b := testbed.Pair(t)
	b.Merge(1, 2)
	b.Followed()
	// Another variant under the same fingerprint, made after the merge.
	if _, err := b.DB.Exec("UPDATE variant SET hash=UNHEX(MD5('as if of an older version')) WHERE fingerprint=(SELECT hash FROM alias JOIN move_alias USING (hash) LIMIT 1)"); err != nil {
		t.Fatal(err)
	}
	b.File(testbed.Event{Function: "drawWeek", User: "p-9", Release: "4.2.1", At: testbed.Noon})
	b.WantCounts(1, 7, 4)
	if err := b.Undo(1); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	b.Recounted()
	b.WantCounts(2, 3, 3)
}

func TestMerge_ChainsAndRefusesUndoInTheWrongOrder(t *testing.T) {
	b := testbed.Pair(t)
	b.File(testbed.Event{Function: "berthMap", User: "p-1", At: testbed.Noon})
	b.Merge(1, 2)
	b.Merge(3, 1) // before the first one's rows have arrived
	err := b.Undo(2)
	f, ok := errors.AsType[*problem.Error](err)
	if !ok || f.Code != problem.Conflict || !strings.Contains(f.Pub, "quayside/1 was merged into quayside/3 since") {
		t.Errorf("undo of the earlier merge: %v", err)
	}
	b.Followed()
	b.Recounted()
	b.WantCounts(2, 7, 3)
	for _, n := range []int64{1, 2} {
		if err := b.Undo(n); err != nil {
			t.Fatal(err)
		}
	}
	b.Followed()
	b.Recounted()
	b.WantCounts(1, 4, 2)
	b.WantCounts(2, 2, 2)
	b.WantCounts(3, 1, 1)
	if err := b.Undo(2); err == nil {
		t.Error("a merge is undone twice")
	}
}

// A move that an earlier version left at its table of users by environment goes on behind it.
func TestMerge_GoesOnBehindATableThatIsGone(t *testing.T) {
	b := testbed.Pair(t)
	b.Merge(1, 2)
	b.Moves.Chunk = 1
	for b.One("SELECT step FROM move") < 3 {
		if _, err := b.Moves.FollowMove(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.DB.Exec("UPDATE move SET step=2, step_at='5:7'"); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	b.Recounted()
	b.WantCounts(1, 6, 3)
}

func TestMerge_FollowsInChunksAndAfterAnInterruption(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var list []testbed.Event
	for i := range 40 {
		list = append(list, testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", i), Release: fmt.Sprint("4.", i%7), At: testbed.Noon.Add(-time.Duration(i) * 6 * time.Hour)},
			testbed.Event{Function: "drawWeek", User: fmt.Sprint("p-", 20+i), Release: fmt.Sprint("4.", i%5), At: testbed.Noon.Add(-time.Duration(i) * 5 * time.Hour)})
	}
	b.File(list...)
	b.Merge(2, 1)
	b.Moves.Chunk = 7
	for range 5 {
		if _, err := b.Moves.FollowMove(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	if err := b.Undo(1); err != nil { // in the middle
		t.Fatal(err)
	}
	b.Followed()
	b.Recounted()
	b.WantCounts(1, 40, 40)
	b.WantCounts(2, 40, 40)
	b.Merge(2, 1)
	b.Followed()
	b.Recounted()
	b.WantCounts(2, 80, 60)
}

func TestMerge_RegressesAFixedTargetAndUndoRestoresIt(t *testing.T) {
	b := testbed.Pair(t)
	one := b.Issue(1).ID
	if err := b.Triage.Act(t.Context(), one, testbed.FixedIn("4.2.1"), "", testbed.Maren, 0); err != nil {
		t.Fatal(err)
	}
	b.Merge(1, 2) // seen in 4.2.1
	if st := b.Issue(1).State; st != issue.Regressed {
		t.Errorf("the target is %s, want regressed", st)
	}
	if err := b.Undo(1); err != nil {
		t.Fatal(err)
	}
	if st := b.Issue(1).State; st != issue.Fixed {
		t.Errorf("after the undo it is %s, want fixed", st)
	}
	b.Followed()
	b.Recounted()
	history, err := b.Issues.History(t.Context(), one)
	if err != nil {
		t.Fatal(err)
	}
	var text []string
	for _, h := range history {
		text = append(text, h.Text)
	}
	if all := strings.Join(text, "\n"); !strings.Contains(all, "merged quayside/2 into this; it was new") || !strings.Contains(all, "undone: quayside/2 is an issue of its own again") {
		t.Errorf("the history says\n%s", all)
	}
}

func TestMerge_Refuses(t *testing.T) {
	b := testbed.Pair(t)
	for name, c := range map[string]struct {
		from, into int64
		want       string
	}{
		"itself":             {1, 1, "cannot be merged into itself"},
		"one that is none":   {9, 1, "there is no issue quayside/9"},
		"into one that none": {1, 9, "there is no issue quayside/9"},
	} {
		if err := b.Moves.Merge(t.Context(), b.Project, []int64{c.from}, c.into, testbed.Maren); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	b.Merge(1, 2)
	if err := b.Moves.Merge(t.Context(), b.Project, []int64{2}, 1, testbed.Maren); err == nil || !strings.Contains(err.Error(), "was merged into quayside/1 already") {
		t.Errorf("twice: %v", err)
	}
}
