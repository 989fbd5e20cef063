package mariadb

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
)

var maren = Actor{Kind: "person", ID: 101, Name: "Maren Holt"}

func (b *bench) merge(into int64, from ...int64) {
	b.t.Helper()
	if err := b.Merge(b.t.Context(), b.project, from, into, maren); err != nil {
		b.t.Fatal(err)
	}
}

// undo takes the newest decision on the issue of a number back.
func (b *bench) undo(number int64) error {
	b.t.Helper()
	id, err := b.DecidedOn(b.t.Context(), b.project, number)
	if err != nil {
		b.t.Fatal(err)
	}
	return b.Act(b.t.Context(), id, issue.Action{Verb: issue.Undo}, "", maren, 0)
}

// followed lets all derived rows arrive.
func (b *bench) followed() {
	b.t.Helper()
	for more := true; more; {
		var err error
		if more, err = b.FollowMove(b.t.Context(), b.project.ID); err != nil {
			b.t.Fatal(err)
		}
	}
}

func (b *bench) wantCounts(number, events, users int64) {
	b.t.Helper()
	if is := b.issue(number); is.Events != events || is.Users != users {
		b.t.Errorf("issue %d counts %d events, %d users; want %d and %d", number, is.Events, is.Users, events, users)
	}
}

// pair files two issues that share a user: 1 is tideAt, 2 is drawWeek.
func pair(t *testing.T) *bench {
	b := open1(t, noon)
	b.file(
		occur{function: "tideAt", user: "p-1", release: "4.1.0", at: noon.Add(-48 * time.Hour)},
		occur{function: "tideAt", user: "p-2", release: "4.2.0", at: noon.Add(-2 * time.Hour), stands: 3},
		occur{function: "drawWeek", user: "p-2", release: "4.1.0", at: noon.Add(-20 * 24 * time.Hour)},
		occur{function: "drawWeek", user: "p-3", release: "4.2.1", at: noon.Add(-time.Hour)},
	)
	return b
}

func TestMerge_MovesEverythingAndUndoBringsItBack(t *testing.T) {
	b := pair(t)
	before1, before2 := *b.issue(1), *b.issue(2)
	b.merge(1, 2)
	if is := b.issue(1); is.Events != 6 || !is.Recounting {
		t.Errorf("at once: %d events, recounting %v; want 6 and true", is.Events, is.Recounting)
	}
	// Events flow in while rows follow: under both fingerprints, of old users and new ones.
	b.file(occur{function: "drawWeek", user: "p-3", release: "4.2.1", at: noon}, occur{function: "drawWeek", user: "p-4", release: "4.2.1", at: noon}, occur{function: "tideAt", user: "p-1", release: "4.2.0", at: noon})
	b.followed()
	b.recounted()
	b.wantCounts(1, 9, 4)
	is := b.issue(1)
	if is.Recounting || !is.FirstSeen.Equal(noon.Add(-20*24*time.Hour)) || is.FirstRelease != "4.1.0" || is.LastRelease != "4.2.1" {
		t.Errorf("after: recounting %v, first %v in %s, last in %s", is.Recounting, is.FirstSeen, is.FirstRelease, is.LastRelease)
	}
	if other := b.issue(2); other.Number != 1 {
		t.Errorf("the merged-away number leads to %d", other.Number)
	}
	if list, _, err := b.Issues(t.Context(), IssueQuery{Project: b.project.ID, States: issue.States, Order: ByImpact, Limit: 10}); err != nil || len(list) != 1 {
		t.Errorf("%d issues are listed, %v; want 1", len(list), err)
	}
	if err := b.undo(2); err != nil {
		t.Fatal(err)
	}
	b.file(occur{function: "drawWeek", user: "p-5", release: "4.2.1", at: noon})
	b.followed()
	b.recounted()
	b.wantCounts(1, before1.Events+1, before1.Users)
	b.wantCounts(2, before2.Events+3, before2.Users+2)
	again := b.issue(2)
	if again.Number != 2 || again.Headline != before2.Headline || !again.FirstSeen.Equal(before2.FirstSeen) || again.State != before2.State {
		t.Errorf("it comes back as %+v", again)
	}
	if first := b.issue(1); !first.FirstSeen.Equal(before1.FirstSeen) || first.FirstRelease != before1.FirstRelease {
		t.Errorf("the target begins at %v in %s, want %v in %s", first.FirstSeen, first.FirstRelease, before1.FirstSeen, before1.FirstRelease)
	}
}

