package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/surge"
)

// basis is what all issues of a project are scored by.
type basis struct {
	generation int64 // grows when the rest changes
	weights    impact.Weights
	surge      surge.Thresholds
	active     int64 // users in the window, as counted
	counted    int64 // when
	newestID   int64
	newest     string
}

func (s *Store) basis(ctx context.Context, q querier, project int64) (basis, error) {
	b := basis{weights: impact.Default, surge: surge.Default}
	var weights, thresholds string
	err := q.QueryRowContext(ctx, "SELECT b.generation, b.weights, b.surge, b.active, b.counted, COALESCE(b.newest,0), COALESCE(r.name,'') FROM scoring b LEFT JOIN app_release r ON r.id=b.newest WHERE b.project=?", project).
		Scan(&b.generation, &weights, &thresholds, &b.active, &b.counted, &b.newestID, &b.newest)
	if errors.Is(err, sql.ErrNoRows) {
		return b, nil
	}
	if err != nil {
		return b, err
	}
	return b, errors.Join(json.Unmarshal([]byte(weights), &b.weights), json.Unmarshal([]byte(thresholds), &b.surge))
}

// scored is what of an issue its score is made from.
type scored struct {
	users, events int64 // in the window
	recent        int64 // events of its last days
	firstSeen     int64
	firstRelease  int64
	unhandled     bool
	state         issue.State
	severity      string // as the events say
	grade         string // as a person says
}

func (b basis) score(x scored, now time.Time) impact.Score {
	f := impact.Facts{
		Users: x.users, Events: x.events, Active: b.active, Recent: x.recent, FirstSeen: fromMicros(x.firstSeen), Now: now, Unhandled: x.unhandled,
		Newest: b.newestID != 0 && x.firstRelease == b.newestID, Release: b.newest, SomeRelease: x.firstRelease != 0, Regressed: x.state == issue.Regressed, Severity: x.severity,
	}
	if x.grade != "" {
		f.Severity, f.ByHand = x.grade, true
	}
	return impact.Of(f, b.weights)
}

// never is when a score gets stale that time alone does not change.
const never = math.MaxInt64

// staleAt is when time alone changes a score next: with the hour while it has
// momentum, with the day while something is in the window.
func staleAt(score impact.Score, events int64, now time.Time) int64 {
	switch {
	case events == 0:
		return never
	case score.Ages():
		return micros(now.Truncate(time.Hour).Add(time.Hour))
	}
	return micros(now.UTC().Truncate(24*time.Hour).AddDate(0, 0, 1))
}

// firstRecent is the first of the days that are held against those before.
func firstRecent(now time.Time) int { return Day(now) - impact.RecentDays + 1 }

// copyState brings the state, the impact that depends on it, and who has the issue
// into the list.
func (s *Store) copyState(ctx context.Context, tx *sql.Tx, id int64, st issue.State) error {
	now := s.now().UTC()
	var project, windowDay, calls int64
	var was issue.State
	var owner sql.NullInt64
	x := scored{state: st}
	err := tx.QueryRowContext(ctx, "SELECT l.project, l.state, l.calls_at, i.owner, l.window_day, l.window_users, l.window_events, l.unhandled, l.first_seen, COALESCE(l.first_release,0), l.severity, i.severity,"+
		" (SELECT COALESCE(SUM(t.events),0) FROM issue_trend t WHERE t.issue=l.issue AND t.day>=?) FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.issue=? FOR UPDATE", firstRecent(now), id).
		Scan(&project, &was, &calls, &owner, &windowDay, &x.users, &x.events, &x.unhandled, &x.firstSeen, &x.firstRelease, &x.severity, &x.grade, &x.recent)
	if err != nil {
		return err
	}
	today := int64(Day(now))
	if windowDay < today {
		if err := windowOf(ctx, tx, id, windowStart(now), &x.events, &x.users); err != nil {
			return err
		}
	}
	b, err := s.basis(ctx, tx, project)
	if err != nil {
		return err
	}
	if waits(st) != waits(was) { // for somebody to decide
		calls = 0
		if waits(st) {
			calls = micros(now)
		}
	}
	score := b.score(x, now)
	_, err = tx.ExecContext(ctx, "UPDATE issue_list SET state=?, calls_at=?, owner=?, window_day=?, window_events=?, window_users=?, impact=?, basis=?, stale_at=? WHERE issue=?",
		string(st), calls, owner, max(windowDay, today), x.events, x.users, score.Tenths(), b.generation, staleAt(score, x.events, now), id)
	return err
}

// waits says whether an issue in a state waits for somebody to decide about it.
func waits(st issue.State) bool { return st == issue.New || st == issue.Regressed }

