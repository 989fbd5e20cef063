package issues

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/triage"
)

// maxHeld is how many issues can be asked about that are in a round no more.
const maxHeld = 500

// RoundOf gives the projects of a person's round.
type RoundOf struct {
	Project string `query:"project" doc:"only in this one; absent: in all"`
}

// ProjectName is the one project that the round is in; "" for all.
func (r *RoundOf) ProjectName() string { return r.Project }

func (a *handlers) round(t *calls.Table) {
	type queue struct {
		RoundOf
		Limit int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
		Held  string `query:"held" maxLength:"20000" doc:"issues, separated by commas: what happened to those that no longer need a decision"`
	}
	calls.Call(t, "show-round", func(ctx context.Context, in *queue) (*calls.Body[contract.Round], error) {
		return a.roundOf(ctx, in.Project, in.Limit, in.Held, false)
	})
	calls.Call(t, "begin-round", func(ctx context.Context, in *queue) (*calls.Body[contract.Round], error) {
		return a.roundOf(ctx, in.Project, in.Limit, in.Held, true)
	})
	calls.Call(t, "pass-in-round", func(ctx context.Context, in *calls.Body[contract.Pass]) (*struct{}, error) {
		w, err := a.walks(ctx, "")
		if err != nil {
			return nil, err
		}
		list, err := w.named(in.Body.Issues)
		if err != nil {
			return nil, err
		}
		if in.Body.Back {
			return &struct{}{}, a.Store.Triage.Unpass(ctx, w.who.ID, list)
		}
		at := in.Body.AsOf
		if at.IsZero() {
			at = a.Store.DB.Now()
		}
		return &struct{}{}, a.Store.Triage.Pass(ctx, w.who.ID, at, list)
	})
	calls.Call(t, "end-round", func(ctx context.Context, in *RoundOf) (*calls.Body[contract.RoundEnd], error) {
		w, err := a.walks(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		e, err := a.Store.Triage.EndRound(ctx, w.scope, w.projects, w.who)
		if err != nil {
			return nil, err
		}
		out := contract.RoundEnd{Project: w.name, Begun: e.Begun, Ended: e.Ended,
			Seconds: int64(e.Ended.Sub(e.Begun) / time.Second), Left: e.Left, Done: []contract.RoundDone{}}
		for _, d := range e.Done {
			out.Done = append(out.Done,
				contract.RoundDone{Issue: fmt.Sprintf("%s/%d", d.Project, d.Number), Headline: d.Headline, At: d.At,
					Kind: d.Kind, Text: d.Text, Undone: d.Undone})
		}
		return calls.Answer(out), nil
	})
}

// walker is who goes round, and where.
type walker struct {
	who      *accounts.Person
	name     string // of the project, "" for all
	scope    int64  // its id, 0 for all
	projects []*projects.Project
}

func (a *handlers) walks(ctx context.Context, project string) (*walker, error) {
	g := calls.GrantOf(ctx)
	if g.Person == nil {
		return nil, problem.New(problem.Forbidden, "a round is that of a person: sign in as one, or use a token of one (firethorn token create LABEL --scope person --person NAME)")
	}
	w := &walker{who: g.Person}
	if project != "" {
		p := calls.ProjectIn(ctx)
		w.name, w.scope, w.projects = p.Name, p.ID, []*projects.Project{p}
		return w, nil
	}
	var err error
	w.projects, err = a.Store.Projects.Projects(ctx, a.Sight(ctx, access.ReadIssues))
	return w, err
}

// named reads names of issues.
func (w *walker) named(list []string) (out []triage.IssueName, err error) {
	for _, text := range list {
		project, number, _ := strings.Cut(text, "/")
		n, err := strconv.ParseInt(number, 10, 64)
		i := slices.IndexFunc(w.projects, func(p *projects.Project) bool { return p.Name == project })
		if err != nil || n < 1 || i < 0 {
			return nil, problem.New(problem.BadInput, "%.60q is no issue here: write PROJECT/NUMBER, for example quayside/12", text)
		}
		out = append(out, triage.IssueName{Project: w.projects[i], Number: n})
	}
	return out, nil
}

func (a *handlers) roundOf(ctx context.Context, project string, limit int, held string,
	begin bool) (*calls.Body[contract.Round], error) {
	w, err := a.walks(ctx, project)
	if err != nil {
		return nil, err
	}
	asked, err := w.named(strings.FieldsFunc(held, func(r rune) bool { return r == ',' }))
	if err != nil {
		return nil, err
	}
	if begin {
		if err := a.Store.Triage.BeginRound(ctx, w.scope, w.who.ID); err != nil {
			return nil, err
		}
	}
	r, err := a.Store.Triage.Queue(ctx, w.scope, w.projects, w.who.ID, limit)
	if err != nil {
		return nil, err
	}
	out := contract.Round{Project: w.name, AsOf: r.AsOf, Waiting: r.Waiting, Items: []contract.RoundItem{},
		Settled: []contract.Settled{}}
	if !r.Last.IsZero() {
		out.Last = &r.Last
	}
	if !r.Begun.IsZero() {
		out.Begun = &r.Begun
	}
	listed := map[string]bool{}
	for _, x := range r.Items {
		item := contract.RoundItem{Issue: rows.IssueOf(x.Issue, a.Store.DB.Now()), Why: []contract.Reason{}}
		for _, w := range x.Why {
			item.Why = append(item.Why, contract.Reason(w))
		}
		out.Items = append(out.Items, item)
		listed[item.ID] = true
	}
	listedIssues := make([]*issues.Issue, len(r.Items))
	for i, x := range r.Items {
		listedIssues[i] = x.Issue
	}
	if err := a.withTickets(ctx, listedIssues, func(i int) *contract.Issue { return &out.Items[i].Issue }); err != nil {
		return nil, err
	}
	asked = slices.DeleteFunc(asked, func(n triage.IssueName) bool { return listed[nameOf(n)] })
	settled, err := a.Store.Triage.Settled(ctx, asked[:min(len(asked), maxHeld)])
	for _, x := range settled {
		out.Settled = append(out.Settled,
			contract.Settled{Issue: nameOf(x.IssueName), Actor: x.Actor, Kind: x.Kind, Text: x.Text, At: x.At})
	}
	return calls.Answer(out), err
}

func nameOf(n triage.IssueName) string { return fmt.Sprintf("%s/%d", n.Project.Name, n.Number) }
