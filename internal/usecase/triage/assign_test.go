package triage_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
)

func TestAssignRules(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	_, o := b.People()
	b.Rules(`assign:
  - {name: tides, when: 'origin.function == "tideAt"', to: oke@marrowsound.example, users: 3, within: 2d}
  - {name: zoom, when: 'origin.function == "zoom"', to: Somebody Else}
  - {name: all, when: 'origin.function == "draw"', to: '@harbour-crew', events: 2}
`)
	owner := func(n int64, want string) {
		t.Helper()
		if is := b.Issue(n); is.Owner != want {
			t.Errorf("issue %d is with %q, want %q", n, is.Owner, want)
		}
	}
	b.File(testbed.Event{Function: "tideAt", User: "p-1", At: testbed.Noon.AddDate(0, 0, -5)}, testbed.Event{Function: "tideAt", User: "p-2", At: testbed.Noon}, testbed.Event{Function: "tideAt", User: "p-3", At: testbed.Noon})
	owner(1, "") // three users, but not in two days
	b.File(testbed.Event{Function: "tideAt", User: "p-4", At: testbed.Noon})
	owner(1, testbed.Oke.Name)
	b.State(1, issue.New)
	h, err := b.Issues.History(t.Context(), b.Issue(1).ID)
	if err != nil || h[0].Kind != "given" || h[0].Text != `given to Oke Farrow by the rule "tides": 3 users in 2 days` || !h[0].CanUndo || h[0].ActorKind != "service" {
		t.Errorf("%+v, %v", h[0], err)
	}
	if list, _, err := b.Status.Notices(t.Context(), o, sight.All, true, 0, 10); err != nil || len(list) != 1 || list[0].Kind != "given" {
		t.Errorf("%+v, %v", list, err)
	}
	// What people say stays: who has it, and that nobody has it.
	b.Act(1, issue.Action{Verb: issue.Assign, To: testbed.Maren.Name})
	b.File(testbed.Event{Function: "tideAt", User: "p-5", At: testbed.Noon})
	owner(1, testbed.Maren.Name)
	b.Act(1, issue.Action{Verb: issue.Assign})
	b.File(testbed.Event{Function: "tideAt", User: "p-6", At: testbed.Noon})
	owner(1, "")
	// A rule for somebody who is not here gives nothing, and says so.
	b.File(testbed.Event{Function: "zoom", User: "p-1", At: testbed.Noon})
	owner(2, "")
	var n int64
	if err := b.DB.QueryRow("SELECT COALESCE(SUM(n.events),0) FROM received n WHERE n.cause=? AND n.rule='zoom'", inbox.CauseConditionFailed).Scan(&n); err != nil || n != 1 {
		t.Errorf("trouble was counted %d times, %v", n, err)
	}
	// A team: its members are notified of it.
	if _, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", []string{testbed.Oke.Name, "maren"}); err != nil {
		t.Fatal(err)
	}
	b.File(testbed.Event{Function: "draw", User: "p-1", At: testbed.Noon}, testbed.Event{Function: "draw", User: "p-1", At: testbed.Noon})
	owner(3, "Harbour Crew")
	if list, _, err := b.Status.Notices(t.Context(), o, sight.All, true, 0, 1); err != nil || len(list) != 1 || list[0].Number != 3 {
		t.Errorf("%+v, %v", list, err)
	}
	b.Act(3, issue.Action{Verb: issue.Undo})
	b.File(testbed.Event{Function: "draw", User: "p-9", At: testbed.Noon})
	owner(3, "") // undone by hand: it is not given again
	b.Recounted()
}

