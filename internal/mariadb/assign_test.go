package mariadb

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/rules"
)

func (b *bench) rules(text string) {
	b.t.Helper()
	set, faults := rules.Read(text)
	if len(faults) > 0 {
		b.t.Fatal(faults)
	}
	b.project.Project.Rules = set
}

func TestAssignRules(t *testing.T) {
	b := open1(t, noon)
	_, o := b.people()
	b.rules(`assign:
  - {name: tides, when: 'origin.function == "tideAt"', to: oke@marrowsound.example, users: 3, within: 2d}
  - {name: zoom, when: 'origin.function == "zoom"', to: Somebody Else}
  - {name: all, when: 'origin.function == "draw"', to: '@harbour-crew', events: 2}
`)
	owner := func(n int64, want string) {
		t.Helper()
		if is := b.issue(n); is.Owner != want {
			t.Errorf("issue %d is with %q, want %q", n, is.Owner, want)
		}
	}
	b.file(occur{function: "tideAt", user: "p-1", at: noon.AddDate(0, 0, -5)}, occur{function: "tideAt", user: "p-2", at: noon}, occur{function: "tideAt", user: "p-3", at: noon})
	owner(1, "") // three users, but not in two days
	b.file(occur{function: "tideAt", user: "p-4", at: noon})
	owner(1, oke.Name)
	b.state(1, issue.New)
	h, err := b.History(t.Context(), b.issue(1).ID)
	if err != nil || h[0].Kind != "given" || h[0].Words != `given to Oke Farrow by the rule "tides": 3 users in 2 days` || !h[0].CanUndo || h[0].ActorKind != "service" {
		t.Errorf("%+v, %v", h[0], err)
	}
	if list, _, err := b.Notices(t.Context(), o, 0, true, 0, 10); err != nil || len(list) != 1 || list[0].Kind != "given" {
		t.Errorf("%+v, %v", list, err)
	}
	// What people say stays: who has it, and that nobody has it.
	b.act(1, issue.Action{Verb: issue.Assign, To: maren.Name})
	b.file(occur{function: "tideAt", user: "p-5", at: noon})
	owner(1, maren.Name)
	b.act(1, issue.Action{Verb: issue.Assign})
	b.file(occur{function: "tideAt", user: "p-6", at: noon})
	owner(1, "")
	// A rule for somebody who is not here gives nothing, and says so.
	b.file(occur{function: "zoom", user: "p-1", at: noon})
	owner(2, "")
	var n int64
	if err := b.db.QueryRow("SELECT COALESCE(SUM(n.events),0) FROM received n WHERE n.cause=? AND n.rule='zoom'", CauseFailed).Scan(&n); err != nil || n != 1 {
		t.Errorf("trouble was counted %d times, %v", n, err)
	}
	// A team: its members hear of it.
	if _, err := b.AddTeam(t.Context(), "Harbour Crew", []string{oke.Name, "maren"}); err != nil {
		t.Fatal(err)
	}
	b.file(occur{function: "draw", user: "p-1", at: noon}, occur{function: "draw", user: "p-1", at: noon})
	owner(3, "Harbour Crew")
	if list, _, err := b.Notices(t.Context(), o, 0, true, 0, 1); err != nil || len(list) != 1 || list[0].Number != 3 {
		t.Errorf("%+v, %v", list, err)
	}
	b.act(3, issue.Action{Verb: issue.Undo})
	b.file(occur{function: "draw", user: "p-9", at: noon})
	owner(3, "") // taken back by hand: it is not given again
	b.recounted()
}

