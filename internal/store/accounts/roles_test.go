package accounts_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
)

// add adds somebody.
func add(t *testing.T, b *testbed.Bench, name string, operator bool) *accounts.Person {
	t.Helper()
	p, err := b.Accounts.AddPerson(t.Context(), name, strings.ToLower(strings.Fields(name)[0])+"@marrowsound.example",
		operator)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// give gives somebody a role; 0 is all projects.
func give(t *testing.T, b *testbed.Bench, p *accounts.Person, project int64, role access.Role) {
	t.Helper()
	if err := b.Accounts.SetRole(t.Context(), p, accounts.NewRole{Project: project, Role: role}); err != nil {
		t.Fatal(err)
	}
}

// named are the projects that somebody sees.
func named(t *testing.T, b *testbed.Bench, s sight.Sight) string {
	t.Helper()
	list, err := b.Projects.Projects(t.Context(), s)
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, p := range list {
		names = append(names, p.Name)
	}
	return strings.Join(names, " ")
}

// A role is one's own, a team's, or one in all projects; the greatest counts. What is
// listed is filtered by the same.
func TestRoles(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	gangway, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30})
	if err != nil {
		t.Fatal(err)
	}
	maren := add(t, b, "Maren Holt", false)
	crew, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", []string{"Maren Holt"})
	if err != nil {
		t.Fatal(err)
	}
	is := func(what string, quayside, other access.Role, sees string) {
		t.Helper()
		for project, want := range map[int64]access.Role{b.Project.ID: quayside, gangway.ID: other} {
			if got, err := b.Accounts.RoleIn(t.Context(), maren.ID, project); err != nil || got != want {
				t.Errorf("%s: %s in project %d, want %s (%v)", what, got, project, want, err)
			}
			if takes, err := b.Accounts.TakesPart(t.Context(), maren.ID,
				project); err != nil || takes != (want > access.None) {
				t.Errorf("%s: takes part in %d: %v, %v", what, project, takes, err)
			}
		}
		if got := named(t, b, sight.OfPerson(maren.ID, access.Viewer)); got != sees {
			t.Errorf("%s: sees %q, want %q", what, got, sees)
		}
	}
	is("no role", access.None, access.None, "")
	give(t, b, maren, b.Project.ID, access.Viewer)
	is("a viewer", access.Viewer, access.None, "quayside")
	give(t, b, crew, gangway.ID, access.Member)
	is("by a team", access.Viewer, access.Member, "gangway quayside")
	if got := named(t, b, sight.OfPerson(maren.ID, access.Member)); got != "gangway" {
		t.Errorf("is a member of %q", got)
	}
	give(t, b, crew, b.Project.ID, access.Maintainer)
	is("the greater one", access.Maintainer, access.Member, "gangway quayside")
	give(t, b, maren, accounts.Everywhere, access.Maintainer)
	is("everywhere", access.Maintainer, access.Maintainer, "gangway quayside")
	list, err := b.Accounts.Members(t.Context(), b.Project.ID)
	var said []string
	for _, m := range list {
		said = append(said, fmt.Sprint(m.Person.Name, " ", m.Role, " ", m.Everywhere, " ", m.Through))
	}
	if want := "Harbour Crew maintainer false , Maren Holt maintainer true , Maren Holt maintainer false Harbour Crew, Maren Holt viewer false "; err != nil || strings.Join(said, ", ") != want {
		t.Errorf("members: %s, %v", strings.Join(said, ", "), err)
	}
	give(t, b, maren, accounts.Everywhere, access.None)
	if _, err := b.Accounts.ChangeTeam(t.Context(), "Harbour Crew", nil, []string{"Maren Holt"}); err != nil {
		t.Fatal(err)
	}
	is("out of the team", access.Viewer, access.None, "quayside")
	if p, err := b.Accounts.Leave(t.Context(), "Maren Holt"); err != nil || p.Here() {
		t.Fatal(err)
	}
	is("left", access.None, access.None, "")
	if len(named(t, b, sight.Sight{})) > 0 || named(t, b, sight.All) != "gangway quayside" {
		t.Error("the two ends of sight do not see nothing and all")
	}
}

