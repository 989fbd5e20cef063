package api

import (
	"context"

	"firethorn/internal/contract"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/regrouping"
)

const regroupingsListed = 20

func (a *API) regroupings(t *table) {
	onProject(t, "show-regroupings",
		func(ctx context.Context, p *projects.Project, in *ProjectPath) (*body[contract.Grouping], error) {
			return a.groupingOf(ctx, p)
		})
	onProject(t, "adopt-grouping", func(ctx context.Context, p *projects.Project, in *struct {
		ProjectPath
		Body contract.AdoptGrouping
	}) (*body[contract.Grouping], error) {
		if err := a.store.Regrouping.WantGrouping(ctx, p.ID, in.Body.Version); err != nil {
			return nil, err
		}
		a.look(p.ID)
		p, err := a.store.Projects.ProjectByID(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		return a.groupingOf(ctx, p)
	})
	for id, do := range map[string]func(context.Context, *projects.Project, accounts.Actor) error{
		"begin-regrouping": func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			_, err := a.store.Regrouping.Regroup(ctx, p, who)
			return err
		},
		"stop-regrouping": func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			return a.store.Regrouping.StopRegroup(ctx, p, who)
		},
		"undo-regrouping": func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			_, err := a.store.Regrouping.UndoRegroup(ctx, p, who)
			return err
		},
	} {
		onProject(t, id, func(ctx context.Context, p *projects.Project,
			_ *ProjectPath) (*body[contract.Regrouping], error) {
			if err := do(ctx, p, actor(ctx)); err != nil {
				return nil, err
			}
			a.look(p.ID)
			g, err := a.store.Regrouping.Regrouping(ctx, p, 0)
			if err != nil {
				return nil, err
			}
			return &body[contract.Regrouping]{regroupingOf(g)}, nil
		})
	}
}

// look lets whoever files look at a project anew.
func (a *API) look(project int64) {
	if a.wake != nil {
		a.wake(project)
	}
}

func (a *API) groupingOf(ctx context.Context, p *projects.Project) (*body[contract.Grouping], error) {
	list, err := a.store.Regrouping.Regroupings(ctx, p.ID, regroupingsListed)
	if err != nil {
		return nil, err
	}
	out := contract.Grouping{Project: p.Name, Version: p.GroupingVersion, Wanted: p.NextGrouping(),
		Rules: p.RulesVersion, Versions: []contract.GroupingVersion{}, Regroupings: []contract.Regrouping{}}
	for _, v := range fingerprint.Versions {
		out.Versions = append(out.Versions, contract.GroupingVersion{Version: v.Number, Words: v.Words})
	}
	for _, g := range list {
		out.Regroupings = append(out.Regroupings, regroupingOf(g))
	}
	return &body[contract.Grouping]{out}, nil
}

func regroupingOf(g *regrouping.Regrouping) contract.Regrouping {
	return contract.Regrouping{
		ID: g.ID, At: g.At, By: g.Actor.Name, State: string(g.State), Rules: g.Rules, Version: g.Version,
		Read: min(g.Variants, g.Of), Of: g.Of, Bodies: g.Bodies,
		Events: g.Events, Stays: g.Stays, Made: g.Made, Emptied: g.Emptied, Ended: g.Ended, UndoneBy: g.UndoneBy,
		Why: g.Why,
	}
}
