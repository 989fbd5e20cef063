package retention

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/db"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/scoring"
)

// Difference is a counter that differs from the rows it counts.
type Difference struct {
	What   string // which counter
	Issue  int64  // internal id
	Stored int64
	Rows   int64 // what the rows say

	index *projects.Project // whose search index it is about; nil: it is a counter
}

// counting sums the events once, for all the checks that compare counts: those
// that are not yet written down as dropped. Events of a partition that is
// being dropped are, variant by variant.
var counting = []string{
	`CREATE TEMPORARY TABLE recount_sum (variant INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, app_release INT UNSIGNED NULL, environment INT UNSIGNED NOT NULL, n BIGINT NOT NULL, b BIGINT NOT NULL, KEY (variant))`,
	`INSERT INTO recount_sum SELECT e.variant, e.thrown DIV 3600000000 h, e.app_release, e.environment, SUM(e.stands_for), SUM(e.has_body)
		FROM event e LEFT JOIN archived f ON f.day=e.keep_day AND f.variant=e.variant WHERE f.day IS NULL GROUP BY 1,2,3,4`,
}

// countCheck compares a table of counts by variant with the events, in both
// directions: rows that count wrong, and events that no row counts.
func countCheck(table, column, of, cond string) string {
	x := fmt.Sprintf("(SELECT variant, %s k, SUM(n) n FROM recount_sum GROUP BY 1,2)", of)
	return fmt.Sprintf(`SELECT h.issue, h.events, COALESCE(x.n,0)+h.dropped FROM %[1]s h LEFT JOIN %[2]s x ON x.variant=h.variant AND x.k=h.%[3]s WHERE h.events<>COALESCE(x.n,0)+h.dropped AND %[4]s
		UNION ALL SELECT v.issue, 0,
			x.n FROM %[2]s x JOIN variant v ON v.id=x.variant LEFT JOIN %[1]s h ON h.issue=v.issue AND h.%[3]s=x.k AND h.variant=x.variant WHERE x.k IS NOT NULL AND h.issue IS NULL AND %[5]s`,
		table, x, column, strings.ReplaceAll(cond, "$", "h."+column), strings.ReplaceAll(cond, "$", "x.k"))
}

// strayCheck finds derived rows that stand under another issue than their
// variant, and are not on their way.
func strayCheck() string {
	var parts []string
	for _, d := range moves.Followers {
		parts = append(parts,
			"SELECT v.issue, COUNT(*), 0 FROM "+d.Table+" t JOIN variant v ON v.id=t.variant WHERE t.issue<>v.issue GROUP BY v.issue")
	}
	return strings.Join(parts, " UNION ALL ")
}

// sessionChecks compare the counts of sessions with the sessions of the days that all
// projects keep.
func sessionChecks(now time.Time) (out []struct{ what, query string }) {
	for _, t := range sessions.Tables() {
		out = append(out, struct{ what, query string }{countedSessions + t.Name, t.Differences(db.Day(now) -
			projects.KeepClasses[0])})
	}
	return out
}

// countedSessions begins the names of the checks of sessions.
const countedSessions = "counts of sessions in "

// foreignChecks find numbers that lead to no row: of names, variants and issues.
func foreignChecks() (out []struct{ what, query string }) {
	for _, f := range []struct{ table, column, target string }{
		{"event", "app_release", "app_release"}, {"event", "environment", "environment"}, {"event", "resource",
			"resource"}, {"event", "variant", "variant"},
		{"app_session", "app_release", "app_release"}, {"app_session", "environment", "environment"}, {"issue_release",
			"app_release", "app_release"}, {"issue_env", "environment", "environment"},
		{"session_day", "app_release", "app_release"}, {"session_day", "environment", "environment"},
		{"session_hour", "app_release", "app_release"}, {"session_took", "app_release", "app_release"},
		{"session_user", "app_release", "app_release"}, {"session_trait", "value", "session_value"},
		{"session_minute", "app_release", "app_release"}, {"session_minute", "environment", "environment"}, {"deploy",
			"app_release", "app_release"}, {"deploy", "environment", "environment"},
		{"trace_file", "app_release", "app_release"}, {"variant_file", "file", "trace_file"}, {"variant_file",
			"variant", "variant"}, {"variant", "app_release", "app_release"}, {"variant", "issue", "issue"},
	} {
		out = append(out, struct{ what, query string }{f.table + "." + f.column + " that leads nowhere",
			fmt.Sprintf("SELECT 0, COUNT(*), 0 FROM (SELECT DISTINCT %[2]s id FROM %[1]s WHERE %[2]s<>0) t LEFT JOIN %[3]s x ON x.id=t.id WHERE x.id IS NULL HAVING COUNT(*)>0", f.table, f.column, f.target)})
	}
	return out
}