// Who makes a project maintains it; one that nobody makes is the operators'; one that
// a key's events make has the roles of the key's project.
func TestRoles_OfANewProject(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren, ines := add(t, b, "Maren Holt", false), add(t, b, "Ines Brandt", true)
	make := func(n projects.NewProject) *projects.Project {
		t.Helper()
		n.KeepDays = 30
		p, _, err := b.Projects.CreateProject(t.Context(), n)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	role := func(who *accounts.Person, p *projects.Project) access.Role {
		t.Helper()
		r, err := b.Accounts.RoleIn(t.Context(), who.ID, p.ID)
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	hers, nobodys := make(projects.NewProject{Name: "bosun", Maker: maren.ID}),
		make(projects.NewProject{Name: "gangway"})
	like := make(projects.NewProject{Name: "bosun-tides", Like: hers.ID})
	for what, got := range map[string]bool{
		"its maker":                       role(maren, hers) == access.Maintainer,
		"an operator who did not make it": role(ines, hers) == access.None,
		"an operator":                     role(ines, nobodys) == access.Maintainer,
		"somebody else":                   role(maren, nobodys) == access.None,
		"as in the other":                 role(maren, like) == access.Maintainer && role(ines, like) == access.None,
	} {
		if !got {
			t.Errorf("%s has the wrong role", what)
		}
	}
}

func TestSetOperator_KeepsTheLast(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ines := add(t, b, "Ines Brandt", true)
	refused := func(what string, err error) {
		t.Helper()
		if testbed.Code(err) != problem.Conflict {
			t.Errorf("%s: %v", what, err)
		}
	}
	refused("the last operator demotes themselves", b.Accounts.SetOperator(t.Context(), ines, false))
	_, err := b.Accounts.Leave(t.Context(), "Ines Brandt")
	refused("the last operator leaves", err)
	maren := add(t, b, "Maren Holt", false)
	refused("the last operator is merged away", b.Accounts.MergePeople(t.Context(), ines, maren))
	if err := b.Accounts.SetOperator(t.Context(), maren, true); err != nil {
		t.Fatal(err)
	}
	if err := b.Accounts.SetOperator(t.Context(), ines, false); err != nil {
		t.Fatal(err)
	}
	maren.Operator = true
	refused("the other one, who is the last now", b.Accounts.SetOperator(t.Context(), maren, false))
	crew, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Accounts.SetOperator(t.Context(), crew, true); testbed.Code(err) != problem.BadInput {
		t.Errorf("a team operates: %v", err)
	}
}

// Names that nobody can distinguish, or that have characters that nobody sees, are
// refused, of people and of teams.
func TestNames(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	add(t, b, "Maren Holt", false)
	for name, code := range map[string]problem.Code{
		"Мaren Holt":             problem.Conflict, // a Cyrillic М
		"Maren Hоlt":             problem.Conflict, // a Cyrillic о
		"MAREN HOLT":             problem.Conflict,
		"Maren  Holt":            problem.Conflict,
		"Ⅿaren Holt":             problem.Conflict, // the Roman numeral 1,000
		"Maren\u200bHolt":        problem.BadInput, // a space of no width
		"Oke \u202eworraF":       problem.BadInput, // turned around
		"Oke\x1b[31m":            problem.BadInput,
		"Oke\nFarrow":            problem.BadInput,
		"Oke\u2028Farrow":        problem.BadInput,
		"   ":                    problem.BadInput,
		strings.Repeat("W", 101): problem.BadInput,
	} {
		if _, err := b.Accounts.AddPerson(t.Context(), name, "x@marrowsound.example",
			false); testbed.Code(err) != code {
			t.Errorf("a person %q: %v, want %s", name, err, code)
		}
		if _, err := b.Accounts.AddTeam(t.Context(), name, nil); testbed.Code(err) != code {
			t.Errorf("a team %q: %v, want %s", name, err, code)
		}
	}
	for i, name := range []string{"Marten Holt", "Søren Åkesson", "Ольга Берг", "محمد الحسن", "李 小龙",
		"Ana-María O’Neill", strings.Repeat("W", 100)} {
		if _, err := b.Accounts.AddPerson(t.Context(), name, fmt.Sprintf("p%d@marrowsound.example", i),
			false); err != nil {
			t.Errorf("%q: %v", name, err)
		}
	}
}

// One who is here twice becomes one: with the roles, teams, notices and watched issues
// of both; what leads to the other name leads to them.
func TestMergePeople(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	m, o := b.People()
	maren, err := b.Accounts.FindPerson(t.Context(), "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	twice := add(t, b, "Marna Holt", false)
	give(t, b, twice, b.Project.ID, access.Maintainer)
	if _, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", []string{"Marna Holt"}); err != nil {
		t.Fatal(err)
	}
	b.In("tideAt", "4.2.0")
	if err := b.Triage.Watch(t.Context(), b.Issue(1).ID, twice.ID, true); err != nil {
		t.Fatal(err)
	}
	link, err := b.Accounts.NewSignInLink(t.Context(), twice.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	session, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: link})
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Accounts.MergePeople(t.Context(), twice, maren); err != nil {
		t.Fatal(err)
	}
	if r, err := b.Accounts.RoleIn(t.Context(), m, b.Project.ID); err != nil || r != access.Maintainer {
		t.Errorf("role: %s, %v", r, err)
	}
	if teams, err := b.Accounts.Teams(t.Context(),
		accounts.EverybodySees); err != nil || len(teams) != 1 || fmt.Sprint(teams[0].Members) != "[Maren Holt]" {
		t.Errorf("teams: %+v, %v", teams, err)
	}
	if who, err := b.Triage.Watching(t.Context(), b.Issue(1).ID); err != nil || fmt.Sprint(who) != "[Maren Holt]" {
		t.Errorf("watching: %v, %v", who, err)
	}
	for _, name := range []string{"Marna Holt", "marna holt", "marna@marrowsound.example"} {
		if p, err := b.Accounts.FindHere(t.Context(), name); err != nil || p.ID != m {
			t.Errorf("%s leads to %+v, %v", name, p, err)
		}
	}
	if p, err := b.Accounts.FindIn(t.Context(), "Marna Holt", b.Project.ID, "quayside"); err != nil || p.ID != m {
		t.Errorf("in the project: %+v, %v", p, err)
	}
	if _, err := b.Accounts.GrantOfSession(t.Context(), session, ""); testbed.Code(err) != problem.Unauthorized {
		t.Errorf("the session of who was merged away: %v", err)
	}
	oke, err := b.Accounts.FindPerson(t.Context(), "Oke Farrow")
	if err != nil || oke.ID != o {
		t.Fatal(err)
	}
	if err := b.Accounts.MergePeople(t.Context(), oke, oke); testbed.Code(err) != problem.BadInput {
		t.Errorf("with oneself: %v", err)
	}
}

// People see those with whom they share a project, operators everybody.
func TestPeople_ListsThoseOfSharedProjects(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	gangway, _, err := b.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30})
	if err != nil {
		t.Fatal(err)
	}
	maren, oke, tor, ida := add(t, b, "Maren Holt", false), add(t, b, "Oke Farrow", false),
		add(t, b, "Tor Aasen", false), add(t, b, "Ida Moe", false)
	if _, err := b.Accounts.AddTeam(t.Context(), "Gate Crew", []string{"Ida Moe"}); err != nil {
		t.Fatal(err)
	}
	gate, err := b.Accounts.FindPerson(t.Context(), "Gate Crew")
	if err != nil {
		t.Fatal(err)
	}
	give(t, b, maren, b.Project.ID, access.Viewer)
	give(t, b, oke, b.Project.ID, access.Member)
	give(t, b, tor, gangway.ID, access.Member)
	give(t, b, gate, b.Project.ID, access.Member)
	for _, c := range []struct {
		who  *accounts.Person
		want string
	}{{maren, "Ida Moe,Maren Holt,Oke Farrow"}, {tor, "Tor Aasen"}, {ida, "Ida Moe,Maren Holt,Oke Farrow"}} {
		shared := accounts.Shared{Seen: sight.OfPerson(c.who.ID, access.Viewer), Person: c.who.ID}
		list, err := b.Accounts.People(t.Context(), shared)
		var names []string
		for _, p := range list {
			names = append(names, p.Name)
		}
		if got := strings.Join(names, ","); err != nil || got != c.want {
			t.Errorf("%s sees %s, want %s (%v)", c.who.Name, got, c.want, err)
		}
		teams, err := b.Accounts.Teams(t.Context(), shared)
		if want := strings.Contains(c.want, "Ida"); err != nil || (len(teams) == 1) != want {
			t.Errorf("%s sees %d teams, %v", c.who.Name, len(teams), err)
		}
	}
	if _, err := b.Accounts.FindIn(t.Context(), "Tor", b.Project.ID,
		"quayside"); testbed.Code(err) != problem.BadInput || strings.Contains(err.Error(), "Aasen") {
		t.Errorf("somebody of another project: %v", err)
	}
	if p, err := b.Accounts.FindIn(t.Context(), "@gate-crew", b.Project.ID, "quayside"); err != nil || p.ID != gate.ID {
		t.Errorf("a team: %+v, %v", p, err)
	}
}

