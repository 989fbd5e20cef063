package projects

import (
	"context"
	"fmt"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/surge"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/scoring"
)

// maxRanked is how many places of a list are shown before and after.
const maxRanked = 200

func (a *handlers) scoring(t *calls.Table) {
	calls.OnProject(t, "show-scoring",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.Scoring], error) {
			return a.showScoring(ctx, p)
		})
	calls.OnProject(t, "try-scoring", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Max  int `query:"most" minimum:"1" maximum:"200" default:"25" doc:"places that are shown"`
		Body contract.SetScoring
	}) (*calls.Body[contract.ScoringTrial], error) {
		w, _, err := a.changed(ctx, p, in.Body)
		if err != nil {
			return nil, err
		}
		before, after, all, err := a.Store.Scoring.Try(ctx, p.ID, w, maxRanked)
		if err != nil {
			return nil, err
		}
		return calls.Answer(contract.ScoringTrial{Weights: w.Map(), Issues: all,
			Before: ranksOf(before, after, in.Max), After: ranksOf(after, before, in.Max)}), nil
	})
	calls.OnProject(t, "change-scoring", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.SetScoring
	}) (*calls.Body[contract.Scoring], error) {
		w, t, err := a.changed(ctx, p, in.Body)
		if err != nil {
			return nil, err
		}
		if err := a.Store.Scoring.SetScoring(ctx, p.ID, w, t); err != nil {
			return nil, err
		}
		return a.showScoring(ctx, p)
	})
}

func (a *handlers) showScoring(ctx context.Context, p *projects.Project) (*calls.Body[contract.Scoring], error) {
	s, err := a.Store.Scoring.Scoring(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	out := contract.Scoring{Weights: s.Weights.Map(), Surge: contract.Thresholds(s.Surge), Active: s.Active,
		Newest: s.Newest,
		Stale:  s.Stale}
	if !s.Counted.IsZero() {
		out.Counted = &s.Counted
	}
	return calls.Answer(out), nil
}

// changed are a project's weights and thresholds with changes.
func (a *handlers) changed(ctx context.Context, p *projects.Project,
	in contract.SetScoring) (impact.Weights, surge.Thresholds, error) {
	w, t := impact.Default, surge.Default
	if !in.Reset {
		s, err := a.Store.Scoring.Scoring(ctx, p.ID)
		if err != nil {
			return w, t, err
		}
		w, t = s.Weights, s.Surge
	}
	w, err := w.With(in.Weights)
	if err != nil || in.Surge == nil {
		return w, t, err
	}
	set(&t.Minutes, in.Surge.Minutes)
	set(&t.Events, in.Surge.Events)
	set(&t.Users, in.Surge.Users)
	set(&t.Times, in.Surge.Times)
	set(&t.Odds, in.Surge.Odds)
	set(&t.Share, in.Surge.Share)
	set(&t.Sessions, in.Surge.Sessions)
	return w, t, t.Check()
}

func set[T any](into, value *T) {
	if value != nil {
		*into = *value
	}
}

func ranksOf(list, other []scoring.Rank, limit int) []contract.Rank {
	places := map[int64]int{}
	for _, r := range other {
		places[r.Issue.ID] = r.Place
	}
	out := []contract.Rank{}
	for _, r := range list[:min(len(list), limit)] {
		out = append(out, contract.Rank{Place: r.Place, Was: places[r.Issue.ID],
			Issue: fmt.Sprintf("%s/%d", r.Issue.Project, r.Issue.Number), Headline: r.Issue.Headline,
			State: string(r.Issue.State), Impact: r.Score.Points, Parts: from.Summands(r.Score.Parts)})
	}
	return out
}
