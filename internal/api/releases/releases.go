package releases

import (
	"cmp"
	"context"
	"fmt"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/release"
	"firethorn/internal/core/session"
	"firethorn/internal/core/shell"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
)

// sessionsOfDays is over how many days a release's sessions are counted.
const sessionsOfDays = 30

// ReleasePath is the path of a release.
type ReleasePath struct {
	calls.ProjectPath
	Version string `query:"version" required:"true" maxLength:"250" doc:"the release's version, as events name it"`
}

func (a *handlers) releases(t *calls.Table) {
	calls.OnProject(
		t,
		"list-releases",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.Releases], error) {
			list, err := a.Store.Releases.Releases(ctx, p)
			out := contract.Releases{Project: p.Name, Order: cmp.Or(string(p.ReleaseOrder), release.Policies[0]),
				Releases: []contract.Release{}}
			for _, r := range list {
				out.Releases = append(out.Releases, releaseOf(r))
			}
			return calls.Answer(out), err
		},
	)
	calls.OnProject(t, "show-release",
		func(ctx context.Context, p *projects.Project, in *ReleasePath) (*calls.Body[contract.ReleaseDetail], error) {
			return a.releaseDetail(ctx, p, in.Version)
		})
	calls.OnProject(t, "announce-release", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.AnnounceRelease
	}) (*calls.Body[contract.Release], error) {
		if err := a.fetchFor(ctx, p, in.Body.Commit); err != nil {
			return nil, err
		}
		r, err := a.Store.Status.Announce(ctx, p, in.Body.Version, in.Body.Commit, calls.Actor(ctx))
		if err != nil {
			return nil, err
		}
		return a.visible(ctx, p, r)
	})
	calls.OnProject(t, "mark-deployed", func(ctx context.Context, p *projects.Project, in *struct {
		ReleasePath
		Body contract.MarkDeployed
	}) (*calls.Body[contract.Release], error) {
		r, err := a.Store.Status.MarkDeployed(ctx, p, in.Version, in.Body.Environment, in.Body.At, calls.Actor(ctx))
		if err != nil {
			return nil, err
		}
		return a.visible(ctx, p, r)
	})
	calls.OnProject(t, "order-releases", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		A string `query:"a" required:"true" maxLength:"250"`
		B string `query:"b" required:"true" maxLength:"250"`
	}) (*calls.Body[contract.ReleaseOrder], error) {
		o, err := a.Store.Releases.OrderOf(ctx, p, in.A, in.B)
		out := contract.ReleaseOrder{A: in.A, B: in.B, By: string(o.By), Why: o.Why}
		switch {
		case o.By == release.BySame:
			out.Order = "same"
		case o.Compare < 0:
			out.Order = "before"
		case o.Compare > 0:
			out.Order = "after"
		default:
			out.Order = "unknown"
		}
		return calls.Answer(out), err
	})
}

func releaseOf(r *releases.ReleaseRow) contract.Release {
	out := contract.Release{
		Version:     r.Version,
		FirstSeen:   r.FirstSeen,
		FirstKnown:  r.FirstKnown,
		Announced:   r.Announced,
		AnnouncedBy: r.AnnouncedBy,
		Commit:      r.Commit,
		CommitKnown: r.CommitKnown,
		Events:      r.Events,
		Issues:      r.Issues,
		New:         r.New,
		Deploys:     []contract.Deploy{},
	}
	for _, d := range r.Deploys {
		out.Deploys = append(out.Deploys, contract.Deploy{Environment: d.Environment, At: d.At, By: d.Actor})
	}
	return out
}

func (a *handlers) releaseDetail(ctx context.Context, p *projects.Project,
	version string) (*calls.Body[contract.ReleaseDetail], error) {
	r, err := a.Store.Releases.Release(ctx, p, version)
	if err != nil {
		return nil, err
	}
	in, err := a.Store.Issues.IssuesIn(ctx, p, r)
	if err != nil {
		return nil, err
	}
	out := contract.ReleaseDetail{Project: p.Name, Release: releaseOf(r),
		NewIssues: rows.IssuesOf(in.New, a.Store.DB.Now()),
		Regressed: rows.IssuesOf(in.Regressed, a.Store.DB.Now()), Fixed: rows.IssuesOf(in.Fixed, a.Store.DB.Now())}
	before, order, err := a.Store.Releases.ReleaseBefore(ctx, p, r)
	if err != nil {
		return nil, err
	}
	if before != nil {
		out.Before, out.BeforeWhy, out.BeforeEvents = before.Version, order.Why, before.Events
	}
	if err := a.commitsIn(ctx, p, r, before, &out); err != nil {
		return nil, err
	}
	to := a.Store.DB.Now()
	counts, err := a.Store.Events.SessionCounts(ctx, p.ID, to.Add(-sessionsOfDays*24*time.Hour), to.Add(24*time.Hour),
		false)
	if err != nil {
		return nil, err
	}
	all := map[session.Outcome]int64{}
	for _, c := range counts {
		if c.Release == r.Version {
			for outcome, n := range c.Outcomes {
				all[outcome] += n
			}
		}
	}
	out.Sessions = rows.SessionCount(all, p.CutOffCrashes)
	out.Sessions.Release = r.Version
	return calls.Answer(out), nil
}

// maxCommits are listed of a release.
const maxCommits = 200

// commitsIn lists the commits of a release since the one before it.
func (a *handlers) commitsIn(ctx context.Context, p *projects.Project, r, before *releases.ReleaseRow,
	out *contract.ReleaseDetail) error {
	out.Commits = []contract.Commit{}
	switch {
	case r.Commit == "":
		out.Repository = fmt.Sprintf(
			"it was announced without a commit: firethorn release announce --project %s %s, run in its repository, says which",
			p.Name,
			shell.Option("--release", r.Version),
		)
		return nil
	case !r.CommitKnown:
		out.Repository = fmt.Sprintf(
			"the history of commit %s was not sent: firethorn release announce, run in a full clone, sends it",
			release.Short(r.Commit),
		)
		return nil
	}
	g, err := a.Store.Releases.Graph(ctx, p.ID)
	if err != nil {
		return err
	}
	from := ""
	if before != nil && before.CommitKnown {
		from = before.Commit
	} else {
		out.Repository = "the commit of the release before it is not known here: what is listed is all that came before"
	}
	hashes := g.Between(from, r.Commit)
	out.CommitCount = len(hashes)
	list, err := a.Store.Releases.Commits(ctx, p.ID, hashes[:min(len(hashes), maxCommits)])
	for _, c := range list {
		out.Commits = append(out.Commits, rows.CommitOf(p, c))
	}
	return err
}

// visible is a release as the caller who announced or deployed it may see it: a build gets no
// count of what was reported.
func (a *handlers) visible(ctx context.Context, p *projects.Project,
	r *releases.ReleaseRow) (*calls.Body[contract.Release], error) {
	out := releaseOf(r)
	reads, err := a.Allowed(ctx, access.ReadIssues, p)
	if !reads {
		out.Events, out.Issues, out.New = 0, 0, 0
	}
	return calls.Answer(out), err
}
