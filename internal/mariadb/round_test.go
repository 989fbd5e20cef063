package mariadb

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
)

// queue is a person's round in words: "1 new in 4.2.0; 2 came back …".
func (b *bench) queue(person int64) string {
	b.t.Helper()
	r, err := b.Queue(b.t.Context(), 0, []*Project{b.project}, person, 50)
	if err != nil {
		b.t.Fatal(err)
	}
	if r.Waiting != len(r.Items) {
		b.t.Errorf("%d are waiting, %d are listed", r.Waiting, len(r.Items))
	}
	var out []string
	for _, x := range r.Items {
		var why []string
		for _, w := range x.Why {
			why = append(why, strings.TrimSpace(w.Kind+" "+w.Actor))
		}
		out = append(out, fmt.Sprintf("%d %s", x.Number, strings.Join(why, "+")))
	}
	return strings.Join(out, "; ")
}

func (b *bench) named1(list ...int64) (out []IssueName) {
	for _, n := range list {
		out = append(out, IssueName{b.project, n})
	}
	return out
}

func TestRound(t *testing.T) {
	b := open1(t, noon)
	m, o := b.people()
	want := func(what string, person int64, queue string) {
		t.Helper()
		b.now = b.now.Add(time.Minute)
		if got := b.queue(person); got != queue {
			t.Errorf("%s: %q, want %q", what, got, queue)
		}
	}
	file := func(function, release string, users ...string) {
		t.Helper()
		b.now = b.now.Add(time.Minute)
		for _, u := range users {
			b.file(occur{function: function, release: release, user: u, at: b.now})
		}
	}
	pass := func(person int64, n ...int64) {
		t.Helper()
		b.now = b.now.Add(time.Minute)
		if err := b.Pass(t.Context(), person, b.now, b.named1(n...)); err != nil {
			t.Fatal(err)
		}
	}
	if err := b.BeginRound(t.Context(), 0, m); err != nil {
		t.Fatal(err)
	}
	file("tideAt", "4.1.0", "p-1", "p-2", "p-3")
	file("getJSON", "4.1.0", "p-1")
	want("both are new", m, "1 new; 2 new")
	b.act(1, issue.Action{Verb: issue.Assign, To: oke.Name})
	want("decided about", m, "2 new")
	want("given to him", o, "1 yours Maren Holt; 2 new")
	pass(o, 1)
	want("he has seen it", o, "2 new")
	b.act(1, issue.Action{Verb: issue.Undo})
	want("taken back", m, "1 new; 2 new")
	want("for him, too", o, "1 new; 2 new")
	pass(m, 1, 2)
	want("passed", m, "")
	want("only by her", o, "1 new; 2 new")
	if err := b.Unpass(t.Context(), m, b.named1(2)); err != nil {
		t.Fatal(err)
	}
	want("let come again", m, "2 new")
	b.act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixRelease, FixedIn: "4.2.0"}})
	b.act(2, issue.Action{Verb: issue.Parking, Park: issue.Park{Users: 1}})
	want("nothing is left", m, "")
	want("not for him either", o, "")
	file("tideAt", "4.2.0", "p-4")
	file("getJSON", "4.2.0", "p-9")
	want("came back and woke", m, "1 regressed; 2 woken")
	b.act(1, issue.Action{Verb: issue.Accept})
	b.act(2, issue.Action{Verb: issue.Assign, To: maren.Name})
	want("accepted", m, "")
	for i := range 7 {
		file("tideAt", "4.2.0", fmt.Sprint("q-", i))
	}
	want("ten users by now", m, "1 grown")
	b.act(1, issue.Action{Verb: issue.Grade, Grade: "fatal"})
	want("its severity is no decision about it", m, "1 grown")
	b.act(1, issue.Action{Verb: issue.Assign, To: maren.Name})
	want("it was decided about", m, "")
	b.act(1, issue.Action{Verb: issue.Undo})
	want("taken back: it still has grown", m, "1 grown")
	pass(m, 1)
	want("seen", m, "")
	if _, err := b.AddComment(t.Context(), b.issue(2).ID, "I have seen it too", oke, o); err != nil {
		t.Fatal(err)
	}
	want("a comment on hers", m, "2 yours Oke Farrow")
	if _, err := b.AddComment(t.Context(), b.issue(1).ID, "@maren.holt @maren, look", oke, o); err != nil {
		t.Fatal(err)
	}
	want("a mention on nobody's", m, "1 yours Oke Farrow; 2 yours Oke Farrow")
	e, err := b.EndRound(t.Context(), 0, []*Project{b.project}, &Person{ID: m, Name: maren.Name})
	if err != nil || e.Left != 2 || len(e.Done) != 7 || e.Done[0].Words != "assigned to Oke Farrow, and so accepted" || !e.Done[0].Undone || e.Done[1].Kind != "fix" {
		t.Errorf("%+v, %v", e, err)
	}
	if _, err := b.EndRound(t.Context(), 0, []*Project{b.project}, &Person{ID: m}); code(err) != fault.Conflict {
		t.Errorf("ended twice: %v", err)
	}
	if r, err := b.Queue(t.Context(), 0, []*Project{b.project}, m, 1); err != nil || r.Last.IsZero() || !r.Begun.IsZero() || len(r.Items) != 1 || r.Waiting != 2 {
		t.Errorf("%+v, %v", r, err)
	}
	// A call that came after she looked is not passed by looking.
	seen := b.now
	file("tideAt", "4.2.0", "x") // no call
	b.act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}})
	file("tideAt", "4.2.0", "y")
	if err := b.Pass(t.Context(), o, seen, b.named1(1)); err != nil {
		t.Fatal(err)
	}
	want("it came back since", o, "1 regressed")
	b.recounted()
}

// Who decides on what somebody else has decided about in between hears of it,
// and nothing is overwritten.
func TestRound_OfTwo(t *testing.T) {
	b := open1(t, noon)
	b.people()
	b.file(occur{function: "tideAt", user: "p-1", at: noon})
	seen := b.issue(1)
	if err := b.Act(t.Context(), seen.ID, issue.Action{Verb: issue.Assign, To: oke.Name}, "", oke, seen.Version); err != nil {
		t.Fatal(err)
	}
	err := b.Act(t.Context(), seen.ID, issue.Action{Verb: issue.Dismiss}, "", maren, seen.Version)
	if code(err) != fault.Stale || !strings.Contains(err.Error(), "Oke Farrow changed this issue in between (assigned to Oke Farrow, and so accepted)") {
		t.Errorf("decided twice: %v", err)
	}
	if is := b.issue(1); is.Owner != oke.Name || is.State != issue.Accepted {
		t.Errorf("%+v", is.Standing)
	}
	list, err := b.Settled(t.Context(), b.named1(1, 9))
	if err != nil || len(list) != 1 || list[0].Actor != oke.Name || list[0].Kind != "assign" {
		t.Errorf("%+v, %v", list, err)
	}
}
