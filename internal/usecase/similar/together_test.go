package similar_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/triage"
)

func TestActMany_LeavesWhatChangedAlone(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	for _, f := range []string{"tideAt", "zoom", "draw", "follow"} {
		b.In(f, "4.2.0")
	}
	found, err := b.Triage.Find(ctx, b.Project, triage.Many{List: func(ctx context.Context, after *issues.IssueCursor, limit int) ([]*issues.Issue, *issues.IssueCursor, error) {
		return b.Issues.Issues(ctx, issues.IssueQuery{Project: b.Project.ID, States: []issue.State{issue.New}, Order: issues.ByImpact, Limit: limit, After: after})
	}})
	if err != nil || len(found) != 4 {
		t.Fatalf("%v, %v", found, err)
	}
	b.Act(2, issue.Action{Verb: issue.Accept}) // meanwhile
	done, err := b.Triage.ActMany(ctx, b.Project, triage.Many{Numbers: found}, issue.Action{Verb: issue.Dismiss}, "noise", testbed.Oke)
	if err != nil || fmt.Sprint(done.Done) != "[1 3 4]" || !strings.Contains(done.Refused[2], "Maren Holt changed this issue in between (accepted)") {
		t.Fatalf("%+v, %v", done, err)
	}
	b.Act(3, issue.Action{Verb: issue.Reopen}) // since
	undone, err := b.Triage.UndoMany(ctx, b.Project, done.Bulk, testbed.Oke, nil)
	if err != nil || fmt.Sprint(undone.Done) != "[1 4]" || undone.Refused[3] != "it was decided about since" {
		t.Fatalf("undone: %+v, %v", undone, err)
	}
	b.State(1, issue.New)
	b.State(3, issue.Accepted)
	if _, err := b.Triage.UndoMany(ctx, b.Project, done.Bulk, testbed.Oke, nil); testbed.Code(err) != problem.Conflict {
		t.Errorf("undone twice: %v", err)
	}
	if _, err := b.Triage.UndoMany(ctx, b.Project, 999, testbed.Oke, nil); testbed.Code(err) != problem.NotFound {
		t.Errorf("undone what is not there: %v", err)
	}
	b.Recounted()
}

func TestNotices_GoToTheOwner(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	marenID, okeID := b.People()
	b.In("tideAt", "4.1.0")
	b.Act(1, issue.Action{Verb: issue.Assign, To: "Oke Farrow"})
	if err := b.Triage.Act(ctx, b.Issue(1).ID, testbed.FixedIn("4.2.0"), "", testbed.Oke, 0); err != nil { // his own
		t.Fatal(err)
	}
	b.In("tideAt", "4.2.0")
	list, waiting, err := b.Status.Notices(ctx, okeID, sight.All, true, 0, 10)
	if err != nil || waiting != 2 || list[0].Kind != "regressed" || list[1].Text != "assigned to Oke Farrow, and so accepted" || list[1].Actor != "Maren Holt" || list[0].Number != 1 {
		t.Fatalf("Oke: %+v, %d, %v", list, waiting, err)
	}
	if list, _, _ := b.Status.Notices(ctx, marenID, sight.All, false, 0, 10); len(list) != 0 {
		t.Errorf("Maren, who decided: %+v", list)
	}
	if err := b.Status.SeeNotices(ctx, okeID, sight.All, list[0].ID); err != nil {
		t.Fatal(err)
	}
	if list, waiting, _ := b.Status.Notices(ctx, okeID, sight.All, true, 0, 10); len(list)+int(waiting) != 0 {
		t.Errorf("seen, and still there: %+v", list)
	}
}

