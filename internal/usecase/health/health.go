// Package health reads the health of releases: sessions, users, crash-free shares, and the comparison
// with another release.
package health

import (
	"context"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/cache"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/sessions"
	"firethorn/internal/usecase/find"
)

// UsualWindow is the time that is looked at where none is named.
const UsualWindow = 7 * 24 * time.Hour

// baselineDays is over how many days two releases are compared where the baseline has too few
// sessions in the window: it loses them while the new one is rolled out.
const baselineDays = 30

// Service answers questions about releases. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	find     *find.Service
	events   *events.Store
	issues   *issues.Store
	releases *releases.Store
	newest   *cache.Memo[int64, *Newest]
	views    *cache.Memo[sessions.Query, *view]
	hits     *cache.Memo[hitKey, []Hit]
}

// New makes a service.
func New(d *db.DB, f *find.Service, e *events.Store, i *issues.Store, r *releases.Store) *Service {
	return &Service{db: d, find: f, events: e, issues: i, releases: r,
		newest: cache.NewMemo[int64](1<<20, func(*Newest) int { return 200 }),
		views:  cache.NewMemo[sessions.Query](16<<20, (*view).bytes),
		hits:   cache.NewMemo[hitKey](1<<20, func(h []Hit) int { return 1000 * len(h) })}
}

// Ask asks about releases.
type Ask struct {
	Project     *projects.Project
	From, To    time.Time // zero: the usual window, up to now
	Environment string    // "": all
	Baseline    string    // a version; "": the release before, in the project's order
}

// Release is how a release does.
type Release struct {
	*releases.ReleaseRow
	Sessions    quality.Counts
	Users       sessions.Users
	CrashFree   quality.Share // of its ended sessions
	ErrorFree   quality.Share // neither crashed nor faulty
	UsersFree   quality.Share // of its users: none of their sessions crashed
	OfSessions  float64       // its share of all sessions of the window
	OfUsers     float64
	P50, P95    float64 // of the durations of its ended sessions, in milliseconds
	ByOutcome   map[session.Outcome]Duration
	Baseline    string // with what it was compared; "": nothing came before it
	base        int64  // its release
	Verdict     *quality.Verdict
	Crashes     bool // a session of the release or of its baseline crashed: else there is no ratio
	WithoutThem bool // the application sends no sessions: events and users are all there is
}

// Duration is how long sessions lasted that ended one way, in milliseconds.
type Duration struct{ P50, P95 float64 }

// Window is what was looked at.
type Window struct {
	From, To    time.Time
	Environment string
	CutOff      bool           // cut-off sessions count as crashed
	Total       quality.Counts // of all releases
	Users       int64          // of all releases
}

// view is what the counts of a window say.
type view struct {
	Window
	counts    map[int64]*quality.Counts
	before    map[int64]*quality.Counts // of the days that a baseline may be looked at; nil: the window is as long
	users     map[int64]sessions.Users
	durations map[int64]map[session.Outcome]quality.Durations
	list      []*releases.ReleaseRow // newest first
}

// bytes is about how much memory it takes.
func (v *view) bytes() int { return 400*len(v.list) + 8000*len(v.durations) }

// query makes the question to the counts: of whole hours, so that the same is asked for a
// while.
func (s *Service) query(ctx context.Context, a Ask) (sessions.Query, error) {
	q := sessions.Query{Project: a.Project.ID, From: a.From, To: a.To, CutOff: a.Project.CutOffCrashes}
	now := s.db.Now()
	if q.To.IsZero() {
		q.To = now.Add(time.Hour) // clocks may be ahead
	}
	if q.From.IsZero() {
		q.From = now.Add(-UsualWindow)
	}
	q.From, q.To = q.From.Truncate(time.Hour), q.To.Truncate(time.Hour)
	if a.Environment == "" {
		return q, nil
	}
	id, err := names.IDOf(ctx, s.db, names.Environments, a.Project.ID, a.Environment)
	if err == nil && id == 0 {
		err = problem.New(problem.NotFound, "environment %q of %s is not known", a.Environment, a.Project.Name)
	}
	q.Environment = id
	return q, err
}

