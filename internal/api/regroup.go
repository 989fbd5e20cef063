package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/regrouping"
)

const regroupingsListed = 20

func (a *API) regroupings(h huma.API) {
	const base = "/api/projects/{project}/"
	op(h, a, "GET", base+"regroupings", "show-regroupings", "How a project's events are grouped, and how stored ones were regrouped", see, func(ctx context.Context, in *ProjectPath) (*body[contract.Grouping], error) {
		p, err := a.store.Projects.Project(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		return a.groupingOf(ctx, p)
	})
	op(h, a, "PUT", base+"grouping/version", "adopt-grouping", "Adopt another grouping version for what comes; nothing regroups by that", pushRules, func(ctx context.Context, in *struct {
		ProjectPath
		Body contract.AdoptGrouping
	}) (*body[contract.Grouping], error) {
		p, err := a.store.Projects.Project(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		if err := a.store.Regrouping.WantGrouping(ctx, p.ID, in.Body.Version); err != nil {
			return nil, err
		}
		a.look(p.ID)
		if p, err = a.store.Projects.ProjectByID(ctx, p.ID); err != nil {
			return nil, err
		}
		return a.groupingOf(ctx, p)
	})
	for verb, x := range map[string]struct {
		words string
		do    func(ctx context.Context, p *projects.Project, who accounts.Actor) error
	}{
		"begin": {"Group the stored events by the rules and the version there are now, in the background", func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			_, err := a.store.Regrouping.Regroup(ctx, p, who)
			return err
		}},
		"stop": {"End a regrouping that only reads yet", a.store.Regrouping.StopRegroup},
		"undo": {"Take the last regrouping back, with the rules and the version before it", func(ctx context.Context, p *projects.Project, who accounts.Actor) error {
			_, err := a.store.Regrouping.UndoRegroup(ctx, p, who)
			return err
		}},
	} {
		op(h, a, "POST", base+"regroupings/"+verb, verb+"-regrouping", x.words, mayTriage,
			func(ctx context.Context, in *ProjectPath) (*body[contract.Regrouping], error) {
				p, err := a.store.Projects.Project(ctx, in.Project)
				if err != nil {
					return nil, err
				}
				if err := x.do(ctx, p, actor(ctx)); err != nil {
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