// Roles and who took them stand in the audit.
func TestSetRole_StandsInTheAudit(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren := add(t, b, "Maren Holt", false)
	ctx := audit.By(t.Context(), audit.Who{Kind: "person", ID: 99, Name: "Ines Brandt"})
	set := func(ctx context.Context, role access.Role, reason string) {
		t.Helper()
		if err := b.Accounts.SetRole(ctx, maren,
			accounts.NewRole{Project: b.Project.ID, ProjectName: "quayside", Role: role, Reason: reason}); err != nil {
			t.Fatal(err)
		}
	}
	set(ctx, access.Member, " the storm of 23 November ")
	set(ctx, access.Member, "once more")
	set(ctx, access.None, "")
	list, _, err := b.Audit.List(t.Context(), audit.Query{Kind: "person", ID: 99, Limit: 10})
	var said []string
	for _, e := range list {
		said = append(said, fmt.Sprint(e.Action, ": ", e.Target, " ", e.Before, " ", e.After))
	}
	slices.Reverse(said)
	if want := `role changed: Maren Holt in quayside {"role":"none"} {"role":"member","reason":"the storm of 23 November"}|` +
		`role changed: Maren Holt in quayside {"role":"member"} {"role":"none"}`; err != nil || strings.Join(said,
		"|") != want {
		t.Errorf("%s, %v", strings.Join(said, "|"), err)
	}
}
