package issues

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/db"
)

// WindowStart is the first day of the window that impact looks at.
func WindowStart(now time.Time) int { return db.Day(now) - impact.Window + 1 }

// WindowOf counts an issue's events and users since a day.
func WindowOf(ctx context.Context, q db.Querier, issue int64, start int, events, users *int64) error {
	return q.QueryRowContext(ctx, "SELECT (SELECT COALESCE(SUM(events),0) FROM issue_trend WHERE issue=? AND day>=?), (SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=? AND last_day>=?)",
		issue, start, issue, start).Scan(events, users)
}

// Window is what an issue's window holds.
type Window struct{ Events, Users int64 }

// MoveWindows gives the windows of issues from a day on, where their rows hold those of
// earlier days.
func MoveWindows(ctx context.Context, q db.Querier, ids []int64, start int) (map[int64]Window, error) {
	out := map[int64]Window{}
	users, err := MoveUsers(ctx, q, ids, start)
	if err != nil || len(users) == 0 {
		return out, err
	}
	for id, n := range users {
		out[id] = Window{Users: n}
	}
	query, args := ofIssues(eventsSince, db.AnyOf(ids), start)
	return out, perIssue(ctx, q, func(id, n int64) { out[id] = Window{n, users[id]} }, query, args...)
}

// MoveUsers gives how many users issues have from a day on. Only users of the days that leave
// are read: an issue may have had a million users before. An issue whose rows are being moved
// is counted in full.
func MoveUsers(ctx context.Context, q db.Querier, ids []int64, start int) (map[int64]int64, error) {
	out := map[int64]int64{}
	if len(ids) == 0 {
		return out, nil
	}
	byDay := map[int64][]any{} // the day that a row's window ends at → its issues
	var inFull []any
	in := db.AnyOf(ids)
	err := db.Each(ctx, q, func(r *sql.Rows) error {
		var id, day, users int64
		var recounting bool
		err := r.Scan(&id, &day, &users, &recounting)
		if recounting || day == 0 || day-impact.Window+1 > int64(start) {
			inFull, users = append(inFull, id), 0
		} else {
			byDay[day] = append(byDay[day], id)
		}
		out[id] = users
		return err
	}, "SELECT issue, window_day, window_users, recounting FROM issue_list WHERE issue IN ("+db.Marks(len(in))+")", in...)
	if err != nil {
		return nil, err
	}
	for day, list := range byDay {
		query, args := ofIssues(leaving, list, day-impact.Window+1, start, start)
		if err := perIssue(ctx, q, func(id, n int64) { out[id] -= n }, query, args...); err != nil {
			return nil, err
		}
	}
	if len(inFull) == 0 {
		return out, nil
	}
	query, args := ofIssues(usersSince, inFull, start)
	return out, perIssue(ctx, q, func(id, n int64) { out[id] = n }, query, args...)
}

const (
	// exists_to_in would read all pairs of the issues.
	leaving = "SET STATEMENT optimizer_switch='exists_to_in=off' FOR SELECT d.issue, COUNT(DISTINCT d.user) FROM issue_user_day d WHERE d.issue IN ($) AND d.day>=? AND d.day<?" +
		" AND NOT EXISTS (SELECT 1 FROM issue_user u WHERE u.issue=d.issue AND u.user=d.user AND u.last_day>=?) GROUP BY d.issue"
	usersSince  = "SELECT issue, COUNT(DISTINCT user) FROM issue_user WHERE issue IN ($) AND last_day>=? GROUP BY issue"
	eventsSince = "SELECT issue, CAST(SUM(events) AS SIGNED) FROM issue_trend WHERE issue IN ($) AND day>=? GROUP BY issue"
)

// ofIssues puts issues in the place of $, and their ids before the other arguments.
func ofIssues(query string, issues []any, args ...any) (string, []any) {
	return strings.Replace(query, "$", db.Marks(len(issues)), 1), append(slices.Clone(issues), args...)
}

// perIssue reads a number of each issue.
func perIssue(ctx context.Context, q db.Querier, use func(id, n int64), query string, args ...any) error {
	return db.Each(ctx, q, func(r *sql.Rows) error {
		var id, n int64
		err := r.Scan(&id, &n)
		use(id, n)
		return err
	}, query, args...)
}

// slotLength is the grain of an issue's pulse.
const slotLength = 10 * time.Minute

// PulseKept is how long slots are kept: a surge is recognised by the last hour.
const PulseKept = 3 * time.Hour

// SlotOf is the slot of the pulse that a time is in.
func SlotOf(at time.Time) int64 { return at.Unix() / int64(slotLength/time.Second) }