func TestComments_NotifyMentionedAndWatching(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	marenID, okeID := b.People()
	ines, err := b.Accounts.AddPerson(ctx, "Ines Brandt", "ines@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	b.In("tideAt", "4.2.0")
	b.In("zoom", "4.2.0")
	b.Act(1, issue.Action{Verb: issue.Assign, To: "Oke Farrow"})
	write := func(number int64, text string, who accounts.Actor, person int64) int64 {
		t.Helper()
		id, err := b.Triage.AddComment(ctx, b.Issue(number).ID, text, who, person)
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	hears := func(who string, person int64, want ...string) {
		t.Helper()
		list, _, err := b.Status.Notices(ctx, person, sight.All, true, 0, 10)
		var got []string
		for _, n := range list {
			got = append(got, n.Text)
		}
		if err != nil || strings.Join(got, "; ") != strings.Join(want, "; ") {
			t.Errorf("%s hears %q, %v, want %q", who, got, err, want)
		}
		if len(list) > 0 {
			if err := b.Status.SeeNotices(ctx, person, sight.All, list[0].ID); err != nil {
				t.Fatal(err)
			}
		}
	}
	hears("Oke", okeID, "assigned to Oke Farrow, and so accepted")
	first := write(1, "Only on Android, @ines?", testbed.Maren, marenID)
	hears("Oke", okeID, "writes: Only on Android, @ines?")
	hears("Ines", ines.ID, "mentions you: Only on Android, @ines?")
	write(1, "Yes.", accounts.Actor{Kind: "person", Name: "Ines Brandt"}, ines.ID)
	hears("Maren, who watches since she wrote", marenID, "writes: Yes.")
	hears("Ines, who wrote", ines.ID)
	b.Act(1, issue.Action{Verb: issue.Dismiss})
	hears("Ines, who watches", ines.ID, "dismissed")
	if err := b.Triage.Watch(ctx, b.Issue(1).ID, ines.ID, false); err != nil {
		t.Fatal(err)
	}
	b.Act(1, issue.Action{Verb: issue.Reopen})
	hears("Ines, who does not any more", ines.ID)
	one := b.Issue(1).ID
	if err := b.Triage.ChangeComment(ctx, one, first, "Only on Android 14", testbed.Oke, false); testbed.Code(err) != problem.Forbidden {
		t.Errorf("somebody else's: %v", err)
	}
	if err := b.Triage.ChangeComment(ctx, b.Issue(2).ID, first, "x", testbed.Maren, false); testbed.Code(err) != problem.NotFound {
		t.Errorf("of another issue: %v", err)
	}
	if err := b.Triage.ChangeComment(ctx, one, first, "Only on Android 14", testbed.Maren, false); err != nil {
		t.Fatal(err)
	}
	if err := b.Moves.Merge(ctx, b.Project, []int64{1}, 2, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	list, err := b.Triage.Comments(ctx, b.Issue(2).ID)
	if err != nil || len(list) != 2 || list[1].Text != "Only on Android 14" || list[1].Edited == nil || list[1].From != 1 {
		t.Errorf("after the merge: %+v, %v", list, err)
	}
	if w, err := b.Triage.Watching(ctx, b.Issue(2).ID); err != nil || strings.Join(w, " ") != "Maren Holt" {
		t.Errorf("who watched one watches what it leads to: %q, %v", w, err)
	}
	if err := b.Triage.ChangeComment(ctx, b.Issue(2).ID, first, "", testbed.Maren, false); err != nil {
		t.Fatal(err)
	}
	if list, _ := b.Triage.Comments(ctx, b.Issue(2).ID); len(list) != 1 {
		t.Errorf("taken away: %+v", list)
	}
	if _, err := b.Triage.AddComment(ctx, b.Issue(2).ID, " \n", testbed.Maren, 0); testbed.Code(err) != problem.BadInput {
		t.Errorf("an empty one: %v", err)
	}
}

func TestHandOver_GivesAllThatIsOpenOrParked(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	b.People()
	maren, err := b.Accounts.FindPerson(ctx, "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	oke, err := b.Accounts.FindPerson(ctx, "Oke Farrow")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range []string{"tideAt", "zoom", "draw", "follow"} {
		b.In(f, "4.2.0")
	}
	for n := range int64(3) {
		b.Act(n+1, issue.Action{Verb: issue.Assign, To: "Maren Holt"})
	}
	b.Act(2, issue.Action{Verb: issue.Parking, Park: issue.Park{Users: 5}})
	b.Act(3, issue.Action{Verb: issue.Dismiss})
	list, err := b.Triage.CarriedBy(ctx, sight.All, 0)
	if err != nil || len(list) != 1 || list[0].Person != "Maren Holt" || list[0].Issues != 1 || list[0].Parked != 1 || list[0].Impact <= 0 {
		t.Errorf("carried: %+v, %v", list, err)
	}
	here := []*projects.Project{b.Project}
	handed, err := b.Triage.HandOver(ctx, here, maren, oke, "", accounts.Actor{Kind: "person", Name: "Maren Holt"})
	if err != nil || len(handed) != 1 || fmt.Sprint(handed[0].Done.Done) != "[1 2]" {
		t.Fatalf("%+v, %v", handed, err)
	}
	done := handed[0].Done
	if a, p, d := b.Issue(1), b.Issue(2), b.Issue(3); a.Owner != "Oke Farrow" || p.Owner != "Oke Farrow" || p.State != issue.Parked || d.Owner != "Maren Holt" {
		t.Errorf("%s, %s (%s), %s", a.Owner, p.Owner, p.State, d.Owner)
	}
	if _, err := b.Triage.UndoMany(ctx, b.Project, done.Bulk, accounts.Actor{Kind: "person", Name: "Maren Holt"}, nil); err != nil {
		t.Fatal(err)
	}
	if is := b.Issue(2); is.Owner != "Maren Holt" || is.State != issue.Parked {
		t.Errorf("taken back: %s, %s", is.Owner, is.State)
	}
	if _, err := b.Triage.HandOver(ctx, here, oke, oke, "", accounts.Actor{}); testbed.Code(err) != problem.BadInput {
		t.Errorf("to oneself: %v", err)
	}
}
