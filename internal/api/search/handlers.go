// Package search has the calls that answer searches: facets, histograms, users, completions, and saved
// searches.
package search

import (
	"context"
	"fmt"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
)

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	calls.OnProject(t, "show-facets", h.facets)
	calls.OnProject(t, "compare-facets", h.against)
	calls.OnProject(t, "show-histogram", h.histogram)
	calls.OnProject(t, "complete-search", h.complete)
	calls.OnProject(t, "show-affected", h.affected)
	calls.OnProject(t, "list-users", h.users)
	calls.OnProject(t, "show-user", h.user)
	h.saved(t)
	h.attributes(t)
}

// In is a search of a project, or of one of its issues.
type In struct {
	calls.ProjectPath
	calls.SearchIn
	Issue int64 `query:"issue" minimum:"0" doc:"the number of an issue: search its events only"`
}

// ask makes a search of what was sent.
func (h *handlers) ask(ctx context.Context, p *projects.Project, in *In) (find.Ask, error) {
	a, err := h.Ask(ctx, p, in.SearchIn)
	if err != nil || in.Issue == 0 {
		return a, err
	}
	is, err := h.Store.Issues.Issue(ctx, p, in.Issue)
	if err == nil {
		a.Issue = is.ID
	}
	return a, err
}

func (h *handlers) facets(ctx context.Context, p *projects.Project, in *struct {
	In
	By    []string `query:"by,explode" doc:"attributes; default: the twelve that say most about the issue of an event"`
	Limit int      `query:"limit" minimum:"1" maximum:"1000" default:"10" doc:"values of each"`
}) (*calls.Body[contract.Facets], error) {
	ask, err := h.ask(ctx, p, &in.In)
	if err != nil {
		return nil, err
	}
	f, err := h.Store.Find.Facets(ctx, find.FacetAsk{Ask: ask, By: in.By, Limit: in.Limit})
	if err != nil {
		return nil, err
	}
	out := contract.Facets{
		Events:       f.Events,
		Users:        f.Users,
		SampledShare: 1,
		Facets:       []contract.Facet{},
		Searched:     rows.Searched(f.Completeness),
	}
	for _, x := range f.Facets {
		facet := contract.Facet{Name: x.Name, Values: []contract.FacetValue{}, Others: x.Others, Absent: x.Absent}
		for _, v := range x.Values {
			facet.Values = append(facet.Values, contract.FacetValue(v))
		}
		out.Facets = append(out.Facets, facet)
	}
	return calls.Answer(out), nil
}

func (h *handlers) against(ctx context.Context, p *projects.Project, in *struct {
	In
	By    []string `query:"by,explode" doc:"attributes to compare; default: all"`
	Limit int      `query:"limit" minimum:"1" maximum:"1000" default:"20"`
}) (*calls.Body[contract.Against], error) {
	ask, err := h.ask(ctx, p, &in.In)
	if err != nil {
		return nil, err
	}
	f, err := h.Store.Find.Against(ctx, find.FacetAsk{Ask: ask, By: in.By, Limit: in.Limit})
	if err != nil {
		return nil, err
	}
	out := contract.Against{
		Values:   []contract.AgainstValue{},
		Looked:   f.Looked,
		Searched: rows.Searched(f.Completeness),
	}
	for _, v := range f.Values {
		out.Values = append(
			out.Values,
			contract.AgainstValue{Name: v.Name, Value: v.Value, Here: v.Here, HereOf: v.HereOf,
				Elsewhere: v.Elsewhere, ElsewhereOf: v.ElseOf, Ratio: v.Ratio, P: v.P},
		)
	}
	return calls.Answer(out), nil
}

func (h *handlers) histogram(ctx context.Context, p *projects.Project, in *struct {
	In
	By       string `query:"by" doc:"an attribute: a series for each of its values of most events"`
	Interval string `query:"interval" doc:"such as 1h, 15m or 1d; default: by the window"`
	Limit    int    `query:"limit" minimum:"1" maximum:"50" default:"8" doc:"series"`
}) (*calls.Body[contract.Histogram], error) {
	ask, err := h.ask(ctx, p, &in.In)
	if err != nil {
		return nil, err
	}
	interval, err := intervalOf(in.Interval)
	if err != nil {
		return nil, err
	}
	f, err := h.Store.Find.Histogram(ctx, find.HistogramAsk{Ask: ask, By: in.By, Interval: interval, Limit: in.Limit})
	if err != nil {
		return nil, err
	}
	out := contract.Histogram{
		IntervalS: int64(f.Interval / time.Second),
		Series:    []contract.Series{},
		Searched:  rows.Searched(f.Completeness),
	}
	for _, s := range f.Series {
		series := contract.Series{Value: s.Value, Points: []contract.Point{}}
		for _, x := range s.Points {
			series.Points = append(series.Points, contract.Point(x))
		}
		out.Series = append(out.Series, series)
	}
	return calls.Answer(out), nil
}