// recounts compare each derived table with the rows it counts. Each query
// returns issue, stored, counted for what differs.
func recounts(now time.Time) []struct{ what, query string } {
	return append(append(countChecks(now), sessionChecks(now)...), foreignChecks()...)
}

func countChecks(now time.Time) []struct{ what, query string } {
	youngHours := fmt.Sprintf("$>=%d", (db.Day(now)-scoring.HourDays+1)*24)
	window := fmt.Sprint(impact.Window)
	return []struct{ what, query string }{
		{"events of the issue", `SELECT l.issue, l.events, COALESCE(x.n,0)+COALESCE(d.n,0) FROM issue_list l
			LEFT JOIN (SELECT v.issue,
				SUM(e.n) n FROM recount_sum e JOIN variant v ON v.id=e.variant GROUP BY v.issue) x ON x.issue=l.issue
			LEFT JOIN (SELECT issue,
				SUM(dropped_events) n FROM variant GROUP BY issue) d ON d.issue=l.issue WHERE l.events<>COALESCE(x.n,0)+COALESCE(d.n,0)`},
		{"events of a variant", `SELECT v.issue, v.events, COALESCE(x.n,0)+v.dropped_events FROM variant v
			LEFT JOIN (SELECT variant,
				SUM(n) n FROM recount_sum GROUP BY variant) x ON x.variant=v.id WHERE v.events<>COALESCE(x.n,0)+v.dropped_events`},
		{"bodies of a variant", `SELECT v.issue, v.bodies, COALESCE(x.n,0) FROM variant v
			LEFT JOIN (SELECT variant,
				SUM(b) n FROM recount_sum GROUP BY variant) x ON x.variant=v.id WHERE v.bodies<>COALESCE(x.n,0)`},
		{"bodies of the issue", `SELECT l.issue, l.bodies, COALESCE(x.n,0) FROM issue_list l
			LEFT JOIN (SELECT issue,
				SUM(bodies) n FROM variant GROUP BY issue) x ON x.issue=l.issue WHERE l.bodies<>COALESCE(x.n,0)`},
		{"bodies that are there",
			`SELECT v.issue, COUNT(*), COUNT(b.filing) FROM event e LEFT JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day
			JOIN variant v ON v.id=e.variant LEFT JOIN archived f ON f.day=e.keep_day AND f.variant=e.variant WHERE e.has_body=1 AND f.day IS NULL GROUP BY v.issue HAVING COUNT(*)<>COUNT(b.filing)`},
		{"users of the issue", `SELECT l.issue, l.users, COALESCE(x.n,0) FROM issue_list l
			LEFT JOIN (SELECT issue,
				COUNT(DISTINCT user) n FROM issue_user GROUP BY issue) x ON x.issue=l.issue WHERE l.users<>COALESCE(x.n,0)`},
		{"user pairs",
			`SELECT v.issue, COUNT(u.user), COUNT(*) FROM (SELECT DISTINCT variant, user FROM event WHERE user IS NOT NULL) e
			JOIN variant v ON v.id=e.variant LEFT JOIN issue_user u ON u.issue=v.issue AND u.user=e.user AND u.variant=e.variant GROUP BY v.issue HAVING COUNT(u.user)<>COUNT(*)`},
		{"users by day",
			`SELECT v.issue, COUNT(u.user), COUNT(*) FROM (SELECT DISTINCT variant, thrown DIV 86400000000 day, user FROM event WHERE user IS NOT NULL) e
			JOIN variant v ON v.id=e.variant LEFT JOIN issue_user_day u ON u.issue=v.issue AND u.day=e.day AND u.user=e.user AND u.variant=e.variant GROUP BY v.issue HAVING COUNT(u.user)<>COUNT(*)`},
		{"events by hour", countCheck("issue_hour", "hour", "hour", youngHours)},
		{"events by day", countCheck("issue_day", "day", "hour DIV 24", "1=1")},
		{"events by release", countCheck("issue_release", "app_release", "app_release", "1=1")},
		{"events by environment", countCheck("issue_env", "environment", "environment", "1=1")},
		{"trend events", `SELECT t.issue, t.events, COALESCE(x.n,0) FROM issue_trend t
			LEFT JOIN (SELECT issue, day, SUM(events) n FROM issue_day GROUP BY issue,
				day) x ON x.issue=t.issue AND x.day=t.day WHERE t.events<>COALESCE(x.n,0)
			UNION ALL SELECT x.issue, 0, x.n FROM (SELECT issue, day, SUM(events) n FROM issue_day GROUP BY issue,
				day) x LEFT JOIN issue_trend t ON t.issue=x.issue AND t.day=x.day WHERE t.issue IS NULL`},
		{"trend users", `SELECT t.issue, t.users, COALESCE(x.n,0) FROM issue_trend t
			LEFT JOIN (SELECT issue, day, COUNT(DISTINCT user) n FROM issue_user_day GROUP BY issue,
				day) x ON x.issue=t.issue AND x.day=t.day WHERE t.users<>COALESCE(x.n,0)`},
		{"events in the window", `SELECT l.issue, l.window_events, COALESCE(SUM(t.events),0) FROM issue_list l
			LEFT JOIN issue_trend t ON t.issue=l.issue AND t.day>l.window_day-` + window + ` GROUP BY l.issue,
				l.window_events HAVING l.window_events<>COALESCE(SUM(t.events),0)`},
		{"users in the window", `SELECT l.issue, l.window_users, COUNT(DISTINCT u.user) FROM issue_list l
			LEFT JOIN issue_user u ON u.issue=l.issue AND u.last_day>l.window_day-` + window + ` GROUP BY l.issue,
				l.window_users HAVING l.window_users<>COUNT(DISTINCT u.user)`},
		{"events of an issue that is not listed",
			`SELECT v.issue, 0, SUM(v.events) n FROM variant v LEFT JOIN issue_list l ON l.issue=v.issue WHERE l.issue IS NULL GROUP BY v.issue HAVING n>0`},
		{"parked issues that wait to be woken",
			`SELECT i.id, IF(p.issue IS NULL,0,1), IF(i.state='parked',1,0) FROM issue i LEFT JOIN parked p ON p.issue=i.id WHERE (i.state='parked' AND i.deleted IS NULL)<>(p.issue IS NOT NULL)`},
		{"rows under another issue than their variant", strayCheck()},
		{"users that were active",
			`SELECT 0, COUNT(a.user), COUNT(*) FROM (SELECT project, user, MAX(d) d FROM (SELECT project, user, thrown DIV 86400000000 d FROM event WHERE user IS NOT NULL UNION SELECT project, user, started DIV 86400000000 FROM app_session WHERE user IS NOT NULL) e GROUP BY 1,2) x
			LEFT JOIN active_user a ON a.project=x.project AND a.user=x.user AND a.last_day>=x.d GROUP BY x.project HAVING COUNT(a.user)<>COUNT(*)`},
		{"events of a release in all issues", `SELECT 0, MAX(n), SUM(m) FROM (SELECT app_release, events n, 0 m FROM release_total
			UNION ALL SELECT app_release, 0, SUM(events) FROM issue_release GROUP BY 1) x GROUP BY app_release HAVING SUM(n)<>SUM(m)`},
		{"events outside of their day's positions", `SELECT 0, 0, COUNT(*) FROM event e
			LEFT JOIN event_span s ON s.project=e.project AND s.keep_day=e.keep_day AND e.filing BETWEEN s.first_position AND s.last_position
			WHERE s.project IS NULL HAVING COUNT(*)>0`},
		{"calls for a decision",
			`SELECT l.issue, l.needs_decision, 1 FROM issue_list l JOIN issue i ON i.id=l.issue WHERE i.state IN ('new','regressed') AND l.needs_decision=0`},
		{"state copied to the list",
			`SELECT l.issue, 0, 1 FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.state<>i.state`},
		{"who has it copied to the list",
			`SELECT l.issue, COALESCE(l.owner,0), COALESCE(i.owner,0) FROM issue_list l JOIN issue i ON i.id=l.issue WHERE NOT l.owner<=>i.owner`},
	}
}

