package triage

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
	"firethorn/internal/core/silence"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/status"
)

// maxDays is how many days back a time line goes.
const maxDays = 90

// Days lists an issue's days that had events, the oldest first.
func (s *Service) Days(ctx context.Context, id int64) (list []issues.TrendDay, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var day int64
		var d issues.TrendDay
		err := r.Scan(&day, &d.Events, &d.Users)
		d.Day = time.Unix(day*86400, 0).UTC()
		list = append(list, d)
		return err
	}, "SELECT day, events, users FROM issue_trend WHERE issue=? AND day>=? AND events>0 ORDER BY day", id, db.Day(s.db.Now())-maxDays)
	return list, err
}

// Mark is something that happened to a project at a time.
type Mark struct {
	At      time.Time
	Kind    string // "release" or "deploy"
	Release string
	Where   string // the environment
}

// Marks lists the releases that are known, and the deploys, between two
// times, the oldest first.
func (s *Service) Marks(ctx context.Context, project int64, from, to time.Time) (list []Mark, err error) {
	scan := func(kind string) func(*sql.Rows) error {
		return func(r *sql.Rows) error {
			m := Mark{Kind: kind}
			var at int64
			err := r.Scan(&at, &m.Release, &m.Where)
			m.At = db.FromMicros(at)
			list = append(list, m)
			return err
		}
	}
	err = db.Each(ctx, s.db, scan("release"), "SELECT first_seen, name, '' FROM app_release WHERE project=? AND first_seen BETWEEN ? AND ? ORDER BY id DESC LIMIT 200", project, db.Micros(from), db.Micros(to))
	if err == nil {
		err = db.Each(ctx, s.db, scan("deploy"), "SELECT d.at, r.name, e.name FROM deploy d JOIN app_release r ON r.id=d.app_release JOIN environment e ON e.id=d.environment WHERE d.project=? AND d.at BETWEEN ? AND ? ORDER BY d.at DESC LIMIT 200", project, db.Micros(from), db.Micros(to))
	}
	slices.SortStableFunc(list, func(a, b Mark) int { return a.At.Compare(b.At) })
	return list, err
}

// maxHit bounds how many events of an issue are looked at for the sessions
// that it hit.
const maxHit = 20_000

// Holding says whether the fix of an issue holds, and with what odds; nil where
// nothing can be said: it is not fixed, or its fix is not out.
func (s *Service) Holding(ctx context.Context, project, id int64, st issue.Status) (*silence.Holding, error) {
	if st.State != issue.Fixed || st.FixedIn == "" && st.Kind != issue.FixNow {
		return nil, nil
	}
	h, known, err := s.holdingBySessions(ctx, project, id, st)
	if err == nil && !known {
		h, known, err = s.holdingByDays(ctx, project, id, st)
	}
	if err != nil || !known {
		return nil, err
	}
	return &h, nil
}

// withFix splits the releases of a project into those that contain a fix and
// the others, by internal number.
func (s *Service) withFix(ctx context.Context, project int64,
	f issue.Fix) (with, without []int64, first time.Time, err error) {
	k, err := s.releases.Facts(ctx, s.db, project, f.FixedIn, f.After)
	if err != nil {
		return nil, nil, first, err
	}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id, at int64
		var x release.Release
		if err := r.Scan(&id, &x.Version, &at, &x.Commit); err != nil {
			return err
		}
		x.FirstSeen, x.Commit = db.FromMicros(at), releases.FullCommit(k.Graph, x.Commit)
		switch answer, _ := k.Holds(f, x); answer {
		case issue.Contains:
			with = append(with, id)
			if first.IsZero() || x.FirstSeen.Before(first) {
				first = x.FirstSeen
			}
		case issue.Older, issue.Apart:
			without = append(without, id)
		}
		return nil
	}, "SELECT id, name, first_seen, commit_hash FROM app_release WHERE project=? ORDER BY id DESC LIMIT ?", project, releases.MaxReleases)
	return with, without, first, err
}

func in(column string, ids []int64) (cond string, args []any) {
	if len(ids) == 0 {
		return "1=0", nil
	}
	for _, id := range ids {
		args = append(args, id)
	}
	return column + " IN (" + db.Marks(len(ids)) + ")", args
}

func (s *Service) holdingBySessions(ctx context.Context, project, id int64,
	st issue.Status) (h silence.Holding, known bool, err error) {
	since := db.Day(s.db.Now()) - projects.KeepClasses[1] // as long as events are kept by default
	sessions := func(cond string, args []any) (n int64, err error) {
		err = s.db.QueryRowContext(ctx, "SELECT COALESCE(SUM(sessions),0) FROM session_day WHERE project=? AND day>=? AND "+cond, append([]any{project, since}, args...)...).Scan(&n)
		return n, err
	}
	before, after := silence.Runs{What: "session"}, int64(0)
	var hit string
	var hitArgs []any
	if st.Kind == issue.FixNow {
		day := db.Day(st.FixedAt)
		if before.All, err = sessions("day<=?", []any{day}); err == nil {
			after, err = sessions("day>?", []any{day})
		}
		hit, hitArgs = "e.thrown<=?", []any{db.Micros(st.FixedAt)}
	} else {
		with, without, _, relErr := s.withFix(ctx, project, st.Fix)
		if relErr != nil {
			return h, false, relErr
		}
		cond, args := in("app_release", without)
		if before.All, err = sessions(cond, args); err == nil {
			hit, hitArgs = in("e.app_release", without)
			cond, args = in("app_release", with)
			after, err = sessions(cond, args)
		}
	}
	if err != nil || before.All == 0 {
		return h, false, err
	}
	query := "SELECT COUNT(DISTINCT x.session) FROM (SELECT e.session FROM variant v JOIN event e ON e.variant=v.id WHERE v.issue=? AND e.session IS NOT NULL AND " + hit + " LIMIT ?) x"
	if err := s.db.QueryRowContext(ctx, query,
		append(append([]any{id}, hitArgs...), maxHit)...).Scan(&before.Hit); err != nil || before.Hit == 0 {
		return h, false, err
	}
	h, known = silence.OfFix(before, after)
	return h, known, nil
}