// intervalOf reads an interval; "" is none.
func intervalOf(text string) (time.Duration, error) {
	if text == "" {
		return 0, nil
	}
	i, ok := calls.AgeOf(text)
	if !ok {
		return 0, problem.New(
			problem.BadInput,
			"%q is no interval: write a number of minutes, hours, days or weeks, such as 1h",
			text,
		)
	}
	return i, nil
}

func (h *handlers) complete(ctx context.Context, p *projects.Project, in *struct {
	calls.ProjectPath
	Search string `query:"search" maxLength:"2000"`
	At     int    `query:"at" minimum:"0" maximum:"2000" default:"2000" doc:"the cursor's position in characters, from 0; default: the end"`
	Limit  int    `query:"limit" minimum:"1" maximum:"100" default:"20"`
}) (*calls.Body[contract.Completion], error) {
	c, err := h.Store.Find.Complete(ctx, p, h.Asker(ctx), in.Search, in.At, in.Limit)
	if err != nil {
		return nil, err
	}
	out := contract.Completion{From: c.From, To: c.To, Name: c.Name, Offers: []contract.Offer{}}
	for _, o := range c.Offers {
		out.Offers = append(out.Offers, contract.Offer(o))
	}
	return calls.Answer(out), nil
}

func (h *handlers) users(ctx context.Context, p *projects.Project, in *struct {
	In
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"50"`
	Cursor string `query:"cursor" doc:"next of the page before"`
}) (*calls.Body[contract.UserList], error) {
	ask, err := h.ask(ctx, p, &in.In)
	if err != nil {
		return nil, err
	}
	q := find.UsersAsk{Ask: ask, Limit: in.Limit}
	if in.Cursor != "" {
		q.After = &find.UserCursor{}
		if err := calls.ReadCursor(in.Cursor, q.After); err != nil {
			return nil, err
		}
	}
	page, err := h.Store.Find.Users(ctx, q)
	if err != nil {
		return nil, err
	}
	out := contract.UserList{
		Users:    somebodies(page.Users),
		Total:    page.Total,
		Searched: rows.Searched(page.Completeness),
	}
	if page.Next != nil {
		out.Next = calls.WriteCursor(page.Next)
	}
	return calls.Answer(out), nil
}

func somebodies(list []find.Somebody) []contract.Somebody {
	out := []contract.Somebody{}
	for _, x := range list {
		out = append(out, contract.Somebody(x))
	}
	return out
}

func (h *handlers) user(ctx context.Context, p *projects.Project, in *struct {
	calls.ProjectPath
	Who string `path:"who" maxLength:"1000" doc:"any identifier in their events: an id, an email address, a name"`
}) (*calls.Body[contract.UserTrail], error) {
	u, err := h.Store.Find.User(ctx, p, h.Asker(ctx), in.Who)
	if err != nil {
		return nil, err
	}
	if len(u.Several) > 0 {
		return calls.Answer(
			contract.UserTrail{Several: somebodies(u.Several), Searched: rows.Searched(u.Completeness)},
		), nil
	}
	out := contract.UserTrail{
		Identities: u.Identities,
		Issues:     []contract.UserIssue{},
		Events:     u.Events,
		Sessions:   u.Sessions,
		First:      &u.First,
		Last:       &u.Last,
		Searched:   rows.Searched(u.Completeness),
	}
	for _, x := range u.Issues {
		out.Issues = append(
			out.Issues,
			contract.UserIssue{ID: fmt.Sprintf("%s/%d", p.Name, x.Issue.Number), Headline: x.Issue.Headline,
				State: string(x.Issue.State), Events: x.Events, First: x.First, Last: x.Last},
		)
	}
	for _, e := range u.Recent {
		out.Newest = append(out.Newest, rows.EventRow(p.Name, e))
	}
	return calls.Answer(out), nil
}