func TestLeave(t *testing.T) {
	b := open1(t, noon)
	m, _ := b.people()
	operator, err := b.AddPerson(t.Context(), "Operator", "operator@localhost", true)
	if err != nil {
		t.Fatal(err)
	}
	b.file(occur{function: "tideAt", user: "p-1", at: noon})
	if _, err := b.AddTeam(t.Context(), "Harbour Crew", []string{maren.Name, oke.Name}); err != nil {
		t.Fatal(err)
	}
	for what, err := range map[string]error{
		"a team of that name": func() error { _, err := b.AddTeam(t.Context(), "Harbour Crew", nil); return err }(),
		"a team of teams":     func() error { _, err := b.AddTeam(t.Context(), "All", []string{"@harbour-crew"}); return err }(),
		"a team without name": func() error { _, err := b.AddTeam(t.Context(), " ", nil); return err }(),
		"no team":             func() error { _, err := b.ChangeTeam(t.Context(), maren.Name, nil, nil); return err }(),
		"the only admin":      func() error { _, err := b.Leave(t.Context(), operator.Name); return err }(),
	} {
		if c := code(err); c != fault.BadInput && c != fault.Conflict {
			t.Errorf("%s: %v", what, err)
		}
	}
	b.act(1, issue.Action{Verb: issue.Assign, To: maren.Name})
	link, err := b.NewSignInLink(t.Context(), m, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	session, err := b.SignIn(t.Context(), link)
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := b.CreateToken(t.Context(), NewToken{Label: "terminal", Scope: ScopePerson, Person: m})
	if err != nil {
		t.Fatal(err)
	}
	if p, err := b.Leave(t.Context(), "maren"); err != nil || p.Here() {
		t.Fatalf("%+v, %v", p, err)
	}
	if _, err := b.GrantOfSession(t.Context(), session); err == nil {
		t.Error("who left is signed in")
	}
	if _, err := b.GrantOfToken(t.Context(), token); err == nil {
		t.Error("the token of who left is good")
	}
	b.file(occur{function: "zoom", user: "p-1", at: noon})
	err = b.Act(t.Context(), b.issue(2).ID, issue.Action{Verb: issue.Assign, To: maren.Name}, "", oke, 0)
	if code(err) != fault.Conflict || !strings.Contains(err.Error(), "Maren Holt left on 2026-11-23; choose somebody who works here") {
		t.Errorf("given to who left: %v", err)
	}
	if teams, err := b.Teams(t.Context()); err != nil || len(teams) != 1 || fmt.Sprint(teams[0].Members) != "[Oke Farrow]" {
		t.Errorf("%+v, %v", teams, err)
	}
	list, err := b.CarriedBy(t.Context(), 0)
	if err != nil || len(list) != 1 || !list[0].Left || list[0].Person != maren.Name {
		t.Errorf("%+v, %v", list, err)
	}
	if who, err := b.Carriers(t.Context()); err != nil || len(who) != 3 {
		t.Errorf("%+v can be proposed, %v", who, err)
	}
	if p, err := b.Return(t.Context(), maren.Name); err != nil || !p.Here() {
		t.Errorf("%+v, %v", p, err)
	}
}

// Who fixed an issue is who said so last; what was taken back was no fix.
func TestFixedBefore(t *testing.T) {
	b := open1(t, noon)
	b.people()
	for _, f := range []string{"tideAt", "zoneOf", "draw"} {
		b.file(occur{function: f, user: "p-1", at: noon})
	}
	fix := issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}}
	var ids []int64
	for n, by := range [][]Actor{{oke, maren}, {oke}, nil} {
		id := b.issue(int64(n + 1)).ID
		ids = append(ids, id)
		for _, who := range by {
			b.now = b.now.Add(time.Minute)
			if err := b.Act(t.Context(), id, fix, "", who, 0); err != nil {
				t.Fatal(err)
			}
			if err := b.Act(t.Context(), id, issue.Action{Verb: issue.Reopen}, "", who, 0); err != nil {
				t.Fatal(err)
			}
		}
	}
	got, err := b.FixedBefore(t.Context(), ids)
	if err != nil || !slices.Equal(got[ids[0]], []string{maren.Name, oke.Name}) || !slices.Equal(got[ids[1]], []string{oke.Name}) || len(got) != 2 {
		t.Errorf("%v, %v", got, err)
	}
	for range 2 { // opened again, fixed
		if err := b.Act(t.Context(), ids[1], issue.Action{Verb: issue.Undo}, "", oke, 0); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := b.FixedBefore(t.Context(), ids); err != nil || len(got) != 1 {
		t.Errorf("taken back: %v, %v", got, err)
	}
}
