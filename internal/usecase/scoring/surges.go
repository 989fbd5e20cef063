package scoring

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"math"
	"slices"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/surge"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
	"firethorn/internal/usecase/status"
)

// newestLooked is how many of an issue's newest events are looked at for the
// users and sessions they hit.
const newestLooked = 5000

// surgeEvery is how often surges are looked for.
const surgeEvery = 15 * time.Second

// LookForSurges tests the issues of a project that occurred lately, and says in
// their history when a surge begins and when it is over.
func (s *Service) LookForSurges(ctx context.Context, project int64) error {
	b, err := s.issues.ScoringInputs(ctx, s.db.Slow, project)
	if err != nil {
		return err
	}
	now := s.db.Now().UTC()
	if _, err := s.db.Slow.ExecContext(ctx, "DELETE FROM issue_pulse WHERE project=? AND slot<?", project,
		issues.SlotOf(now.Add(-issues.PulseKept))); err != nil {
		return err
	}
	if _, err := s.db.Slow.ExecContext(ctx, "DELETE FROM pulse_mark WHERE project=? AND slot<?", project,
		issues.SlotOf(now.Add(-issues.PulseKept))); err != nil {
		return err
	}
	list, against, err := s.candidates(ctx, project, b.Surge, now)
	if err != nil {
		return err
	}
	var changes []surgeChange
	for _, c := range list {
		v, err := s.testSurge(ctx, c, against)
		if err != nil {
			return err
		}
		if v.Surges != c.since.Valid {
			changes = append(changes, surgeChange{c.id, v})
		}
	}
	slices.SortFunc(changes, func(a, b surgeChange) int { return cmp.Compare(a.issue, b.issue) })
	for chunk := range slices.Chunk(changes, surgesAtOnce) {
		err := s.db.InTx(ctx, func(tx *sql.Tx) error {
			for _, c := range chunk {
				if err := s.setSurge(ctx, tx, c); err != nil {
					return err
				}
			}
			return projects.Touch(ctx, tx, project)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// candidate is an issue that may surge, or surges.
type candidate struct {
	id, first, events int64
	state             issue.State
	since             sql.NullInt64
}

// yardstick is what a project's candidates are held against.
type yardstick struct {
	project         int64
	settings        surge.Thresholds
	now, from       time.Time
	sessions, share int64  // sessions that began since from, and how many events can hit the share of them
	recent          string // a condition that selects the events e since from
	recentArgs      []any
}

// candidates are the issues of a project that may surge now, and those that do.
func (s *Service) candidates(ctx context.Context, project int64, settings surge.Thresholds,
	now time.Time) ([]candidate, yardstick, error) {
	from := now.Add(-time.Duration(settings.Minutes) * time.Minute)
	y := yardstick{project: project, settings: settings, now: now, from: from, share: math.MaxInt64}
	var err error
	if y.sessions, err = sessions.BegunSince(ctx, s.db.Slow, project, from); err != nil {
		return nil, y, err
	}
	var since int64
	const first = "SELECT COALESCE(MIN(filing),1) FROM pulse_mark WHERE project=? AND slot>=?"
	if err := s.db.Slow.QueryRowContext(ctx, first, project, issues.SlotOf(from)).Scan(&since); err != nil {
		return nil, y, err
	}
	if y.recent, y.recentArgs, err = s.events.Behind(ctx, s.db.Slow, project, since-1); err != nil {
		return nil, y, err
	}
	if y.sessions >= settings.Sessions {
		y.share = max(1, int64(math.Ceil(settings.Share/2*float64(y.sessions))))
	}
	// What lies below so many times the mean of its window surges in no case: its
	// past need not be read. What surges already is looked at once a minute.
	mean := settings.Times * float64(settings.Minutes) / 60 / (surge.PastDays * 24)
	surging := now.Second() < int(surgeEvery/time.Second)
	var list []candidate
	err = db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var c candidate
		err := r.Scan(&c.id, &c.events, &c.state, &c.first, &c.since)
		list = append(list, c)
		return err
	}, "SELECT x.issue, x.n, l.state, l.first_seen, l.surge_since FROM (SELECT issue, SUM(events) n FROM issue_pulse FORCE INDEX (PRIMARY) WHERE project=? AND slot>? GROUP BY issue HAVING n>=?) x JOIN issue_list l ON l.issue=x.issue"+
		" WHERE l.surge_since IS NULL AND (x.n>=? OR x.n>=?*GREATEST(0, CAST(l.window_events AS SIGNED)-CAST(x.n AS SIGNED)))"+
		" UNION ALL SELECT l.issue, COALESCE((SELECT SUM(p.events) FROM issue_pulse p WHERE p.issue=l.issue AND p.slot>?),0), l.state, l.first_seen, l.surge_since FROM issue_list l FORCE INDEX (surging) WHERE l.project=? AND l.surge_since IS NOT NULL AND ?",
		project, issues.SlotOf(from), min(settings.Events, y.share), y.share, mean, issues.SlotOf(from), project,
		surging)
	return list, y, err
}

// testSurge says whether a candidate surges. Whom it hit is asked where that can
// change the answer.
func (s *Service) testSurge(ctx context.Context, c candidate, y yardstick) (v surge.Verdict, err error) {
	f := surge.Facts{Now: y.now, Events: c.events, Users: -1, Since: db.FromMicros(c.first)}
	if f.Past, err = s.pastHours(ctx, c.id, y.now); err != nil {
		return v, err
	}
	v = surge.Test(f, y.settings, c.since.Valid)
	if c.events >= y.share || v.Surges && !c.since.Valid {
		f.Sessions = y.sessions
		if err := s.affected(ctx, y, c.id, &f); err != nil {
			return v, err
		}
		v = surge.Test(f, y.settings, c.since.Valid)
	}
	v.Surges = v.Surges && c.state != issue.Dismissed
	return v, nil
}

// surgeChange is a surge that begins or ends.
type surgeChange struct {
	issue int64
	surge.Verdict
}

// surgesAtOnce begin or end in one transaction: each delays processing.
const surgesAtOnce = 100

// affected adds how many users and sessions an issue hit lately.
func (s *Service) affected(ctx context.Context, y yardstick, id int64, f *surge.Facts) error {
	var told int64
	args := slices.Concat([]any{id}, y.recentArgs, []any{newestLooked, db.Micros(y.from)})
	err := s.db.Slow.QueryRowContext(ctx, "SELECT COUNT(DISTINCT x.user), COUNT(x.user), COUNT(DISTINCT x.session) FROM (SELECT e.user, e.session, e.thrown FROM variant v JOIN event e FORCE INDEX (by_variant) ON e.variant=v.id AND e.has_body IN (0,1)"+
		" WHERE v.issue=? AND "+y.recent+" ORDER BY e.filing DESC LIMIT ?) x WHERE x.thrown>=?",
		args...).Scan(&f.Users, &told, &f.Hit)
	if err != nil {
		return err
	}
	if told == 0 {
		f.Users = -1
	}
	return nil
}

// pastHours is how often an issue occurred by hour, as far back as its past goes.
func (s *Service) pastHours(ctx context.Context, id int64, now time.Time) (out []surge.PastHour, err error) {
	return out, db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var h surge.PastHour
		err := r.Scan(&h.Hour, &h.Events)
		out = append(out, h)
		return err
	}, "SELECT hour, SUM(events) FROM issue_hour WHERE issue=? AND hour>=? GROUP BY hour", id, now.AddDate(0, 0, -surge.PastDays).Unix()/3600)
}

