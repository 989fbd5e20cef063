package find_test

import (
	"fmt"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/find"
)

// someone are events of users, the newest last, an hour apart: of plan gold each third.
func someone(b *testbed.Bench, users, n int) {
	b.T.Helper()
	b.Many(n, func(i int) map[string]any {
		a := map[string]any{"user.id": fmt.Sprintf("p-%d", i%users), "plan": "silver"}
		if i%3 == 0 {
			a["plan"] = "gold"
		}
		return berth(b.Now.Add(time.Duration(i-n)*time.Hour), a)
	})
}

// An event's place is one among those that fit, also of one that does not fit itself.
func TestEventPlace_AmongThoseThatFit(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	someone(b, 4, 30) // 10 of them gold: the first, the fourth, …
	q := ask(b, "plan:gold")
	q.Issue = b.Issue(1).ID
	row, place, err := b.Find.EventPlace(t.Context(), q, "newest", nil)
	if err != nil || place.Number != 1 || place.Total != 10 || place.Newer != (find.Place{}).Newer || place.Newest != row.ID {
		t.Fatalf("the newest: %+v, %+v, %v", row, place, err)
	}
	seen := 1
	for next := place.Older; next != (find.Place{}).Older; seen++ {
		known, err := b.Events.IssueEvent(t.Context(), b.Project, q.Issue, next.String())
		if err != nil {
			t.Fatal(err)
		}
		if _, place, err = b.Find.EventPlace(t.Context(), q, next.String(), known); err != nil || place.Number != int64(seen+1) {
			t.Fatalf("%d older than the newest: %+v, %v", seen, place, err)
		}
		next = place.Older
	}
	if seen != 10 {
		t.Errorf("%d events were paged through, want 10", seen)
	}
	list, _, err := b.Events.Events(t.Context(), events.EventQuery{Project: b.Project.ID, Limit: 30})
	if err != nil {
		t.Fatal(err)
	}
	silver := list[1] // the 29th: golds are the 28th, which is older, and none newer
	_, place, err = b.Find.EventPlace(t.Context(), q, silver.ID.String(), silver)
	if err != nil || place.Number != 0 || place.Newer != (find.Place{}).Newer || place.Older != list[2].ID || place.Total != 10 {
		t.Errorf("one that does not fit: %+v, %v", place, err)
	}
	q.Text = "plan:bronze"
	if _, _, err = b.Find.EventPlace(t.Context(), q, "oldest", nil); testbed.Code(err) != problem.NotFound {
		t.Errorf("where none fits: %v", err)
	}
}

// Events are listed with the values of columns.
func TestFindEvents_WithColumns(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	someone(b, 4, 9)
	page, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, ""), Limit: 5, Columns: []string{"plan", "user.id", "type", "environment"}})
	if err != nil || len(page.Values) != 5 {
		t.Fatalf("%+v, %v", page, err)
	}
	for i, v := range page.Values {
		n := 8 - i
		plan := map[bool]string{true: "gold", false: "silver"}[n%3 == 0]
		if v["plan"] != plan || v["user.id"] != fmt.Sprintf("p-%d", n%4) || v["type"] != "TypeError" || v["environment"] == "" {
			t.Errorf("event %d: %v", n, v)
		}
	}
	page, err = b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, ""), Limit: 5, Columns: []string{"os.name"}})
	if err != nil || len(page.Values) != 5 || len(page.Values[0]) != 0 {
		t.Errorf("a standard name that no event has had: %+v, %v", page, err)
	}
	f, err := b.Find.Facets(t.Context(), find.FacetAsk{Ask: ask(b, ""), By: []string{"os.name"}, Limit: 3})
	if err != nil || len(f.Facets) != 1 || f.Facets[0].Absent != 9 || len(f.Facets[0].Values) != 0 {
		t.Errorf("its facet: %+v, %v", f, err)
	}
	if _, err := b.Find.FindEvents(t.Context(), find.EventAsk{Ask: ask(b, ""), Limit: 5, Columns: []string{"plam"}}); testbed.Code(err) != problem.BadInput {
		t.Errorf("a column that nothing has: %v", err)
	}
}

// Affected users are held against all that were seen; those who returned are counted.
func TestAffected(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	someone(b, 8, 24)
	b.File(testbed.Event{Function: "tideAt", User: "p-0", At: b.Now.Add(-time.Minute)}) // seen again without it
	b.File(testbed.Event{Function: "tideAt", User: "q-1", At: b.Now.Add(-time.Minute)})
	q := ask(b, "plan:gold")
	got, err := b.Find.Affected(t.Context(), q)
	if err != nil || got.Events != 8 || got.Users != 8 || got.Active != 9 {
		t.Fatalf("%+v, %v", got, err)
	}
	// Golds are events 0, 3, … 21: of users 0, 3, 6, 1, 4, 7, 2, 5. Event 18 is user 2's, 21 user 5's, and
	// after 16 users 0 to 7 have one more each, so that all return whose last is later than an hour after.
	want := int64(0)
	for i := 0; i < 24; i += 3 {
		if i+8 < 24 || i%8 == 0 {
			want++
		}
	}
	if got.CameBack != want {
		t.Errorf("%d came back, want %d", got.CameBack, want)
	}
	n, more, err := b.Find.CountIssues(t.Context(), find.IssueAsk{Ask: ask(b, ""), States: issue.States, Order: issues.ByImpact, Limit: 1})
	if err != nil || n != 1 || !more {
		t.Errorf("%d issues, more %v, %v", n, more, err)
	}
}
