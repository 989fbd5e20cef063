package health

import (
	"context"
	"slices"

	"firethorn/internal/core/quality"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/sessions"
)

// Newest is how a project's newest release does, and how many people use the project, for
// a page of all projects.
type Newest struct {
	Version            string // the newest that anything was seen of; "": none
	CrashFree          quality.Share
	Result             quality.Result // "": nothing can be compared
	Uptake             float64        // of the sessions of the last seven days
	Sessions           int64          // of the window; 0: the application sends none
	Users, UsersBefore int64          // of the last seven days, and of the seven before
}

// Newest is remembered for some seconds where it takes long.
func (s *Service) Newest(ctx context.Context, p *projects.Project) (*Newest, error) {
	return s.newest.Get(p.ID, func() (*Newest, error) { return s.countNewest(ctx, p) })
}

func (s *Service) countNewest(ctx context.Context, p *projects.Project) (*Newest, error) {
	v, err := s.view(ctx, Ask{Project: p})
	if err != nil || len(v.list) == 0 {
		return &Newest{}, err
	}
	out := &Newest{Sessions: v.Total.All()}
	i := slices.IndexFunc(v.list, func(r *releases.ReleaseRow) bool { return v.counts[r.ID] != nil })
	if i < 0 {
		out.Version = v.list[0].Version
		return out, nil
	}
	r, err := v.of(i, "")
	if err != nil {
		return nil, err
	}
	out.Version, out.CrashFree, out.Uptake, out.Users = r.Version, r.CrashFree, r.OfSessions, v.Users
	if r.Verdict != nil {
		out.Result = r.Verdict.Result
	}
	before, err := sessions.UsersOf(ctx, s.db, sessions.Query{Project: p.ID,
		From: v.From.Add(-UsualWindow), To: v.From})
	out.UsersBefore = before[sessions.All].All
	return out, err
}
