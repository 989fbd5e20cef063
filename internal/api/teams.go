package api

import (
	"context"
	"strings"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/store/accounts"
)

// TeamPath names a team.
type TeamPath struct {
	Team string `path:"team" doc:"its name, or its handle with @"`
}

func (a *API) teamsAndLeaving(t *table) {
	call(t, "list-teams", func(ctx context.Context, _ *noInput) (*body[contract.Teams], error) {
		list, err := a.teams(ctx)
		return &body[contract.Teams]{contract.Teams{Teams: list}}, err
	})
	call(t, "create-team", func(ctx context.Context, in *body[contract.NewTeam]) (*body[contract.Team], error) {
		t, err := a.store.Accounts.AddTeam(ctx, in.Body.Name, in.Body.Members)
		if err != nil {
			return nil, err
		}
		return &body[contract.Team]{team(t)}, nil
	})
	call(t, "change-team", func(ctx context.Context, in *struct {
		TeamPath
		Body contract.ChangeTeam
	}) (*body[contract.Team], error) {
		t, err := a.store.Accounts.ChangeTeam(ctx, in.Team, in.Body.Add, in.Body.Remove)
		if err != nil {
			return nil, err
		}
		return &body[contract.Team]{team(t)}, nil
	})
	call(t, "leave", func(ctx context.Context, in *PersonPath) (*body[contract.Person], error) {
		p, err := a.store.Accounts.Leave(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		out := person(p)
		list, err := a.store.Triage.CarriedBy(ctx, 0)
		for _, c := range list {
			if c.Person == p.Name {
				out.Carries += c.Issues + c.Parked
			}
		}
		return &body[contract.Person]{out}, err
	})
	call(t, "return", func(ctx context.Context, in *PersonPath) (*body[contract.Person], error) {
		p, err := a.store.Accounts.Return(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		return &body[contract.Person]{person(p)}, nil
	})
}

func (a *API) teams(ctx context.Context) ([]contract.Team, error) {
	out := []contract.Team{}
	list, err := a.store.Accounts.Teams(ctx)
	for _, t := range list {
		out = append(out, team(t))
	}
	return out, err
}

func team(t *accounts.Person) contract.Team {
	return contract.Team{Name: t.Name, Handle: "@" + strings.ReplaceAll(strings.ToLower(t.Name), " ", "-"),
		Members: append([]string{}, t.Members...)}
}

// somebody is a person who works here, and no team.
func (a *API) somebody(ctx context.Context, who string) (*accounts.Person, error) {
	p, err := a.store.Accounts.FindHere(ctx, who)
	if err == nil && p.Team {
		return nil, fault.New(fault.BadInput, "%s is a team; nobody signs in as one", p.Name)
	}
	return p, err
}