// view reads the counts of a window. Where that takes long, they are remembered for some
// seconds.
func (s *Service) view(ctx context.Context, a Ask) (*view, error) {
	q, err := s.query(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.views.Get(q, func() (*view, error) { return s.read(ctx, a, q) })
}

func (s *Service) read(ctx context.Context, a Ask, q sessions.Query) (*view, error) {
	v := &view{Window: Window{From: q.From, To: q.To, Environment: a.Environment, CutOff: q.CutOff}}
	var err error
	if v.counts, err = sessions.Counts(ctx, s.db, q); err != nil {
		return nil, err
	}
	for _, n := range v.counts {
		v.Total.Add(*n)
	}
	if start := q.To.AddDate(0, 0, -baselineDays); start.Before(q.From) {
		longer := q
		longer.From = start
		if v.before, err = sessions.DayCounts(ctx, s.db, longer); err != nil {
			return nil, err
		}
	}
	if v.users, err = sessions.UsersOf(ctx, s.db, q); err != nil {
		return nil, err
	}
	v.Users = v.users[sessions.All].All
	if v.durations, err = sessions.Durations(ctx, s.db, q); err != nil {
		return nil, err
	}
	v.list, err = s.releases.Releases(ctx, a.Project)
	return v, err
}

// of is how one release does; baseline "" is the one before it.
func (v *view) of(i int, baseline string) (*Release, error) {
	row := v.list[i]
	out := &Release{ReleaseRow: row, Users: v.users[row.ID], ByOutcome: map[session.Outcome]Duration{}}
	if c := v.counts[row.ID]; c != nil {
		out.Sessions = *c
	}
	ended, bad := out.Sessions.Ended(), out.Sessions.Bad(v.CutOff)
	out.CrashFree = quality.Wilson(ended-bad, ended)
	out.ErrorFree = quality.Wilson(ended-bad-out.Sessions.Faulty, ended)
	out.UsersFree = quality.Wilson(out.Users.All-out.Users.Crashed, out.Users.All)
	out.OfSessions, out.OfUsers = share(out.Sessions.All(), v.Total.All()), share(out.Users.All, v.Users)
	all := quality.Durations{}
	for o, d := range v.durations[row.ID] {
		out.ByOutcome[o] = Duration{d.Quantile(0.5), d.Quantile(0.95)}
		for bucket, n := range d {
			all[bucket] += n
		}
	}
	out.P50, out.P95 = all.Quantile(0.5), all.Quantile(0.95)
	out.WithoutThem = v.Total.All() == 0
	base := i + 1
	if baseline != "" {
		base = slices.IndexFunc(v.list, func(r *releases.ReleaseRow) bool { return r.Version == baseline })
		if base < 0 {
			return nil, problem.New(problem.NotFound,
				"release %q, the baseline of the comparison, is not known",
				baseline)
		}
	}
	if base >= len(v.list) {
		return out, nil
	}
	out.Baseline, out.base = v.list[base].Version, v.list[base].ID
	here, there := out.Sessions, v.counts[out.base]
	if there == nil {
		there = &quality.Counts{}
	}
	longer := tooFew(*there, v.before[out.base])
	if longer {
		there = v.before[out.base]
		if n := v.before[row.ID]; n != nil {
			here = *n
		}
	}
	verdict := compared(here, *there, v.CutOff, longer)
	if out.WithoutThem {
		verdict.Why = "the application sends no sessions, so that nothing says how many did not crash"
	}
	out.Verdict, out.Crashes = &verdict, here.Bad(v.CutOff)+there.Bad(v.CutOff) > 0
	return out, nil
}

// tooFew says whether a baseline has too few sessions in the window, and more in a longer
// time: then both releases are compared over that.
func tooFew(there quality.Counts, longer *quality.Counts) bool {
	return longer != nil && there.Ended() < quality.MinSessions && longer.Ended() > there.Ended()
}

// compared is the verdict about a release, over the window or a longer time.
func compared(here, there quality.Counts, cutOff, longer bool) quality.Verdict {
	v := quality.Compare(here, there, cutOff)
	if longer {
		v.Why = fmt.Sprintf("in %d days %s", baselineDays, v.Why)
	}
	return v
}

func share(n, of int64) float64 {
	if of == 0 {
		return 0
	}
	return float64(n) / float64(of)
}

// Qualities says how all releases do that were seen in the window, the newest first.
func (s *Service) Qualities(ctx context.Context, a Ask) ([]*Release, Window, error) {
	v, err := s.view(ctx, a)
	if err != nil {
		return nil, Window{}, err
	}
	var out []*Release
	for i, row := range v.list {
		if v.counts[row.ID] == nil && row.FirstSeen.Before(v.From) {
			continue
		}
		r, err := v.of(i, a.Baseline)
		if err != nil {
			return nil, v.Window, err
		}
		out = append(out, r)
	}
	return out, v.Window, nil
}

// Quality says how one release does.
func (s *Service) Quality(ctx context.Context, a Ask, version string) (*Release, Window, error) {
	v, err := s.view(ctx, a)
	if err != nil {
		return nil, Window{}, err
	}
	i := slices.IndexFunc(v.list, func(r *releases.ReleaseRow) bool { return r.Version == version })
	if i < 0 {
		_, err := s.releases.Release(ctx, a.Project, version) // it says what is wrong, or is older than what is listed
		if err == nil {
			err = problem.New(problem.NotFound, "release %q is not among the newest %d of %s", version,
				releases.MaxReleases,
				a.Project.Name)
		}
		return nil, v.Window, err
	}
	r, err := v.of(i, a.Baseline)
	return r, v.Window, err
}

// Uptake is how many sessions of each release began when, the oldest first, in steps of
// some hours.
func (s *Service) Uptake(ctx context.Context, a Ask) (list []sessions.Hour, versions map[int64]string, step int64,
	err error) {
	q, err := s.query(ctx, a)
	if err != nil {
		return nil, nil, 0, err
	}
	step = 1
	for q.To.Sub(q.From) > time.Duration(200*step)*time.Hour {
		step = map[int64]int64{1: 6, 6: 24}[step]
		if step == 0 {
			step = 24
			break
		}
	}
	if list, err = sessions.Hours(ctx, s.db, q, step); err != nil {
		return nil, nil, step, err
	}
	rows, err := s.releases.Releases(ctx, a.Project)
	versions = map[int64]string{}
	for _, r := range rows {
		versions[r.ID] = r.Version
	}
	return list, versions, step, err
}

// Devices says how the sessions of a release ended by device, system and browser.
func (s *Service) Devices(ctx context.Context, a Ask, version string) ([]sessions.Trait, error) {
	q, err := s.query(ctx, a)
	if err != nil {
		return nil, err
	}
	r, err := s.releases.Release(ctx, a.Project, version)
	if err != nil {
		return nil, err
	}
	q.Release = r.ID
	return sessions.Traits(ctx, s.db, q)
}
