package projects

import (
	"context"
	"fmt"
	"sync"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/review"
	"firethorn/internal/core/rules"
	"firethorn/internal/store/projects"
)

// reviews remembers the review of each project for a short time: it looks at
// thousands of issues.
type reviews struct {
	mu   sync.Mutex
	made map[int64]madeReview
}

type madeReview struct {
	review  review.Review
	at      time.Time
	changed int64
	making  int64 // variants that were not compared then
	version int   // of grouping
}

const (
	reviewLife = 30 * time.Second // of a large project that changes all the time
	reviewMany = 500              // issues from which on a project is large
	reviewDays = 30
)

// SuggestIn names a finding of the review.
type SuggestIn struct {
	calls.ProjectPath
	Finding int `path:"finding" minimum:"1" doc:"in the order of the review, from 1"`
}

func (a *handlers) review(t *calls.Table) {
	calls.OnProject(t, "review-grouping",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.GroupingReview],
			error) {
			r, making, err := a.reviewOf(ctx, p)
			if err != nil {
				return nil, err
			}
			out := contract.GroupingReview{Project: p.Name, Findings: from.Findings(r.Findings), Issues: r.Issues,
				Causes: r.Causes, Mixed: r.Mixed, Variability: r.Variability(),
				Version: p.GroupingVersion, Days: []contract.VariabilityDay{}}
			days, err := a.Store.Similar.GroupingDays(ctx, p.ID, reviewDays)
			if err != nil {
				return nil, err
			}
			for _, d := range days {
				v := review.Review{Issues: d.Issues, Causes: d.Causes, Mixed: d.Mixed}.Variability()
				out.Days = append(out.Days,
					contract.VariabilityDay{Day: d.Day.Format(time.DateOnly), Issues: d.Issues, Causes: d.Causes,
						Mixed: d.Mixed, Variability: v})
			}
			out.Making = making
			if out.Followed, err = a.Store.Moves.CountFollowed(ctx, p.ID, reviewDays); err != nil {
				return nil, err
			}
			return calls.Answer(out), nil
		})
	calls.OnProject(t, "suggest-rules",
		func(ctx context.Context, p *projects.Project, in *SuggestIn) (*calls.Body[contract.Suggested], error) {
			r, _, err := a.reviewOf(ctx, p)
			if err != nil {
				return nil, err
			}
			if in.Finding > len(r.Findings) {
				return nil, problem.New(problem.NotFound, "the review of %s has %d findings now; look at it again",
					p.Name,
					len(r.Findings))
			}
			f := r.Findings[in.Finding-1]
			file, err := a.Store.Projects.Rules(ctx, p.ID, 0)
			if err != nil {
				return nil, err
			}
			out := contract.Suggested{Text: file.Text, Version: f.Version}
			if f.Rule != "" {
				out.Text = rules.WithRule(file.Text, f.Section, f.Rule)
			}
			return calls.Answer(out), nil
		})
}

// reviewOf reviews a project, or gives the review of a moment ago; making is
// how many variants are not compared yet.
func (a *handlers) reviewOf(ctx context.Context, p *projects.Project) (r review.Review, making int64, err error) {
	counters, err := a.Store.Overview.Counters(ctx)
	if err != nil {
		return r, 0, err
	}
	if making, err = a.Store.Similar.Unsketched(ctx, p.ID); err != nil {
		return r, 0, err
	}
	a.reviews.mu.Lock()
	m, ok := a.reviews.made[p.ID]
	a.reviews.mu.Unlock()
	same := m.changed == counters[p.ID].Changes && m.making == making && m.version == p.GroupingVersion
	if age := time.Since(m.at); ok && (same && age < time.Hour || age < reviewLife && m.review.Issues > reviewMany) {
		return m.review, making, nil
	}
	list, ids, err := a.Store.Similar.ReviewIssues(ctx, p.ID)
	if err != nil {
		return r, making, err
	}
	r, of := review.Find(list, p.GroupingVersion, fingerprint.Version)
	if err := a.Store.Similar.NoteGrouping(ctx, p.ID, list, ids, of); err != nil {
		return r, making, fmt.Errorf("the review was not written down: %w", err)
	}
	a.reviews.mu.Lock()
	defer a.reviews.mu.Unlock()
	if a.reviews.made == nil {
		a.reviews.made = map[int64]madeReview{}
	}
	a.reviews.made[p.ID] = madeReview{r, time.Now(), counters[p.ID].Changes, making, p.GroupingVersion}
	return r, making, nil
}
