package projects

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/regrouping"
)

const regroupingsListed = 20

func (a *handlers) regroupings(t *calls.Table) {
	calls.OnProject(t, "show-regroupings",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.Grouping], error) {
			return a.groupingOf(ctx, p)
		})
	calls.OnProject(t, "adopt-grouping", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.AdoptGrouping
	}) (*calls.Body[contract.Grouping], error) {
		if err := a.Store.Regrouping.WantGrouping(ctx, p.ID, in.Body.Version); err != nil {
			return nil, err
		}
		a.look(p.ID)
		p, err := a.Store.Projects.ProjectByID(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		return a.groupingOf(ctx, p)
	})
	for id, do := range map[string]func(context.Context, *projects.Project, accounts.Actor) error{
		"begin-regrouping": func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			_, err := a.Store.Regrouping.Regroup(ctx, p, who)
			return err
		},
		"stop-regrouping": func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			return a.Store.Regrouping.StopRegroup(ctx, p, who)
		},
		"undo-regrouping": func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			_, err := a.Store.Regrouping.UndoRegroup(ctx, p, who)
			return err
		},
	} {
		calls.OnProject(t, id, func(ctx context.Context, p *projects.Project,
			_ *calls.ProjectPath) (*calls.Body[contract.Regrouping], error) {
			if err := do(ctx, p, calls.Actor(ctx)); err != nil {
				return nil, err
			}
			a.look(p.ID)
			g, err := a.Store.Regrouping.Regrouping(ctx, p, 0)
			if err != nil {
				return nil, err
			}
			return calls.Answer(regroupingOf(g)), nil
		})
	}
}

// look has the worker look at a project again.
func (a *handlers) look(project int64) {
	if a.Wake != nil {
		a.Wake(project)
	}
}

func (a *handlers) groupingOf(ctx context.Context, p *projects.Project) (*calls.Body[contract.Grouping], error) {
	list, err := a.Store.Regrouping.Regroupings(ctx, p.ID, regroupingsListed)
	if err != nil {
		return nil, err
	}
	out := contract.Grouping{Project: p.Name, Version: p.GroupingVersion, Wanted: p.NextGrouping(),
		Rules: p.RulesVersion, Versions: []contract.GroupingVersion{}, Regroupings: []contract.Regrouping{}}
	for _, v := range fingerprint.Versions {
		out.Versions = append(out.Versions, contract.GroupingVersion{Version: v.Number, Text: v.Text})
	}
	for _, g := range list {
		out.Regroupings = append(out.Regroupings, regroupingOf(g))
	}
	return calls.Answer(out), nil
}

func regroupingOf(g *regrouping.Regrouping) contract.Regrouping {
	return contract.Regrouping{
		ID: g.ID, At: g.At, By: g.Actor.Name, State: string(g.State), Rules: g.Rules, Version: g.Version,
		Read: min(g.Variants, g.Of), Of: g.Of, Bodies: g.Bodies,
		Events: g.Events, Stays: g.Stays, Made: g.Made, Emptied: g.Emptied, Ended: g.Ended, UndoneBy: g.UndoneBy,
		Why: g.Why,
	}
}
