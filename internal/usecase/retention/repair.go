package retention

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strings"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/sessions"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/scoring"
)

// Repair makes every counter of the issues that differ again from the rows it
// represents, and what dropped days carried. It returns how many issues it
// mended.
func (s *Service) Repair(ctx context.Context, list []Difference) (int, error) {
	var ids []int64
	mended := map[int64]bool{}
	for _, d := range list {
		if d.index != nil && !mended[d.index.ID] {
			mended[d.index.ID] = true
			if err := s.index.Mend(ctx, d.index); err != nil {
				return 0, fmt.Errorf("the search index of %s: %w", d.index.Name, err)
			}
		}
		if d.Issue != 0 {
			ids = append(ids, d.Issue)
		}
	}
	if len(ids) < len(list) {
		if err := s.repairSessions(ctx); err != nil {
			return 0, fmt.Errorf("sessions: %w", err)
		}
		for _, q := range ofAllProjects {
			if _, err := s.db.Slow.ExecContext(ctx, q); err != nil {
				return 0, fmt.Errorf("%.40s: %w", q, err)
			}
		}
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	for _, id := range ids {
		if err := s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
			return s.repairIssue(ctx, tx, id)
		}); err != nil {
			return 0, fmt.Errorf("issue %d: %w", id, err)
		}
	}
	if len(list) > 0 {
		err := s.inProjects(ctx, func(tx *sql.Tx, project int64) error { return releases.Recount(ctx, tx, project) })
		if err != nil {
			return 0, fmt.Errorf("releases: %w", err)
		}
	}
	return len(ids), nil
}

// inProjects runs a repair in each project, with the project's lock held.
func (s *Service) inProjects(ctx context.Context, repair func(tx *sql.Tx, project int64) error) error {
	list, err := db.Numbers(ctx, s.db.Slow, "SELECT id FROM project")
	if err != nil {
		return err
	}
	for _, project := range list {
		err := s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, project); err != nil {
				return err
			}
			return repair(tx, project)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// ofAllProjects repair the users that were active and the positions of each day's events.
var ofAllProjects = []string{
	"INSERT INTO active_user (project, user, last_day) SELECT project, user, d FROM (SELECT project, user, MAX(thrown DIV 86400000000) d FROM event WHERE user IS NOT NULL GROUP BY project, user) x ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, d)",
	"INSERT INTO active_user (project, user, last_day) SELECT project, user, d FROM (SELECT project, user, MAX(started DIV 86400000000) d FROM app_session WHERE user IS NOT NULL GROUP BY project, user) x ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, d)",
	"INSERT INTO event_span (project, keep_day, first_position, last_position) SELECT project, keep_day, MIN(filing), MAX(filing) FROM event GROUP BY project, keep_day" +
		" ON DUPLICATE KEY UPDATE first_position=LEAST(first_position, VALUES(first_position)), last_position=GREATEST(last_position, VALUES(last_position))",
}

// repairSessions counts the sessions of the days again that are kept by all
// projects.
func (s *Service) repairSessions(ctx context.Context) error {
	since := db.Day(s.db.Now()) - projects.KeepClasses[0]
	return s.inProjects(ctx, func(tx *sql.Tx, project int64) error {
		for _, t := range sessions.Tables() {
			if err := t.Repair(ctx, tx, project, since); err != nil {
				return fmt.Errorf("%s: %w", t.Name, err)
			}
		}
		return nil
	})
}

// repairs make the derived rows of one issue right; $ is the place of the condition
// that e is an event of the issue that is not written down as dropped.
var repairs = []string{
	"UPDATE variant v LEFT JOIN (SELECT e.variant, SUM(e.stands_for) n, SUM(e.has_body) b FROM $ GROUP BY e.variant) x ON x.variant=v.id SET v.events=COALESCE(x.n,0)+v.dropped_events, v.bodies=COALESCE(x.b,0) WHERE v.issue=?",
	"INSERT IGNORE INTO issue_user (issue, user, variant, last_day) SELECT v.issue, e.user, e.variant, MAX(e.thrown DIV 86400000000) FROM $ AND e.user IS NOT NULL AND v.issue=? GROUP BY v.issue, e.user, e.variant",
	"INSERT IGNORE INTO issue_user_day (issue, day, user, variant) SELECT DISTINCT v.issue, e.thrown DIV 86400000000, e.user, e.variant FROM $ AND e.user IS NOT NULL AND v.issue=?",
}

// repairCounts are the tables that count events by variant and something else.
var repairCounts = []struct{ table, column, of, more, moreOf string }{
	{"issue_hour", "hour", "e.thrown DIV 3600000000", "", ""},
	{"issue_day", "day", "e.thrown DIV 86400000000", "", ""},
	{"issue_release", "app_release", "e.app_release", ", first_seen, last_seen", ", MIN(e.thrown), MAX(e.thrown)"},
	{"issue_env", "environment", "e.environment", ", first_seen, last_seen", ", MIN(e.thrown), MAX(e.thrown)"},
}

func (s *Service) repairIssue(ctx context.Context, tx *sql.Tx, id int64) error {
	var project int64
	if err := tx.QueryRowContext(ctx, "SELECT project FROM issue WHERE id=?", id).Scan(&project); err != nil {
		return err
	}
	if err := projects.Lock(ctx, tx, project); err != nil {
		return err
	}
	var following int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM move WHERE following=1 AND project=?",
		project).Scan(&following); err != nil {
		return err
	}
	if following > 0 {
		return problem.New(problem.Conflict,
			"counts of this project are on their way between issues; repair when that is done")
	}
	do := func(query string, args ...any) error {
		_, err := tx.ExecContext(ctx, query, args...)
		if err != nil {
			return fmt.Errorf("%.60s: %w", query, err)
		}
		return nil
	}
	live, err := s.moves.LeadsTo(ctx, tx, id)
	if err != nil {
		return err
	}
	if live.ID != id { // nothing may be left of an issue whose number leads on
		for _, table := range []string{"variant", "alias"} {
			if err := do("UPDATE "+table+" SET issue=? WHERE issue=?", live.ID, id); err != nil {
				return err
			}
		}
		id = live.ID
	}
	const events = "event e JOIN variant v ON v.id=e.variant LEFT JOIN archived f ON f.day=e.keep_day AND f.variant=e.variant WHERE f.day IS NULL"
	if err := s.repairStrays(ctx, tx, id); err != nil {
		return err
	}
	for _, q := range repairs {
		if err := do(strings.Replace(q, "$", events, 1), id); err != nil {
			return err
		}
	}
	if err := do("DELETE p FROM parked p JOIN issue i ON i.id=p.issue WHERE i.id=? AND i.state<>'parked'",
		id); err != nil {
		return err
	}
	if err := do("INSERT IGNORE INTO parked (issue, project) SELECT id, project FROM issue WHERE id=? AND state='parked'", id); err != nil {
		return err
	}
	for _, c := range repairCounts {
		if err := do("UPDATE "+c.table+" SET events=dropped WHERE issue=?", id); err != nil {
			return err
		}
		query := "INSERT INTO " + c.table + " (issue, " + c.column + ", variant, events" + c.more +
			") SELECT v.issue, " + c.of + ", e.variant, SUM(e.stands_for)" + c.moreOf + " FROM " + events +
			" AND " + c.of + " IS NOT NULL AND v.issue=? GROUP BY 1,2,3 ON DUPLICATE KEY UPDATE events=" + c.table + ".events+VALUES(events)"
		if err := do(query, id); err != nil {
			return err
		}
	}
	if err := do("DELETE FROM issue_hour WHERE issue=? AND hour<?", id,
		(db.Day(s.db.Now())-scoring.HourDays)*24); err != nil {
		return err
	}
	for _, q := range []string{
		"DELETE FROM issue_trend WHERE issue=?",
		"INSERT INTO issue_trend (issue, day, events, users) SELECT issue, day, SUM(events), 0 FROM issue_day WHERE issue=? AND events>0 GROUP BY issue, day",
		"INSERT INTO issue_trend (issue, day, events, users) SELECT issue, day, 0, COUNT(DISTINCT user) FROM issue_user_day WHERE issue=? GROUP BY issue, day ON DUPLICATE KEY UPDATE users=VALUES(users)",
	} {
		if err := do(q, id); err != nil {
			return err
		}
	}
	return s.repairList(ctx, tx, id)
}

