package mariadb

import (
	"context"
	"database/sql"
	"fmt"
)

// Difference is a counter that does not equal the rows it stands for.
type Difference struct {
	What   string // which counter
	Issue  int64  // internal id
	Stored int64
	Rows   int64 // what the rows say
}

// recounts compare each derived table with the event rows, weighted by
// stands_for. Each query returns issue, stored, counted for what differs.
var recounts = []struct{ what, query string }{
	{"events of the issue", `SELECT l.issue, l.events, COALESCE(x.n,0)+COALESCE(d.n,0) FROM issue_list l
		LEFT JOIN (SELECT v.issue, SUM(e.stands_for) n FROM event e JOIN variant v ON v.id=e.variant GROUP BY v.issue) x ON x.issue=l.issue
		LEFT JOIN (SELECT issue, SUM(dropped_events) n FROM variant GROUP BY issue) d ON d.issue=l.issue
		WHERE l.events<>COALESCE(x.n,0)+COALESCE(d.n,0)`},
	{"events of a variant", `SELECT v.issue, v.events, COALESCE(x.n,0)+v.dropped_events FROM variant v
		LEFT JOIN (SELECT variant, SUM(stands_for) n FROM event GROUP BY variant) x ON x.variant=v.id WHERE v.events<>COALESCE(x.n,0)+v.dropped_events`},
	{"users of the issue", `SELECT l.issue, l.users, COALESCE(x.n,0) FROM issue_list l
		LEFT JOIN (SELECT issue, COUNT(DISTINCT user) n FROM issue_user GROUP BY issue) x ON x.issue=l.issue WHERE l.users<>COALESCE(x.n,0)`},
	{"user pairs", `SELECT v.issue, COUNT(u.user), COUNT(*) FROM (SELECT DISTINCT variant, user FROM event WHERE user IS NOT NULL) e
		JOIN variant v ON v.id=e.variant LEFT JOIN issue_user u ON u.issue=v.issue AND u.user=e.user AND u.variant=e.variant GROUP BY v.issue HAVING COUNT(u.user)<>COUNT(*)`},
	{"events by hour", `SELECT COALESCE(h.issue,x.issue), COALESCE(h.events,0), COALESCE(x.n,0) FROM
		(SELECT v.issue, e.variant, e.thrown DIV 3600000000 hour, SUM(e.stands_for) n FROM event e JOIN variant v ON v.id=e.variant GROUP BY 1,2,3) x
		LEFT JOIN issue_hour h ON h.issue=x.issue AND h.variant=x.variant AND h.hour=x.hour WHERE COALESCE(h.events,0)<>x.n`},
	{"events by day", `SELECT x.issue, COALESCE(h.events,0), x.n FROM
		(SELECT v.issue, e.variant, e.thrown DIV 86400000000 day, SUM(e.stands_for) n FROM event e JOIN variant v ON v.id=e.variant GROUP BY 1,2,3) x
		LEFT JOIN issue_day h ON h.issue=x.issue AND h.variant=x.variant AND h.day=x.day WHERE COALESCE(h.events,0)<>x.n`},
	{"trend events", `SELECT t.issue, t.events, COALESCE(x.n,0) FROM issue_trend t
		LEFT JOIN (SELECT issue, day, SUM(events) n FROM issue_day GROUP BY issue, day) x ON x.issue=t.issue AND x.day=t.day WHERE t.events<>COALESCE(x.n,0)`},
	{"trend users", `SELECT t.issue, t.users, COALESCE(x.n,0) FROM issue_trend t
		LEFT JOIN (SELECT issue, day, COUNT(DISTINCT user) n FROM issue_user_day GROUP BY issue, day) x ON x.issue=t.issue AND x.day=t.day WHERE t.users<>COALESCE(x.n,0)`},
	{"events by release", `SELECT x.issue, COALESCE(h.events,0), x.n FROM
		(SELECT v.issue, e.variant, e.app_release, SUM(e.stands_for) n FROM event e JOIN variant v ON v.id=e.variant WHERE e.app_release IS NOT NULL GROUP BY 1,2,3) x
		LEFT JOIN issue_release h ON h.issue=x.issue AND h.variant=x.variant AND h.app_release=x.app_release WHERE COALESCE(h.events,0)<>x.n`},
	{"events by environment", `SELECT x.issue, COALESCE(h.events,0), x.n FROM
		(SELECT v.issue, e.variant, e.environment, SUM(e.stands_for) n FROM event e JOIN variant v ON v.id=e.variant GROUP BY 1,2,3) x
		LEFT JOIN issue_env h ON h.issue=x.issue AND h.variant=x.variant AND h.environment=x.environment WHERE COALESCE(h.events,0)<>x.n`},
	{"events in the window", `SELECT l.issue, l.window_events, COALESCE(SUM(t.events),0) FROM issue_list l
		LEFT JOIN issue_trend t ON t.issue=l.issue AND t.day>l.window_day-14 GROUP BY l.issue, l.window_events HAVING l.window_events<>COALESCE(SUM(t.events),0)`},
	{"users in the window", `SELECT l.issue, l.window_users, COUNT(DISTINCT u.user) FROM issue_list l
		LEFT JOIN issue_user u ON u.issue=l.issue AND u.last_day>l.window_day-14 GROUP BY l.issue, l.window_users HAVING l.window_users<>COUNT(DISTINCT u.user)`},
	{"state copied to the list", `SELECT l.issue, 0, 1 FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.state<>i.state`},
}

// Recounts is how many kinds of counter Recount compares.
func Recounts() int { return len(recounts) }

// Recount compares every counter with the rows it stands for, in one
// consistent view of the database, and lists what differs.
func (s *Store) Recount(ctx context.Context) ([]Difference, error) {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return nil, err
	}
	defer tx.Rollback() // it only reads
	var out []Difference
	for _, r := range recounts {
		err := each(ctx, tx, func(rows *sql.Rows) error {
			d := Difference{What: r.what}
			err := rows.Scan(&d.Issue, &d.Stored, &d.Rows)
			out = append(out, d)
			return err
		}, r.query)
		if err != nil {
			return nil, fmt.Errorf("recount of %s: %w", r.what, err)
		}
	}
	return out, nil
}
