package health

import (
	"cmp"
	"context"
	"slices"
	"time"

	"firethorn/internal/core/quality"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
)

// Environment is how a release does in one environment.
type Environment struct {
	Name      string
	Sessions  quality.Counts
	CrashFree quality.Share
	Crashes   bool             // a session of the release or of its baseline crashed there
	Verdict   *quality.Verdict // beside the same baseline in the same environment; nil: there is none
}

// Environments says how a release does in each environment in which it had sessions, those
// with most sessions first.
func (s *Service) Environments(ctx context.Context, a Ask, r *Release) ([]Environment, error) {
	q, err := s.query(ctx, a)
	if err != nil {
		return nil, err
	}
	counts, err := sessions.ByEnvironment(ctx, s.db, q, r.ID, r.base)
	if err != nil {
		return nil, err
	}
	longer := q
	longer.From = q.To.AddDate(0, 0, -baselineDays)
	before, err := sessions.ByEnvironment(ctx, s.db, longer, r.ID, r.base)
	var out []Environment
	for name, of := range counts {
		here := of[r.ID]
		if here.All() == 0 {
			continue
		}
		e := Environment{Name: name, Sessions: here,
			CrashFree: quality.Wilson(here.Ended()-here.Bad(q.CutOff), here.Ended())}
		if r.base != 0 {
			there, longer := of[r.base], before[name][r.base]
			few := tooFew(there, &longer)
			if few {
				here, there = before[name][r.ID], longer
			}
			v := compared(here, there, q.CutOff, few)
			e.Verdict, e.Crashes = &v, here.Bad(q.CutOff)+there.Bad(q.CutOff) > 0
		}
		out = append(out, e)
	}
	slices.SortFunc(out, func(x, y Environment) int {
		return cmp.Or(cmp.Compare(y.Sessions.All(), x.Sessions.All()), cmp.Compare(x.Name, y.Name))
	})
	return out, err
}

// Hit is an issue of a release and how many of the release's sessions had it.
type Hit struct {
	*issues.Issue
	Back bool // it regressed in the release; else it is new in it
	events.SessionsHit
	Share float64 // of the release's sessions; 0 where it has none
}

// maxHits is how many new issues of a release, and how many that regressed, have their
// sessions counted: those with most impact.
const maxHits = 20

// hitKey is what an answer of Hits depends on.
type hitKey struct {
	q       sessions.Query
	version string
}

// Hits says which share of a release's sessions each issue hits that is new in it or came
// back in it, the largest share first, and how many sessions the release has.
func (s *Service) Hits(ctx context.Context, a Ask, version string) (list []Hit, sessions int64, err error) {
	q, err := s.query(ctx, a)
	if err != nil {
		return nil, 0, err
	}
	r, _, err := s.Quality(ctx, a, version)
	if err != nil {
		return nil, 0, err
	}
	list, err = s.hits.Get(hitKey{q, version}, func() ([]Hit, error) { return s.countHits(ctx, a, q, r) })
	return list, r.Sessions.All(), err
}

func (s *Service) countHits(ctx context.Context, a Ask, q sessions.Query, r *Release) ([]Hit, error) {
	in, err := s.issues.IssuesIn(ctx, a.Project, r.ReleaseRow)
	if err != nil {
		return nil, err
	}
	var out []Hit
	for _, is := range in.Regressed[:min(len(in.Regressed), maxHits)] {
		out = append(out, Hit{Issue: is, Back: true})
	}
	for _, is := range in.New[:min(len(in.New), maxHits)] {
		if !slices.ContainsFunc(out, func(h Hit) bool { return h.ID == is.ID }) {
			out = append(out, Hit{Issue: is})
		}
	}
	for i := range out {
		h := &out[i]
		if h.SessionsHit, err = s.events.SessionsHit(ctx, a.Project.ID, h.ID, events.HitQuery{Release: r.ID,
			Environment: q.Environment, From: q.From, To: q.To}); err != nil {
			return nil, err
		}
		h.Share = min(1, share(h.Sessions, r.Sessions.All()))
	}
	slices.SortStableFunc(out, func(x, y Hit) int { return cmp.Compare(y.Sessions, x.Sessions) })
	return out, nil
}

// CountSessions counts the sessions of a project that began in a time, of all releases and
// environments: what events are held against to give a rate.
func (s *Service) CountSessions(ctx context.Context, p *projects.Project, from, to time.Time) (int64, error) {
	v, err := sessions.Counts(ctx, s.db, sessions.Query{Project: p.ID, From: from, To: to})
	var n int64
	for _, c := range v {
		n += c.All()
	}
	return n, err
}