func TestLeave(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	m, _ := b.People()
	operator, err := b.Accounts.AddPerson(t.Context(), "Operator", "operator@localhost", true)
	if err != nil {
		t.Fatal(err)
	}
	b.File(testbed.Event{Function: "tideAt", User: "p-1", At: testbed.Noon})
	if _, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", []string{testbed.Maren.Name, testbed.Oke.Name}); err != nil {
		t.Fatal(err)
	}
	for what, err := range map[string]error{
		"a team of that name": func() error { _, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", nil); return err }(),
		"a team of teams":     func() error { _, err := b.Accounts.AddTeam(t.Context(), "All", []string{"@harbour-crew"}); return err }(),
		"a team without name": func() error { _, err := b.Accounts.AddTeam(t.Context(), " ", nil); return err }(),
		"no team":             func() error { _, err := b.Accounts.ChangeTeam(t.Context(), testbed.Maren.Name, nil, nil); return err }(),
		"the only admin":      func() error { _, err := b.Accounts.Leave(t.Context(), operator.Name); return err }(),
	} {
		if c := testbed.Code(err); c != problem.BadInput && c != problem.Conflict {
			t.Errorf("%s: %v", what, err)
		}
	}
	b.Act(1, issue.Action{Verb: issue.Assign, To: testbed.Maren.Name})
	link, err := b.Accounts.NewSignInLink(t.Context(), m, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	session, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: link})
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := b.Accounts.CreateToken(t.Context(), accounts.NewToken{Label: "terminal", Scope: "person", Kind: access.KindPerson, Given: access.KindPerson.Usual(), Person: m})
	if err != nil {
		t.Fatal(err)
	}
	if p, err := b.Accounts.Leave(t.Context(), "maren"); err != nil || p.Here() {
		t.Fatalf("%+v, %v", p, err)
	}
	if _, err := b.Accounts.GrantOfSession(t.Context(), session, ""); err == nil {
		t.Error("who left is signed in")
	}
	if _, err := b.Accounts.GrantOfToken(t.Context(), token, ""); err == nil {
		t.Error("the token of who left is good")
	}
	b.File(testbed.Event{Function: "zoom", User: "p-1", At: testbed.Noon})
	err = b.Triage.Act(t.Context(), b.Issue(2).ID, issue.Action{Verb: issue.Assign, To: testbed.Maren.Name}, "", testbed.Oke, 0)
	if testbed.Code(err) != problem.Conflict || !strings.Contains(err.Error(), "Maren Holt left on 2026-11-23; choose another person") {
		t.Errorf("given to who left: %v", err)
	}
	if teams, err := b.Accounts.Teams(t.Context(), accounts.EverybodySees); err != nil || len(teams) != 1 || fmt.Sprint(teams[0].Members) != "[Oke Farrow]" {
		t.Errorf("%+v, %v", teams, err)
	}
	list, err := b.Triage.CarriedBy(t.Context(), sight.All, 0)
	if err != nil || len(list) != 1 || !list[0].Left || list[0].Person != testbed.Maren.Name {
		t.Errorf("%+v, %v", list, err)
	}
	if who, err := b.Overview.Carriers(t.Context(), b.Project.ID, sight.All); err != nil || len(who) != 2 {
		t.Errorf("%+v can be proposed, %v", who, err)
	}
	if p, err := b.Accounts.Return(t.Context(), testbed.Maren.Name); err != nil || !p.Here() {
		t.Errorf("%+v, %v", p, err)
	}
}

// Who fixed an issue is who said so last; what was undone was no fix.
func TestFixedBefore(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.People()
	for _, f := range []string{"tideAt", "zoneOf", "draw"} {
		b.File(testbed.Event{Function: f, User: "p-1", At: testbed.Noon})
	}
	fix := issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}}
	var ids []int64
	for n, by := range [][]accounts.Actor{{testbed.Oke, testbed.Maren}, {testbed.Oke}, nil} {
		id := b.Issue(int64(n + 1)).ID
		ids = append(ids, id)
		for _, who := range by {
			b.Now = b.Now.Add(time.Minute)
			if err := b.Triage.Act(t.Context(), id, fix, "", who, 0); err != nil {
				t.Fatal(err)
			}
			if err := b.Triage.Act(t.Context(), id, issue.Action{Verb: issue.Reopen}, "", who, 0); err != nil {
				t.Fatal(err)
			}
		}
	}
	got, err := b.Overview.FixedBefore(t.Context(), ids)
	if err != nil || !slices.Equal(got[ids[0]], []string{testbed.Maren.Name, testbed.Oke.Name}) || !slices.Equal(got[ids[1]], []string{testbed.Oke.Name}) || len(got) != 2 {
		t.Errorf("%v, %v", got, err)
	}
	for range 2 { // opened again, fixed
		if err := b.Triage.Act(t.Context(), ids[1], issue.Action{Verb: issue.Undo}, "", testbed.Oke, 0); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := b.Overview.FixedBefore(t.Context(), ids); err != nil || len(got) != 1 {
		t.Errorf("taken back: %v, %v", got, err)
	}
}