// setSurge begins or ends a surge.
func (s *Service) setSurge(ctx context.Context, tx *sql.Tx, c surgeChange) error {
	project, st, err := s.status.Lock(ctx, tx, c.issue)
	if err != nil || st == nil {
		return err
	}
	now := s.db.Now().UTC()
	var since sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT surge_since FROM issue_list WHERE issue=? FOR UPDATE", c.issue).Scan(&since); err != nil || since.Valid == c.Surges {
		return err
	}
	e := issue.Surge(st.Status, c.Text)
	var begun any = db.Micros(now)
	if !c.Surges {
		begun = nil
		e = issue.Entry{Kind: issue.Calm,
			Text: "the surge is over, after " + lasted(now.Sub(db.FromMicros(since.Int64)))}
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue_list SET surge_since=?, surge_text=? WHERE issue=?", begun, c.Text, c.issue); err != nil {
		return err
	}
	change := status.Change{Project: project, Issue: c.issue, Before: *st,
		Entry: status.HistoryLine{Entry: e, Who: accounts.Service}}
	if c.Surges && st.State.Open() {
		change.Need = issue.NeedNow
	}
	return s.status.Change(ctx, tx, change)
}

func lasted(d time.Duration) string {
	if d < 2*time.Hour {
		return text.Counted(int64(d.Minutes()), "minute")
	}
	return fmt.Sprintf("%d hours", int64(d.Hours()))
}

// How long small tables keep their rows.
const HourDays = 30
