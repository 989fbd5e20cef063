package scoring

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// Stale lists the projects with issues whose score is to be rebuilt.
func (s *Service) Stale(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT b.project FROM scoring b WHERE EXISTS (SELECT 1 FROM issue_list l FORCE INDEX (stale) WHERE l.project=b.project AND l.stale_at<=?) OR EXISTS (SELECT 1 FROM issue_list l FORCE INDEX (scored) WHERE l.project=b.project AND l.scoring_version<b.version)", db.Micros(s.db.Now()))
}

// rescoreChunk is how many issues are scored in one transaction.
const rescoreChunk = 500

// Rescore scores issues of a project again: those whose window moved or whose
// momentum is over, and those that were scored by something that changed. more
// says that there are more.
func (s *Service) Rescore(ctx context.Context, project int64) (more bool, err error) {
	now := s.db.Now().UTC()
	return more, s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		b, err := s.issues.ScoringInputs(ctx, tx, project)
		if err != nil {
			return err
		}
		ids, err := db.Numbers(ctx, tx, "SELECT issue FROM issue_list FORCE INDEX (stale) WHERE project=? AND stale_at<=? ORDER BY stale_at LIMIT ?", project, db.Micros(now), rescoreChunk)
		if err == nil && len(ids) < rescoreChunk {
			var old []int64
			old, err = db.Numbers(ctx, tx, "SELECT issue FROM issue_list FORCE INDEX (scored) WHERE project=? AND scoring_version<? LIMIT ?", project, b.Version, rescoreChunk-len(ids))
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
func (s *Service) rescore(ctx context.Context, tx *sql.Tx, b issues.ScoringInputs, ids []int64, now time.Time) error {
	in := make([]any, len(ids))
	for i, id := range ids {
		in[i] = id
	}
	type row struct {
		issues.Scored
		day int64
	}
	rows := map[int64]*row{}
	today, start := int64(db.Day(now)), issues.WindowStart(now)
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var id int64
		x := &row{}
		err := db.ScanNames(r,
			db.Into{"issue": &id, "state": &x.State, "window_day": &x.day, "window_users": &x.Users,
				"unhandled": &x.Unhandled, "first_seen": &x.FirstSeen, "first_release": &x.FirstRelease,
				"severity": &x.Severity, "grade": &x.Grade})
		rows[id] = x
		return err
	}, "SELECT l.issue, l.state, l.window_day, l.window_users, l.unhandled, l.first_seen, COALESCE(l.first_release,0) AS first_release, l.severity, i.severity AS grade FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.issue IN ("+db.Marks(len(in))+") FOR UPDATE", in...)
	if err != nil {
		return err
	}
	err = db.Each(ctx, tx, func(r *sql.Rows) error {
		var id, events, recent int64
		err := r.Scan(&id, &events, &recent)
		if x := rows[id]; x != nil {
			x.Events, x.Recent = events, recent
		}
		return err
	}, "SELECT issue, SUM(events), SUM(IF(day>=?,events,0)) FROM issue_trend WHERE issue IN ("+db.Marks(len(in))+") AND day>=? GROUP BY issue", append(append([]any{issues.FirstRecent(now)}, in...), start)...)
	if err != nil {
		return err
	}
	var moved []int64 // whose window moves on
	for _, id := range ids {
		if x := rows[id]; x != nil && x.day < today {
			moved = append(moved, id)
		}
	}
	users, err := issues.MoveUsers(ctx, tx, moved, start)
	if err != nil {
		return err
	}
	for id, n := range users {
		rows[id].Users = n
	}
	var values []string // numbers all: one statement for all of them
	for _, id := range ids {
		if x := rows[id]; x != nil { // else it was merged since
			score := b.Score(x.Scored, now)
			values = append(values,
				fmt.Sprintf("SELECT %d i, %d d, %d e, %d u, %d s, %d t", id, max(x.day, today), x.Events, x.Users,
					score.Tenths(), issues.StaleAt(score, x.Events, now)))
		}
	}
	if len(values) == 0 {
		return nil
	}
	_, err = tx.ExecContext(ctx, fmt.Sprintf("UPDATE issue_list l JOIN (%s) x ON x.i=l.issue SET l.window_day=x.d, l.window_events=x.e, l.window_users=x.u, l.impact=x.s, l.scoring_version=%d, l.stale_at=x.t", strings.Join(values, " UNION ALL "), b.Version))
	return err
}

// Behind says whether something of a project has waited for so long to be processed.
func (s *Service) Behind(ctx context.Context, project int64, long time.Duration) (behind bool, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM inbox FORCE INDEX (waiting) WHERE project=? AND received<?)", project, db.Micros(s.db.Now().Add(-long))).Scan(&behind)
	return behind, err
}