func (s *Service) repairList(ctx context.Context, tx *sql.Tx, id int64) error {
	start := issues.WindowStart(s.db.Now())
	const list = "UPDATE issue_list l SET l.events=(SELECT COALESCE(SUM(events),0) FROM variant WHERE issue=?), l.bodies=(SELECT COALESCE(SUM(bodies),0) FROM variant WHERE issue=?)," +
		" l.users=(SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=?), l.window_day=?, l.window_events=(SELECT COALESCE(SUM(events),0) FROM issue_trend WHERE issue=? AND day>=?)," +
		" l.window_users=(SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=? AND last_day>=?) WHERE l.issue=?"
	if _, err := tx.ExecContext(ctx, list, id, id, id, db.Day(s.db.Now()), id, start, id, start, id); err != nil {
		return err
	}
	return s.status.Repair(ctx, tx, id)
}

// repairStrays brings derived rows home that stand under another issue than
// their variant.
func (s *Service) repairStrays(ctx context.Context, tx *sql.Tx, id int64) error {
	for _, d := range moves.Followers {
		const from = " t JOIN variant v ON v.id=t.variant WHERE v.issue=? AND t.issue<>v.issue"
		names := d.Columns()
		insert := "INSERT INTO " + d.Table + " (issue, " + strings.Join(names, ", ") + ") SELECT v.issue, t." +
			strings.Join(names, ", t.") + " FROM " + d.Table + from + " ON DUPLICATE KEY UPDATE " + d.Joins()
		if _, err := tx.ExecContext(ctx, insert, id); err != nil {
			return fmt.Errorf("%s: %w", d.Table, err)
		}
		if _, err := tx.ExecContext(ctx, "DELETE t FROM "+d.Table+from, id); err != nil {
			return err
		}
	}
	return nil
}
