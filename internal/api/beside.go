package api

import (
	"context"
	"fmt"
	"math"

	"firethorn/internal/contract"
	"firethorn/internal/core/issue"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

func (a *API) beside(t *table) {
	onIssue(t, "issue-beside",
		func(ctx context.Context, p *projects.Project, is *issues.Issue, in *IssuePath) (*body[contract.Beside],
			error) {
			return a.besideOf(ctx, p, is)
		})
	onIssue(t, "issue-together",
		func(ctx context.Context, p *projects.Project, is *issues.Issue, in *IssuePath) (*body[contract.Together],
			error) {
			list, err := a.store.Similar.Together(ctx, p, is.ID)
			if err != nil {
				return nil, err
			}
			out := contract.Together{Issue: fmt.Sprintf("%s/%d", p.Name, is.Number), Near: []contract.NearIssue{}}
			for _, n := range list {
				if a.may(ctx, see, n.Project) == nil {
					out.Near = append(out.Near,
						contract.NearIssue{ID: fmt.Sprintf("%s/%d", n.Project, n.Number), Headline: n.Head,
							With: n.With,
							Of:   n.Of, ByChance: math.Round(n.ByChance*100) / 100, By: n.By, Gap: n.Gap.Seconds()})
				}
			}
			return &body[contract.Together]{out}, nil
		})
}

// besideOf is what stands beside an issue.
func (a *API) besideOf(ctx context.Context, p *projects.Project, is *issues.Issue) (*body[contract.Beside], error) {
	out := contract.Beside{Issue: fmt.Sprintf("%s/%d", p.Name, is.Number), Environments: []contract.Seen{},
		Elsewhere: []contract.BesideIssue{}, Similar: []contract.SimilarIssue{}}
	environments, err := a.store.Issues.IssueEnvironments(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	out.Environments = seen(environments)
	others, err := a.store.Similar.Elsewhere(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	for _, x := range others {
		if a.may(ctx, see, x.Project) == nil {
			out.Elsewhere = append(out.Elsewhere,
				contract.BesideIssue{ID: fmt.Sprintf("%s/%d", x.Project, x.Number), Headline: x.Head,
					State: string(x.State), Events: x.Events, Users: x.Users})
		}
	}
	similar, err := a.store.Similar.Similar(ctx, p, is.ID)
	if err != nil {
		return nil, err
	}
	for _, x := range similar {
		s := contract.SimilarIssue{BesideIssue: contract.BesideIssue{ID: fmt.Sprintf("%s/%d", p.Name, x.Number),
			Headline: x.Headline, State: string(x.State), Events: x.Events, Users: x.Users},
			Place: x.Place, FixedIn: x.FixedIn, Score: math.Round(x.Score*100) / 100, Alike: x.Reasons,
			Standing: issue.Describe(x.Standing)}
		if x.Owner != "" {
			s.Owner = &x.Owner
		}
		out.Similar = append(out.Similar, s)
	}
	return &body[contract.Beside]{out}, nil
}
