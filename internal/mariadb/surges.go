package mariadb

import (
	"context"
	"database/sql"
	"fmt"
	"math"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/surge"
	"firethorn/internal/core/words"
)

// newestLooked is how many of an issue's newest events are looked at for the
// users and sessions they hit.
const newestLooked = 5000

// LookForSurges tests the issues of a project that occurred lately, and says in
// their history when a surge begins and when it is over.
func (s *Store) LookForSurges(ctx context.Context, project int64) error {
	b, err := s.basis(ctx, s.slow, project)
	if err != nil {
		return err
	}
	now := s.now().UTC()
	if _, err := s.slow.ExecContext(ctx, "DELETE FROM issue_pulse WHERE project=? AND slot<?", project, slotOf(now.Add(-pulseKept))); err != nil {
		return err
	}
	if _, err := s.slow.ExecContext(ctx, "DELETE FROM pulse_mark WHERE project=? AND slot<?", project, slotOf(now.Add(-pulseKept))); err != nil {
		return err
	}
	from := now.Add(-time.Duration(b.surge.Minutes) * time.Minute)
	var sessions int64
	if err := s.slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM app_session FORCE INDEX (by_start) WHERE project=? AND started>=?", project, micros(from)).Scan(&sessions); err != nil {
		return err
	}
	least := (b.surge.Events + 1) / 2
	if sessions >= b.surge.Sessions {
		least = max(1, min(least, int64(math.Ceil(b.surge.Share/2*float64(sessions)))))
	}
	type candidate struct {
		id, first, events int64
		state             issue.State
		since             sql.NullInt64
	}
	var list []candidate
	err = each(ctx, s.slow, func(r *sql.Rows) error {
		var c candidate
		err := r.Scan(&c.id, &c.events, &c.state, &c.first, &c.since)
		list = append(list, c)
		return err
	}, "SELECT x.issue, x.n, l.state, l.first_seen, l.surge_since FROM (SELECT issue, SUM(events) n FROM issue_pulse FORCE INDEX (by_slot) WHERE project=? AND slot>? GROUP BY issue HAVING n>=?) x JOIN issue_list l ON l.issue=x.issue"+
		" UNION SELECT l.issue, COALESCE((SELECT SUM(p.events) FROM issue_pulse p WHERE p.issue=l.issue AND p.slot>?),0), l.state, l.first_seen, l.surge_since FROM issue_list l FORCE INDEX (surging) WHERE l.project=? AND l.surge_since IS NOT NULL",
		project, slotOf(from), least, slotOf(from), project)
	if err != nil {
		return err
	}
	for _, c := range list {
		f := surge.Facts{Now: now, Events: c.events, Since: fromMicros(c.first), Sessions: sessions}
		if err := s.surgeFacts(ctx, project, c.id, from, &f); err != nil {
			return err
		}
		v := surge.Test(f, b.surge, c.since.Valid)
		v.Surges = v.Surges && c.state != issue.Dismissed
		if v.Surges == c.since.Valid {
			continue
		}
		if err := s.setSurge(ctx, c.id, v); err != nil {
			return err
		}
	}
	return nil
}

// surgeFacts adds an issue's past, and whom it hit lately.
func (s *Store) surgeFacts(ctx context.Context, project, id int64, from time.Time, f *surge.Facts) error {
	var told int64
	err := s.slow.QueryRowContext(ctx, "SELECT COUNT(DISTINCT x.user), COUNT(x.user), COUNT(DISTINCT x.session) FROM (SELECT e.user, e.session, e.thrown FROM variant v JOIN event e FORCE INDEX (by_variant) ON e.variant=v.id AND e.has_body IN (0,1)"+
		" WHERE v.issue=? AND e.filing>=COALESCE((SELECT MIN(m.filing) FROM pulse_mark m WHERE m.project=? AND m.slot>=?),0) ORDER BY e.filing DESC LIMIT ?) x WHERE x.thrown>=?",
		id, project, slotOf(from), newestLooked, micros(from)).Scan(&f.Users, &told, &f.Hit)
	if err != nil {
		return err
	}
	if told == 0 {
		f.Users = -1
	}
	return each(ctx, s.slow, func(r *sql.Rows) error {
		var h surge.PastHour
		err := r.Scan(&h.Hour, &h.Events)
		f.Past = append(f.Past, h)
		return err
	}, "SELECT hour, SUM(events) FROM issue_hour WHERE issue=? AND hour>=? GROUP BY hour", id, f.Now.AddDate(0, 0, -surge.PastDays).Unix()/3600)
}

// setSurge begins or ends a surge.
func (s *Store) setSurge(ctx context.Context, id int64, v surge.Verdict) error {
	return s.InTx(ctx, func(tx *sql.Tx) error {
		project, st, err := s.lockStanding(ctx, tx, id)
		if err != nil || st == nil {
			return err
		}
		now := s.now().UTC()
		var since sql.NullInt64
		if err := tx.QueryRowContext(ctx, "SELECT surge_since FROM issue_list WHERE issue=? FOR UPDATE", id).Scan(&since); err != nil || since.Valid == v.Surges {
			return err
		}
		e := issue.Surge(st.Standing, v.Words)
		if !v.Surges {
			e = issue.Entry{Kind: issue.Calm, Words: "the surge is over, after " + lasted(now.Sub(fromMicros(since.Int64)))}
		}
		calls := 0
		if v.Surges && st.State.Open() {
			calls = 1
		}
		if _, err := tx.ExecContext(ctx, "UPDATE issue_list SET surge_since=?, surge_words=?, calls_at=IF(?,?,calls_at) WHERE issue=?", map[bool]any{true: micros(now), false: nil}[v.Surges], v.Words, calls, micros(now), id); err != nil {
			return err
		}
		if err := s.tell(ctx, tx, project, id, historyLine{Entry: e, who: service}); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", project)
		return err
	})
}

func lasted(d time.Duration) string {
	if d < 2*time.Hour {
		return words.Counted(int64(d.Minutes()), "minute")
	}
	return fmt.Sprintf("%d hours", int64(d.Hours()))
}