// holdingByDays does for projects that report no sessions.
func (s *Service) holdingByDays(ctx context.Context, project, id int64,
	st issue.Status) (h silence.Holding, known bool, err error) {
	from := st.FixedAt
	if st.Kind != issue.FixNow {
		_, _, first, err := s.withFix(ctx, project, st.Fix)
		if err != nil || first.IsZero() {
			return h, false, err
		}
		from = first
	}
	days, err := s.Days(ctx, id)
	if err != nil || len(days) == 0 {
		return h, false, err
	}
	before := silence.Runs{What: "day"}
	begin := db.Day(days[0].Day)
	before.All = int64(max(1, db.Day(from)-begin))
	for _, d := range days {
		if db.Day(d.Day) < db.Day(from) {
			before.Hit++
		}
	}
	before.Hit = min(before.Hit, before.All)
	h, known = silence.OfFix(before, int64(max(0, db.Day(s.db.Now())-db.Day(from))))
	return h, known, nil
}

// Quiet says that an issue that nobody fixed has stopped; "" when it has not.
func Quiet(st issue.State, lastSeen time.Time, days []issues.TrendDay, now time.Time) string {
	if !st.Open() {
		return ""
	}
	first, last := 0, db.Day(lastSeen)
	var hit int64
	for _, d := range days {
		if d.Events == 0 {
			continue
		}
		if hit++; first == 0 {
			first = db.Day(d.Day)
		}
	}
	if hit == 0 {
		return ""
	}
	return silence.Quiet(int64(last-first+1), hit, int64(db.Day(now)-last-1))
}

// sweepHolding is how many fixes are looked at in one sweep.
const sweepHolding = 500

// NotifyHolding says of fixes that hold so, once.
func (s *Service) NotifyHolding(ctx context.Context) (said int, err error) {
	type fixed struct {
		id, project int64
		st          issues.StatusRow
	}
	var list []fixed
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var f fixed
		err := issues.ScanStatus(r, &f.st, db.Into{"id": &f.id, "project": &f.project})
		list = append(list, f)
		return err
	}, "SELECT i.id, i.project, "+issues.StatusColumns+" FROM issue i WHERE i.state='fixed' AND i.merged_into IS NULL AND i.deleted IS NULL AND i.fix_at>? AND NOT EXISTS (SELECT 1 FROM history h WHERE h.issue=i.id AND h.kind='holding' AND h.at>=i.fix_at) ORDER BY i.fix_at DESC LIMIT ?", db.Micros(s.db.Now().AddDate(0, 0, -60)), sweepHolding)
	if err != nil {
		return 0, err
	}
	for _, f := range list {
		h, err := s.Holding(ctx, f.project, f.id, f.st.Status)
		if err != nil {
			return said, err
		}
		if h == nil || h.Odds < silence.Holds {
			continue
		}
		told := false
		err = s.db.InTx(ctx, func(tx *sql.Tx) error {
			project, now, err := s.status.Lock(ctx, tx, f.id)
			if told = err == nil && now != nil && now.Status == f.st.Status; !told {
				return err
			}
			return s.status.Record(ctx, tx, project, f.id,
				status.HistoryLine{Who: accounts.Service,
					Entry: issue.Entry{Kind: "holding", Text: h.Text, Notify: []string{f.st.FixedBy}}})
		})
		if err != nil {
			return said, fmt.Errorf("issue %d: %w", f.id, err)
		}
		if told {
			said++
		}
	}
	return said, nil
}

// EventOf finds an event of an issue in a release whose body is kept, the
// newest; nil when none is.
func (s *Service) EventOf(ctx context.Context, id int64, version string) (*events.EventRow, error) {
	keys := "SELECT e.project, e.filing, e.keep_day FROM variant v JOIN event e ON e.variant=v.id JOIN app_release r ON r.id=e.app_release WHERE v.issue=? AND e.has_body=1 AND r.project=v.project AND r.hash=? ORDER BY e.filing DESC LIMIT 1"
	var found *events.EventRow
	err := db.Each(ctx, s.db, func(r *sql.Rows) (err error) {
		found, err = events.ScanEvent(r)
		return err
	}, fmt.Sprintf(events.EventSelect, keys, events.Newest), id, db.Hash16(version))
	return found, err
}