func TestMerge_NewVariantsOfAMergedFingerprintComeBackWithIt(t *testing.T) {
	b := pair(t)
	b.merge(1, 2)
	b.followed()
	// Another variant under the same fingerprint, made after the merge.
	if _, err := b.db.Exec("UPDATE variant SET hash=UNHEX(MD5('as if of an older version')) WHERE fingerprint=(SELECT hash FROM alias JOIN move_alias USING (hash) LIMIT 1)"); err != nil {
		t.Fatal(err)
	}
	b.file(occur{function: "drawWeek", user: "p-9", release: "4.2.1", at: noon})
	b.wantCounts(1, 7, 4)
	if err := b.undo(1); err != nil {
		t.Fatal(err)
	}
	b.followed()
	b.recounted()
	b.wantCounts(2, 3, 3)
}

func TestMerge_ChainsAndRefusesUndoInTheWrongOrder(t *testing.T) {
	b := pair(t)
	b.file(occur{function: "berthMap", user: "p-1", at: noon})
	b.merge(1, 2)
	b.merge(3, 1) // before the first one's rows have arrived
	err := b.undo(2)
	f, ok := errors.AsType[*fault.Error](err)
	if !ok || f.Code != fault.Conflict || !strings.Contains(f.Pub, "quayside/1 was merged into quayside/3 since") {
		t.Errorf("undo of the earlier merge: %v", err)
	}
	b.followed()
	b.recounted()
	b.wantCounts(2, 7, 3)
	for _, n := range []int64{1, 2} {
		if err := b.undo(n); err != nil {
			t.Fatal(err)
		}
	}
	b.followed()
	b.recounted()
	b.wantCounts(1, 4, 2)
	b.wantCounts(2, 2, 2)
	b.wantCounts(3, 1, 1)
	if err := b.undo(2); err == nil {
		t.Error("a merge is undone twice")
	}
}

func TestMerge_FollowsInChunksAndAfterAnInterruption(t *testing.T) {
	b := open1(t, noon)
	var list []occur
	for i := range 40 {
		list = append(list, occur{function: "tideAt", user: fmt.Sprint("p-", i), release: fmt.Sprint("4.", i%7), at: noon.Add(-time.Duration(i) * 6 * time.Hour)},
			occur{function: "drawWeek", user: fmt.Sprint("p-", 20+i), release: fmt.Sprint("4.", i%5), at: noon.Add(-time.Duration(i) * 5 * time.Hour)})
	}
	b.file(list...)
	b.merge(2, 1)
	b.chunk = 7
	for range 5 {
		if _, err := b.FollowMove(t.Context(), b.project.ID); err != nil {
			t.Fatal(err)
		}
	}
	if err := b.undo(1); err != nil { // in the middle
		t.Fatal(err)
	}
	b.followed()
	b.recounted()
	b.wantCounts(1, 40, 40)
	b.wantCounts(2, 40, 40)
	b.merge(2, 1)
	b.followed()
	b.recounted()
	b.wantCounts(2, 80, 60)
}

func TestMerge_RegressesAFixedTargetAndUndoRestoresIt(t *testing.T) {
	b := pair(t)
	one := b.issue(1).ID
	if err := b.Act(t.Context(), one, fixedIn("4.2.1"), "", maren, 0); err != nil {
		t.Fatal(err)
	}
	b.merge(1, 2) // seen in 4.2.1
	if st := b.issue(1).State; st != issue.Regressed {
		t.Errorf("the target is %s, want regressed", st)
	}
	if err := b.undo(1); err != nil {
		t.Fatal(err)
	}
	if st := b.issue(1).State; st != issue.Fixed {
		t.Errorf("after the undo it is %s, want fixed", st)
	}
	b.followed()
	b.recounted()
	history, err := b.History(t.Context(), one)
	if err != nil {
		t.Fatal(err)
	}
	var words []string
	for _, h := range history {
		words = append(words, h.Words)
	}
	if all := strings.Join(words, "\n"); !strings.Contains(all, "merged quayside/2 into this; it was new") || !strings.Contains(all, "undone: quayside/2 is an issue of its own again") {
		t.Errorf("the history says\n%s", all)
	}
}

func TestMerge_Refuses(t *testing.T) {
	b := pair(t)
	for name, c := range map[string]struct {
		from, into int64
		want       string
	}{
		"itself":             {1, 1, "cannot be merged into itself"},
		"one that is none":   {9, 1, "there is no issue quayside/9"},
		"into one that none": {1, 9, "there is no issue quayside/9"},
	} {
		if err := b.Merge(t.Context(), b.project, []int64{c.from}, c.into, maren); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	b.merge(1, 2)
	if err := b.Merge(t.Context(), b.project, []int64{2}, 1, maren); err == nil || !strings.Contains(err.Error(), "was merged into quayside/1 already") {
		t.Errorf("twice: %v", err)
	}
}
