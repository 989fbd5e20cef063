package issues

import (
	"context"
	"fmt"
	"time"

	"golang.org/x/sync/errgroup"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/quality"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
)

func (a *handlers) overview(t *calls.Table) {
	calls.Call(t, "show-overview", func(ctx context.Context,
		_ *calls.NoInput) (*calls.Body[contract.ProjectOverviews], error) {
		seen := a.Sight(ctx, access.ReadIssues)
		list, err := a.Store.Projects.Projects(ctx, seen)
		if err != nil {
			return nil, err
		}
		totals, err := a.Store.Projects.AllTotals(ctx, seen)
		if err != nil {
			return nil, err
		}
		out := contract.ProjectOverviews{Projects: make([]contract.ProjectOverview, len(list))}
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(overviewsAtOnce)
		for i, p := range list {
			g.Go(func() error {
				one, err := a.projectOverview(ctx, p, totals[p.ID])
				if err == nil {
					out.Projects[i] = *one
				}
				return err
			})
		}
		if err := g.Wait(); err != nil {
			return nil, err
		}
		return calls.Answer(out), nil
	})
}

// overviewsAtOnce is how many projects are looked at at once.
const overviewsAtOnce = 4

func (a *handlers) projectOverview(ctx context.Context, p *projects.Project,
	totals projects.Totals) (*contract.ProjectOverview, error) {
	o, err := a.Store.Overview.Overview(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	var unread []ingest.Unread
	if totals.Issues > 0 { // else nothing came that could be read
		if unread, err = a.Store.Ingest.UnreadReleases(ctx, p.ID); err != nil {
			return nil, err
		}
	}
	out := &contract.ProjectOverview{
		Project: p.Name, OpenIssues: totals.Open, NewIssues: o.New, NewestRelease: o.Newest,
		Trend: make([]contract.ProjectDay, len(o.Days)), Wrong: []string{},
	}
	for i, n := range o.Days {
		out.Trend[i] = contract.ProjectDay{Day: o.First.AddDate(0, 0, i).Format(time.DateOnly), Events: n}
	}
	for i, n := range o.Days {
		switch back := len(o.Days) - i; {
		case back <= 7:
			out.EventsWeek.Now += n
		case back <= 14:
			out.EventsWeek.Before += n
		}
	}
	if err := a.addHealth(ctx, p, out); err != nil {
		return nil, err
	}
	if o.Surging > 0 {
		out.Wrong = append(out.Wrong, counted(o.Surging, "issue surges", "issues surge"))
	}
	if o.Failed > 0 {
		out.Wrong = append(out.Wrong, counted(o.Failed, "event failed", "events failed"))
	}
	paused := int64(0)
	pauses, err := a.Store.Alerting.Pauses(ctx, a.Sight(ctx, access.ReadIssues))
	if err != nil {
		return nil, err
	}
	for _, x := range pauses {
		if x.Project == p.Name {
			paused++
		}
	}
	if paused > 0 {
		out.Wrong = append(out.Wrong, counted(paused, "alert is paused", "alerts are paused"))
	}
	if len(unread) > 0 {
		out.Wrong = append(out.Wrong,
			counted(int64(len(unread)), "release has unreadable stack traces", "releases have unreadable stack traces"))
	}
	return out, nil
}

func counted(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// addHealth adds how the newest release does, and what regressed.
func (a *handlers) addHealth(ctx context.Context, p *projects.Project, out *contract.ProjectOverview) error {
	counts, err := a.Store.Issues.CountStates(ctx, p.ID)
	if err != nil {
		return err
	}
	out.CameBack = counts[issue.Regressed]
	h, err := a.Store.Health.Newest(ctx, p)
	if err != nil || h.Sessions == 0 {
		return err
	}
	out.UsersWeek = contract.WeekBefore{Now: h.Users, Before: h.UsersBefore}
	out.Health = &contract.Health{Release: h.Version, CrashFreeSessions: contract.ShareOf(h.CrashFree),
		Result: string(h.Result),
		Uptake: h.Uptake}
	if h.Result == quality.Worse {
		out.Wrong = append([]string{h.Version + " is worse than the release before"}, out.Wrong...)
	}
	return nil
}
