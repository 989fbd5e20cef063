package people

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
)

func (a *handlers) roles(t *calls.Table) {
	calls.OnProject(t, "list-members",
		func(ctx context.Context, p *projects.Project, _ *calls.ProjectPath) (*calls.Body[contract.Members], error) {
			return a.members(ctx, p)
		})
	calls.OnProject(t, "set-member", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.SetMember
	}) (*calls.Body[contract.Members], error) {
		role, _ := access.ReadRole(in.Body.Role)
		if err := a.setRole(ctx, in.Body.Who, accounts.NewRole{Project: p.ID, ProjectName: p.Name, Role: role,
			Reason: in.Body.Reason}); err != nil {
			return nil, err
		}
		return a.members(ctx, p)
	})
	calls.Call(t, "set-role-everywhere", func(ctx context.Context, in *struct {
		PersonPath
		Body contract.SetRole
	}) (*calls.Body[contract.Person], error) {
		role, _ := access.ReadRole(in.Body.Role)
		err := a.setRole(ctx, in.Who, accounts.NewRole{Project: accounts.Everywhere, Role: role,
			Reason: in.Body.Reason})
		if err != nil {
			return nil, err
		}
		return a.shown(ctx, in.Who)
	})
	calls.Call(t, "set-operator", func(ctx context.Context, in *struct {
		PersonPath
		Body contract.SetOperator
	}) (*calls.Body[contract.Person], error) {
		p, err := a.Store.Accounts.FindHere(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		if err := a.Store.Accounts.SetOperator(ctx, p, in.Body.Operator); err != nil {
			return nil, err
		}
		return a.shown(ctx, in.Who)
	})
}

// setRole gives a person a role. Operators who give themselves one say why: they read
// what they otherwise do not.
func (a *handlers) setRole(ctx context.Context, who string, n accounts.NewRole) error {
	p, err := a.Store.Accounts.FindHere(ctx, who)
	operates, allErr := a.Allowed(ctx, access.ChangePeople, nil)
	if allErr != nil {
		return allErr
	}
	if !operates && (err != nil || !p.Called(who)) { // of whom they share no project with, maintainers know the address
		return problem.New(problem.BadInput, "no person has the name or address %q; write it in full", who)
	}
	if err != nil {
		return err
	}
	g := calls.GrantOf(ctx)
	mine := g.Person != nil && g.Person.ID == p.ID
	if g.Person != nil && p.Team {
		if mine, err = a.Store.Accounts.InTeam(ctx, p.ID, g.Person.ID); err != nil {
			return err
		}
	}
	if mine && g.Operator && n.Role != access.None && strings.TrimSpace(n.Reason) == "" {
		has, err := a.Store.Accounts.RoleIn(ctx, g.Person.ID, n.Project)
		if err != nil {
			return err
		}
		if has < n.Role {
			return problem.New(problem.BadInput, "say why you take this role: \"reason\", or --reason TEXT. It is written to the audit")
		}
	}
	return a.Store.Accounts.SetRole(ctx, p, n)
}

func (a *handlers) members(ctx context.Context, p *projects.Project) (*calls.Body[contract.Members], error) {
	list, err := a.Store.Accounts.Members(ctx, p.ID)
	out := contract.Members{Project: p.Name, Members: []contract.Member{}}
	for _, m := range list {
		out.Members = append(out.Members, contract.Member{Name: m.Person.Name, Email: m.Person.Email,
			Team: m.Person.Team, Role: m.Role.String(), Everywhere: m.Everywhere, Through: m.Through})
	}
	return calls.Answer(out), err
}

// shown is a person as a list of people shows them.
func (a *handlers) shown(ctx context.Context, who string) (*calls.Body[contract.Person], error) {
	p, err := a.Store.Accounts.FindPerson(ctx, who)
	if err != nil {
		return nil, err
	}
	roles, err := a.rolesSeen(ctx)
	out := person(p)
	out.Everywhere, out.Roles, out.MoreRoles = roles.of(p.ID)
	return calls.Answer(out), err
}

// rolesBy are roles by people and teams.
type rolesBy map[int64][]contract.RoleIn

// rolesSeen are the roles of everybody in the projects that the caller sees; a role in
// all projects stands under "".
func (a *handlers) rolesSeen(ctx context.Context) (rolesBy, error) {
	all, err := a.Store.Accounts.RolesOfAll(ctx, a.Sight(ctx, access.ReadProject))
	out := rolesBy{}
	for id, roles := range all {
		for project, role := range roles {
			out[id] = append(out[id], contract.RoleIn{Project: project, Role: role.String()})
		}
		slices.SortFunc(out[id], func(x, y contract.RoleIn) int { return cmp.Compare(x.Project, y.Project) })
	}
	return out, err
}

// maxRoles is how many roles of a person are returned; there may be thousands of people, and hundreds of
// projects.
const maxRoles = 5

// of gives a person's role in all projects, the first of those in single ones,
// and how many there are beside.
func (r rolesBy) of(id int64) (everywhere string, roles []contract.RoleIn, more int) {
	for _, x := range r[id] {
		switch {
		case x.Project == "":
			everywhere = x.Role
		case len(roles) < maxRoles:
			roles = append(roles, x)
		default:
			more++
		}
	}
	return everywhere, roles, more
}
