package people

import (
	"context"
	"strings"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/sight"
)

// TeamPath names a team.
type TeamPath struct {
	Team string `path:"team" doc:"its name, or its handle with @"`
}

func (a *handlers) teamsAndLeaving(t *calls.Table) {
	calls.Call(t, "list-teams", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Teams], error) {
		shared, err := a.shared(ctx)
		if err != nil {
			return nil, err
		}
		roles, err := a.rolesSeen(ctx)
		if err != nil {
			return nil, err
		}
		list, err := a.teams(ctx, shared, roles)
		return calls.Answer(contract.Teams{Teams: list}), err
	})
	calls.Call(t, "create-team", func(ctx context.Context,
		in *calls.Body[contract.NewTeam]) (*calls.Body[contract.Team], error) {
		t, err := a.Store.Accounts.AddTeam(ctx, in.Body.Name, in.Body.Members)
		if err != nil {
			return nil, err
		}
		return calls.Answer(team(t)), nil
	})
	calls.Call(t, "change-team", func(ctx context.Context, in *struct {
		TeamPath
		Body contract.ChangeTeam
	}) (*calls.Body[contract.Team], error) {
		if err := a.notOneself(ctx, in.Team, in.Body.Add); err != nil {
			return nil, err
		}
		t, err := a.Store.Accounts.ChangeTeam(ctx, in.Team, in.Body.Add, in.Body.Remove)
		if err != nil {
			return nil, err
		}
		return calls.Answer(team(t)), nil
	})
	calls.Call(t, "leave", func(ctx context.Context, in *PersonPath) (*calls.Body[contract.Person], error) {
		p, err := a.Store.Accounts.Leave(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		out := person(p)
		list, err := a.Store.Triage.CarriedBy(ctx, sight.All, 0)
		for _, c := range list {
			if c.Person == p.Name {
				out.Carries += c.Issues + c.Parked
			}
		}
		return calls.Answer(out), err
	})
	calls.Call(t, "return", func(ctx context.Context, in *PersonPath) (*calls.Body[contract.Person], error) {
		p, err := a.Store.Accounts.Return(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		return calls.Answer(person(p)), nil
	})
}

func (a *handlers) teams(ctx context.Context, shared accounts.Shared, roles rolesBy) ([]contract.Team, error) {
	out := []contract.Team{}
	list, err := a.Store.Accounts.Teams(ctx, shared)
	for _, t := range list {
		one := team(t)
		one.Everywhere, one.Roles, one.MoreRoles = roles.of(t.ID)
		out = append(out, one)
	}
	return out, err
}

func team(t *accounts.Person) contract.Team {
	return contract.Team{Name: t.Name, Handle: "@" + strings.ReplaceAll(strings.ToLower(t.Name), " ", "-"),
		Members: append([]string{}, t.Members...)}
}

// somebody is a person with an account, and no team.
func (a *handlers) somebody(ctx context.Context, who string) (*accounts.Person, error) {
	p, err := a.Store.Accounts.FindHere(ctx, who)
	if err == nil && p.Team {
		return nil, problem.New(problem.BadInput, "%s is a team; teams cannot sign in", p.Name)
	}
	return p, err
}

// notOneself refuses operators who let themselves into a team that has roles: they
// take a role with a reason, or another operator lets them in.
func (a *handlers) notOneself(ctx context.Context, team string, add []string) error {
	me := calls.PersonOf(ctx)
	if me == 0 || len(add) == 0 {
		return nil
	}
	t, err := a.Store.Accounts.FindHere(ctx, team)
	if err != nil {
		return err
	}
	roles, everywhere, err := a.Store.Accounts.RolesOf(ctx, t.ID)
	if err != nil || len(roles) == 0 && everywhere == access.None {
		return err
	}
	for _, who := range add {
		p, err := a.Store.Accounts.FindHere(ctx, who)
		if err != nil {
			return err
		}
		if p.ID == me {
			return problem.New(problem.Forbidden, "you would get the roles of %s: take one with a reason (firethorn member set), or ask another operator to let you in", t.Name)
		}
	}
	return nil
}
