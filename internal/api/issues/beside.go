package issues

import (
	"context"
	"fmt"
	"math"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

func (a *handlers) beside(t *calls.Table) {
	calls.OnIssue(t, "issue-beside",
		func(ctx context.Context, p *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.Beside],
			error) {
			return a.besideOf(ctx, p, is)
		})
	calls.OnIssue(t, "issue-together",
		func(ctx context.Context, p *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.Together],
			error) {
			list, err := a.Store.Similar.Together(ctx, p, is.ID, a.Sight(ctx, access.ReadIssues))
			if err != nil {
				return nil, err
			}
			out := contract.Together{Issue: fmt.Sprintf("%s/%d", p.Name, is.Number), Near: []contract.NearIssue{}}
			for _, n := range list {
				out.Near = append(out.Near, contract.NearIssue{ID: fmt.Sprintf("%s/%d", n.Project, n.Number),
					Headline: n.Head, With: n.With, Of: n.Of, ByChance: math.Round(n.ByChance*100) / 100, By: n.By,
					Gap: n.Gap.Seconds()})
			}
			return calls.Answer(out), nil
		})
}

// besideOf collects what an issue's page shows beside it: similar issues and others.
func (a *handlers) besideOf(ctx context.Context, p *projects.Project, is *issues.Issue) (*calls.Body[contract.Beside],
	error) {
	out := contract.Beside{Issue: fmt.Sprintf("%s/%d", p.Name, is.Number), Environments: []contract.Seen{},
		Elsewhere: []contract.BesideIssue{}, Similar: []contract.SimilarIssue{}}
	environments, err := a.Store.Issues.IssueEnvironments(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	out.Environments = seen(environments)
	others, err := a.Store.Similar.Elsewhere(ctx, is.ID, a.Sight(ctx, access.ReadIssues))
	if err != nil {
		return nil, err
	}
	for _, x := range others {
		out.Elsewhere = append(out.Elsewhere,
			contract.BesideIssue{ID: fmt.Sprintf("%s/%d", x.Project, x.Number), Headline: x.Head,
				State: string(x.State), Events: x.Events, Users: x.Users})
	}
	similar, err := a.Store.Similar.Similar(ctx, p, is.ID)
	if err != nil {
		return nil, err
	}
	for _, x := range similar {
		s := contract.SimilarIssue{BesideIssue: contract.BesideIssue{ID: fmt.Sprintf("%s/%d", p.Name, x.Number),
			Headline: x.Headline, State: string(x.State), Events: x.Events, Users: x.Users},
			Place: x.Place, FixedIn: x.FixedIn, Score: math.Round(x.Score*100) / 100, Alike: x.Reasons,
			Status: issue.Describe(x.Status)}
		if x.Owner != "" {
			s.Owner = &x.Owner
		}
		out.Similar = append(out.Similar, s)
	}
	return calls.Answer(out), nil
}