// Recounts is how many kinds of counter Recount compares.
func Recounts() int { return len(recounts(time.Time{})) + indexChecks }

// indexChecks is how many kinds of difference recountIndex distinguishes.
const indexChecks = 4

// Recount compares every counter with the rows it counts, in one
// consistent view of the database, and lists what differs. following is how
// many moves were under way then: rows on their way differ.
func (s *Service) Recount(ctx context.Context) (list []Difference, following int, err error) {
	conn, err := s.db.Slow.Conn(ctx)
	if err != nil {
		return nil, 0, err
	}
	defer conn.Close()
	// The connection goes back to the pool: its temporary table must not.
	defer conn.ExecContext(context.WithoutCancel(ctx), "DROP TEMPORARY TABLE IF EXISTS recount_sum")
	tx, err := conn.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead})
	if err != nil {
		return nil, 0, err
	}
	defer tx.Rollback() // it changes nothing but its own table
	for _, q := range counting {
		if _, err := tx.ExecContext(ctx, q); err != nil {
			return nil, 0, fmt.Errorf("recount: %w", err)
		}
	}
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM move WHERE following=1").Scan(&following); err != nil {
		return nil, 0, err
	}
	going := map[int64]bool{} // issues that were deleted: what is left of them counts nowhere
	err = db.Each(ctx, tx, func(rows *sql.Rows) error {
		var id int64
		err := rows.Scan(&id)
		going[id] = true
		return err
	}, "SELECT id FROM issue WHERE emptied=0 AND deleted IS NOT NULL")
	if err != nil {
		return nil, 0, err
	}
	for _, r := range recounts(s.db.Now()) {
		err := db.Each(ctx, tx, func(rows *sql.Rows) error {
			d := Difference{What: r.what}
			err := rows.Scan(&d.Issue, &d.Stored, &d.Rows)
			if !going[d.Issue] {
				list = append(list, d)
			}
			return err
		}, r.query)
		if err != nil {
			return nil, 0, fmt.Errorf("recount of %s: %w", r.what, err)
		}
	}
	more, err := s.recountIndex(ctx, tx)
	return append(list, more...), following, err
}

// recountIndex compares the search index with the events.
func (s *Service) recountIndex(ctx context.Context, tx *sql.Tx) (list []Difference, err error) {
	ids, err := db.Numbers(ctx, tx, "SELECT id FROM project ORDER BY id")
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		p, err := s.projects.ProjectByID(ctx, id)
		if err != nil {
			return nil, err
		}
		m, err := s.index.Compare(ctx, tx, p)
		if err != nil {
			return nil, fmt.Errorf("recount of the search index of %s: %w", p.Name, err)
		}
		for _, d := range []struct {
			what string
			n    int64
		}{{"events missing from the search index", m.Missing}, {"rows of the search index without an event", m.Strange},
			{"events that the search index has otherwise", m.Core},
			{"attributes that the search index has otherwise", m.Values}} {
			if d.n > 0 {
				list = append(list, Difference{What: d.what + " of " + p.Name, Stored: d.n, index: p})
			}
		}
	}
	return list, nil
}