// Stale lists the projects with issues whose score is to be made anew.
func (s *Store) Stale(ctx context.Context) ([]int64, error) {
	return numbers(ctx, s.db, "SELECT b.project FROM scoring b WHERE EXISTS (SELECT 1 FROM issue_list l FORCE INDEX (stale) WHERE l.project=b.project AND l.stale_at<=?) OR EXISTS (SELECT 1 FROM issue_list l FORCE INDEX (scored) WHERE l.project=b.project AND l.basis<b.generation)", micros(s.now()))
}

// rescoreChunk is how many issues are scored in one transaction.
const rescoreChunk = 500

// Rescore scores issues of a project anew: those whose window moved or whose
// momentum is over, and those that were scored by something that changed. more
// says that there are more.
func (s *Store) Rescore(ctx context.Context, project int64) (more bool, err error) {
	now := s.now().UTC()
	return more, s.InTx(ctx, func(tx *sql.Tx) error {
		if err := lockProject(ctx, tx, project); err != nil {
			return err
		}
		b, err := s.basis(ctx, tx, project)
		if err != nil {
			return err
		}
		ids, err := numbers(ctx, tx, "SELECT issue FROM issue_list FORCE INDEX (stale) WHERE project=? AND stale_at<=? ORDER BY stale_at LIMIT ?", project, micros(now), rescoreChunk)
		if err == nil && len(ids) < rescoreChunk {
			var old []int64
			old, err = numbers(ctx, tx, "SELECT issue FROM issue_list FORCE INDEX (scored) WHERE project=? AND basis<? LIMIT ?", project, b.generation, rescoreChunk-len(ids))
			ids = append(ids, old...)
		}
		more = len(ids) == rescoreChunk
		if err != nil || len(ids) == 0 {
			return err
		}
		slices.Sort(ids)
		return s.rescore(ctx, tx, b, slices.Compact(ids), now)
	})
}

// rescore scores issues of one project, in few statements.
func (s *Store) rescore(ctx context.Context, tx *sql.Tx, b basis, ids []int64, now time.Time) error {
	in := make([]any, len(ids))
	for i, id := range ids {
		in[i] = id
	}
	type row struct {
		scored
		day int64
	}
	rows := map[int64]*row{}
	today, start := int64(Day(now)), windowStart(now)
	err := each(ctx, tx, func(r *sql.Rows) error {
		var id int64
		x := &row{}
		err := r.Scan(&id, &x.state, &x.day, &x.users, &x.unhandled, &x.firstSeen, &x.firstRelease, &x.severity, &x.grade)
		rows[id] = x
		return err
	}, "SELECT l.issue, l.state, l.window_day, l.window_users, l.unhandled, l.first_seen, COALESCE(l.first_release,0), l.severity, i.severity FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.issue IN ("+marks(len(in))+") FOR UPDATE", in...)
	if err != nil {
		return err
	}
	err = each(ctx, tx, func(r *sql.Rows) error {
		var id, events, recent int64
		err := r.Scan(&id, &events, &recent)
		if x := rows[id]; x != nil {
			x.events, x.recent = events, recent
		}
		return err
	}, "SELECT issue, SUM(events), SUM(IF(day>=?,events,0)) FROM issue_trend WHERE issue IN ("+marks(len(in))+") AND day>=? GROUP BY issue", append(append([]any{firstRecent(now)}, in...), start)...)
	if err != nil {
		return err
	}
	var moved []any // whose window moved: the users in it are counted
	for _, id := range ids {
		if x := rows[id]; x != nil && x.day < today {
			x.users = 0
			moved = append(moved, id)
		}
	}
	if len(moved) > 0 {
		err = each(ctx, tx, func(r *sql.Rows) error {
			var id, users int64
			err := r.Scan(&id, &users)
			rows[id].users = users
			return err
		}, "SELECT issue, COUNT(DISTINCT user) FROM issue_user WHERE issue IN ("+marks(len(moved))+") AND last_day>=? GROUP BY issue", append(moved, start)...)
		if err != nil {
			return err
		}
	}
	var values []string // numbers all: one statement for all of them
	for _, id := range ids {
		if x := rows[id]; x != nil { // else it was merged since
			score := b.score(x.scored, now)
			values = append(values, fmt.Sprintf("SELECT %d i, %d d, %d e, %d u, %d s, %d t", id, max(x.day, today), x.events, x.users, score.Tenths(), staleAt(score, x.events, now)))
		}
	}
	if len(values) == 0 {
		return nil
	}
	_, err = tx.ExecContext(ctx, fmt.Sprintf("UPDATE issue_list l JOIN (%s) x ON x.i=l.issue SET l.window_day=x.d, l.window_events=x.e, l.window_users=x.u, l.impact=x.s, l.basis=%d, l.stale_at=x.t", strings.Join(values, " UNION ALL "), b.generation))
	return err
}

// Behind says whether something of a project has waited for so long to be filed.
func (s *Store) Behind(ctx context.Context, project int64, long time.Duration) (behind bool, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM inbox FORCE INDEX (waiting) WHERE project=? AND received<?)", project, micros(s.now().Add(-long))).Scan(&behind)
	return behind, err
}
