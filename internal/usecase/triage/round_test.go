package triage_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
)

func TestRound(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	m, o := b.People()
	want := func(what string, person int64, queue string) {
		t.Helper()
		b.Now = b.Now.Add(time.Minute)
		if got := b.Queue(person); got != queue {
			t.Errorf("%s: %q, want %q", what, got, queue)
		}
	}
	file := func(function, release string, users ...string) {
		t.Helper()
		b.Now = b.Now.Add(time.Minute)
		for _, u := range users {
			b.File(testbed.Event{Function: function, Release: release, User: u, At: b.Now})
		}
	}
	pass := func(person int64, n ...int64) {
		t.Helper()
		b.Now = b.Now.Add(time.Minute)
		if err := b.Triage.Pass(t.Context(), person, b.Now, b.Named1(n...)); err != nil {
			t.Fatal(err)
		}
	}
	if err := b.Triage.BeginRound(t.Context(), 0, m); err != nil {
		t.Fatal(err)
	}
	file("tideAt", "4.1.0", "p-1", "p-2", "p-3")
	file("getJSON", "4.1.0", "p-1")
	want("both are new", m, "1 new; 2 new")
	b.Act(1, issue.Action{Verb: issue.Assign, To: testbed.Oke.Name})
	want("decided about", m, "2 new")
	want("given to him", o, "1 yours Maren Holt; 2 new")
	pass(o, 1)
	want("he has seen it", o, "2 new")
	b.Act(1, issue.Action{Verb: issue.Undo})
	want("taken back", m, "1 new; 2 new")
	want("for him, too", o, "1 new; 2 new")
	pass(m, 1, 2)
	want("passed", m, "")
	want("only by her", o, "1 new; 2 new")
	if err := b.Triage.Unpass(t.Context(), m, b.Named1(2)); err != nil {
		t.Fatal(err)
	}
	want("let come again", m, "2 new")
	b.Act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixRelease, FixedIn: "4.2.0"}})
	b.Act(2, issue.Action{Verb: issue.Parking, Park: issue.Park{Users: 1}})
	want("nothing is left", m, "")
	want("not for him either", o, "")
	file("tideAt", "4.2.0", "p-4")
	file("getJSON", "4.2.0", "p-9")
	want("came back and woke", m, "1 regressed; 2 woken")
	b.Act(1, issue.Action{Verb: issue.Accept})
	b.Act(2, issue.Action{Verb: issue.Assign, To: testbed.Maren.Name})
	want("accepted", m, "")
	for i := range 7 {
		file("tideAt", "4.2.0", fmt.Sprint("q-", i))
	}
	want("ten users by now", m, "1 grown")
	b.Act(1, issue.Action{Verb: issue.Grade, Grade: "fatal"})
	want("its severity is no decision about it", m, "1 grown")
	b.Act(1, issue.Action{Verb: issue.Assign, To: testbed.Maren.Name})
	want("it was decided about", m, "")
	b.Act(1, issue.Action{Verb: issue.Undo})
	want("taken back: it still has grown", m, "1 grown")
	pass(m, 1)
	want("seen", m, "")
	if _, err := b.Triage.AddComment(t.Context(), b.Issue(2).ID, "I have seen it too", testbed.Oke, o); err != nil {
		t.Fatal(err)
	}
	want("a comment on hers", m, "2 yours Oke Farrow")
	if _, err := b.Triage.AddComment(t.Context(), b.Issue(1).ID, "@maren.holt @maren, look", testbed.Oke, o); err != nil {
		t.Fatal(err)
	}
	want("a mention on nobody's", m, "1 yours Oke Farrow; 2 yours Oke Farrow")
	e, err := b.Triage.EndRound(t.Context(), 0, []*projects.Project{b.Project}, &accounts.Person{ID: m, Name: testbed.Maren.Name})
	if err != nil || e.Left != 2 || len(e.Done) != 7 || e.Done[0].Text != "assigned to Oke Farrow, and so accepted" || !e.Done[0].Undone || e.Done[1].Kind != "fix" {
		t.Errorf("%+v, %v", e, err)
	}
	if _, err := b.Triage.EndRound(t.Context(), 0, []*projects.Project{b.Project}, &accounts.Person{ID: m}); testbed.Code(err) != problem.Conflict {
		t.Errorf("ended twice: %v", err)
	}
	if r, err := b.Triage.Queue(t.Context(), 0, []*projects.Project{b.Project}, m, 1); err != nil || r.Last.IsZero() || !r.Begun.IsZero() || len(r.Items) != 1 || r.Waiting != 2 {
		t.Errorf("%+v, %v", r, err)
	}
	// A call that came after she looked is not passed by looking.
	seen := b.Now
	file("tideAt", "4.2.0", "x") // no call
	b.Act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}})
	file("tideAt", "4.2.0", "y")
	if err := b.Triage.Pass(t.Context(), o, seen, b.Named1(1)); err != nil {
		t.Fatal(err)
	}
	want("it came back since", o, "1 regressed")
	b.Recounted()
}

// A person whose decision comes after one of somebody else learns of that,
// and nothing is overwritten.
func TestRound_OfTwo(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.People()
	b.File(testbed.Event{Function: "tideAt", User: "p-1", At: testbed.Noon})
	seen := b.Issue(1)
	if err := b.Triage.Act(t.Context(), seen.ID, issue.Action{Verb: issue.Assign, To: testbed.Oke.Name}, "", testbed.Oke, seen.Version); err != nil {
		t.Fatal(err)
	}
	err := b.Triage.Act(t.Context(), seen.ID, issue.Action{Verb: issue.Dismiss}, "", testbed.Maren, seen.Version)
	if testbed.Code(err) != problem.Stale || !strings.Contains(err.Error(), "Oke Farrow changed this issue in between (assigned to Oke Farrow, and so accepted)") {
		t.Errorf("decided twice: %v", err)
	}
	if is := b.Issue(1); is.Owner != testbed.Oke.Name || is.State != issue.Accepted {
		t.Errorf("%+v", is.Status)
	}
	list, err := b.Triage.Settled(t.Context(), b.Named1(1, 9))
	if err != nil || len(list) != 1 || list[0].Actor != testbed.Oke.Name || list[0].Kind != "assign" {
		t.Errorf("%+v, %v", list, err)
	}
}
