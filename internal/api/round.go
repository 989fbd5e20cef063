package api

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/mariadb"
)

// mostHeld is how many issues can be asked about that are in a round no more.
const mostHeld = 500

func (a *API) round(h huma.API) {
	const path = "/api/projects/{project}/round"
	type queue struct {
		ProjectPath
		Limit int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
		Held  string `query:"held" maxLength:"5000" doc:"numbers of issues, with commas: what became of those that need no decision any more"`
	}
	op(h, a, "GET", path, "show-round", "What needs a decision of yours, and why", see, func(ctx context.Context, in *queue) (*body[contract.Round], error) {
		return a.roundOf(ctx, in.Project, in.Limit, in.Held, false)
	})
	op(h, a, "POST", path, "begin-round", "Begin a round, or go on with the one under way", triage, func(ctx context.Context, in *queue) (*body[contract.Round], error) {
		return a.roundOf(ctx, in.Project, in.Limit, in.Held, true)
	})
	op(h, a, "POST", path+"/pass", "pass-in-round", "Say that you have seen issues and leave them as they are: they come again when something happens", triage, func(ctx context.Context, in *struct {
		ProjectPath
		Body contract.Pass
	}) (*struct{}, error) {
		p, who, err := a.rounds(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		if in.Body.Back {
			return &struct{}{}, a.store.Unpass(ctx, p, who.ID, in.Body.Issues)
		}
		at := in.Body.AsOf
		if at.IsZero() {
			at = a.store.Now()
		}
		return &struct{}{}, a.store.Pass(ctx, p, who.ID, at, in.Body.Issues)
	})
	op(h, a, "POST", path+"/end", "end-round", "End your round, and sum it up", triage, func(ctx context.Context, in *ProjectPath) (*body[contract.RoundEnd], error) {
		p, who, err := a.rounds(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		e, err := a.store.EndRound(ctx, p, who)
		if err != nil {
			return nil, err
		}
		out := contract.RoundEnd{Project: p.Name, Begun: e.Begun, Ended: e.Ended, Seconds: int64(e.Ended.Sub(e.Begun) / time.Second), Left: e.Left, Done: []contract.RoundDone{}}
		for _, d := range e.Done {
			out.Done = append(out.Done, contract.RoundDone{Issue: fmt.Sprintf("%s/%d", p.Name, d.Number), Headline: d.Headline, At: d.At, Kind: d.Kind, Words: d.Words, Undone: d.Undone})
		}
		return &body[contract.RoundEnd]{out}, nil
	})
}

// rounds is a project, and the person who goes round in it.
func (a *API) rounds(ctx context.Context, project string) (*mariadb.Project, *mariadb.Person, error) {
	g := grantOf(ctx)
	if g.Person == nil {
		return nil, nil, fault.New(fault.Forbidden, "a round is that of a person: sign in as one, or use a token of one (firethorn token create LABEL --scope person --person NAME)")
	}
	p, err := a.store.Project(ctx, project)
	return p, g.Person, err
}

func (a *API) roundOf(ctx context.Context, project string, limit int, held string, begin bool) (*body[contract.Round], error) {
	p, who, err := a.rounds(ctx, project)
	if err != nil {
		return nil, err
	}
	if begin {
		if err := a.store.BeginRound(ctx, p.ID, who.ID); err != nil {
			return nil, err
		}
	}
	r, err := a.store.Queue(ctx, p, who.ID, limit)
	if err != nil {
		return nil, err
	}
	out := contract.Round{Project: p.Name, AsOf: r.AsOf, Waiting: r.Waiting, Items: []contract.RoundItem{}, Settled: []contract.Settled{}}
	if !r.Last.IsZero() {
		out.Last = &r.Last
	}
	if !r.Begun.IsZero() {
		out.Begun = &r.Begun
	}
	listed := map[int64]bool{}
	for _, x := range r.Items {
		item := contract.RoundItem{Issue: a.issueOf(x.Issue), Why: []contract.Reason{}}
		for _, w := range x.Why {
			item.Why = append(item.Why, contract.Reason(w))
		}
		out.Items = append(out.Items, item)
		listed[x.Number] = true
	}
	var gone []int64
	for _, text := range strings.Split(held, ",") {
		if text == "" {
			continue
		}
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < 1 {
			return nil, fault.New(fault.BadInput, "held is numbers of issues with commas; %.40q is none", text)
		}
		if !listed[n] && len(gone) < mostHeld {
			gone = append(gone, n)
		}
	}
	settled, err := a.store.Settled(ctx, p, gone)
	for _, x := range settled {
		out.Settled = append(out.Settled, contract.Settled{Issue: fmt.Sprintf("%s/%d", p.Name, x.Number), Actor: x.Actor, Kind: x.Kind, Words: x.Words, At: x.At})
	}
	return &body[contract.Round]{out}, err
}
