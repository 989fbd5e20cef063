package issues

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/access"
	"firethorn/internal/core/owners"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/triage"
)

func (a *handlers) owners(t *calls.Table) {
	calls.OnIssue(t, "propose-owners",
		func(ctx context.Context, p *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.Owners],
			error) {
			return a.proposals(ctx, p, is)
		})
	calls.Call(t, "list-carriers", func(ctx context.Context, in *struct {
		Project string `query:"project" doc:"only of this one"`
	}) (*calls.Body[contract.Carriers], error) {
		project := int64(0)
		if in.Project != "" {
			p, err := a.Named(ctx, in.Project, access.ReadIssues)
			if err != nil {
				return nil, err
			}
			project = p.ID
		}
		list, err := a.Store.Triage.CarriedBy(ctx, a.Sight(ctx, access.ReadIssues), project)
		out := contract.Carriers{Carriers: []contract.Carrier{}}
		for _, c := range list {
			out.Carriers = append(out.Carriers, contract.Carrier(c))
		}
		return calls.Answer(out), err
	})
	calls.Call(t, "hand-over", a.handOver)
}

func (a *handlers) handOver(ctx context.Context, in *calls.Body[contract.HandOver]) (*calls.Body[contract.HandedOver],
	error) {
	from, err := a.carrier(ctx, in.Body.From)
	if err != nil {
		return nil, err
	}
	list, err := a.Store.Projects.Projects(ctx, a.Sight(ctx, access.TriageIssues))
	if err != nil {
		return nil, err
	}
	to, err := a.taker(ctx, in.Body.To, list)
	if err != nil {
		return nil, err
	}
	done, err := a.Store.Triage.HandOver(ctx, list, from, to, in.Body.Why, calls.Actor(ctx))
	if err != nil {
		return nil, err
	}
	return calls.Answer(contract.HandedOver{Projects: rows.HandedIn(done)}), nil
}

// carrier finds a person who has issues in projects that the caller sees; operators
// find everybody.
func (a *handlers) carrier(ctx context.Context, who string) (*accounts.Person, error) {
	p, err := a.Store.Accounts.FindPerson(ctx, who)
	all, allErr := a.Allowed(ctx, access.ChangePeople, nil)
	if allErr != nil || all {
		return p, errors.Join(err, allErr)
	}
	list, listErr := a.Store.Triage.CarriedBy(ctx, a.Sight(ctx, access.ReadIssues), 0)
	if listErr != nil {
		return nil, listErr
	}
	if err != nil || !slices.ContainsFunc(list, func(c triage.Carried) bool { return c.Person == p.Name }) {
		return nil, problem.New(problem.BadInput, "no person called %q has issues; firethorn owner list shows the owners", who)
	}
	return p, nil
}

// taker finds who may be given issues of one of some projects.
func (a *handlers) taker(ctx context.Context, who string, list []*projects.Project) (*accounts.Person, error) {
	if all, err := a.Allowed(ctx, access.ChangePeople, nil); err != nil || all {
		if err != nil {
			return nil, err
		}
		return a.Store.Accounts.FindHere(ctx, who)
	}
	for _, p := range list {
		if to, err := a.Store.Accounts.FindIn(ctx, who, p.ID, p.Name); err == nil {
			return to, nil
		}
	}
	return nil, problem.New(problem.BadInput, "no person called %q has a role in your projects; firethorn person list shows the people", who)
}

// maxBad is how many bad lines of CODEOWNERS are returned.
const maxBad = 100

func (a *handlers) proposals(ctx context.Context, p *projects.Project,
	is *issues.Issue) (*calls.Body[contract.Owners], error) {
	out := contract.Owners{Issue: fmt.Sprintf("%s/%d", is.Project, is.Number), Proposals: []contract.Proposal{},
		Strangers: []string{}, Bad: []contract.BadOwnerLine{}}
	if is.Owner != "" {
		out.Owner = &is.Owner
	}
	f := owners.Facts{Now: a.Store.DB.Now()}
	var err error
	if f.People, err = a.Store.Overview.Carriers(ctx, p.ID, a.Sight(ctx, access.ReadIssues)); err != nil {
		return nil, err
	}
	if err := a.fixers(ctx, p, is, &f); err != nil {
		return nil, err
	}
	if err := a.knowers(ctx, p, is, &f, &out); err != nil {
		return nil, err
	}
	list, strangers := owners.Propose(f)
	out.Proposals, out.Strangers = append(out.Proposals, from.Proposals(list)...), append(out.Strangers, strangers...)
	return calls.Answer(out), nil
}

// fixers adds who fixed the issue, or one like it, before.
func (a *handlers) fixers(ctx context.Context, p *projects.Project, is *issues.Issue, f *owners.Facts) error {
	similar, err := a.Store.Similar.Similar(ctx, p, is.ID)
	if err != nil {
		return err
	}
	ids := []int64{is.ID}
	for _, x := range similar {
		ids = append(ids, x.ID)
	}
	by, err := a.Store.Overview.FixedBefore(ctx, ids)
	if err != nil {
		return err
	}
	f.FixedBy = by[is.ID]
	for _, x := range similar {
		if names := by[x.ID]; len(names) > 0 {
			f.Alike = append(f.Alike,
				owners.Alike{Issue: fmt.Sprintf("%s/%d", p.Name, x.Number), Likeness: x.Score, FixedBy: names[0]})
		}
	}
	return nil
}

// knowers adds what the repository says, as far as it is known.
func (a *handlers) knowers(ctx context.Context, p *projects.Project, is *issues.Issue, f *owners.Facts,
	out *contract.Owners) error {
	commit, words, err := a.codeOf(ctx, p, is.LastRelease)
	if out.Text = words; err != nil || words != "" {
		return err
	}
	places, err := a.places(ctx, p, is, is.LastRelease)
	if err != nil {
		return err
	}
	if len(places) == 0 {
		out.Text = "the trace has no own frame with a source position"
		return nil
	}
	x, err := a.Code.Around(ctx, p, commit, places[0].Source, places[0].Line)
	if err != nil {
		return err
	}
	out.Path, f.Path, f.Rule = x.Path, x.Path, x.Rule
	if x.Path == "" {
		out.Text = places[0].Source + ": " + x.How
	}
	if x.Rule != nil {
		out.Rule = &contract.OwnerRule{Line: x.Rule.Line, Pattern: x.Rule.Pattern,
			Owners: append([]string{}, x.Rule.Owners...)}
	}
	for _, b := range x.Bad[:min(len(x.Bad), maxBad)] {
		out.Bad = append(out.Bad, contract.BadOwnerLine(b))
	}
	for i, l := range x.Lines {
		f.Touches = append(f.Touches, owners.Touch{Email: l.Email, Author: l.Author, At: l.Authored, Line: i == x.At})
	}
	return nil
}
