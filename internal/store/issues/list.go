package issues

import (
	"context"
	"database/sql"
	"fmt"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// Order is a column issues can be listed by, largest first.
type Order string

// IssueQuery asks for a page of a project's issues.
type IssueQuery struct {
	Project int64
	States  []issue.State
	Order   Order
	Limit   int
	After   *IssueCursor
}

// IssueCursor is where a page ended.
type IssueCursor struct{ Value, Issue int64 }

// Issues lists issues. Each state is read by its own index in order, then
// merged, so that the cost does not grow with the number of issues. next is
// nil on the last page.
func (s *Store) Issues(ctx context.Context, q IssueQuery) (list []*Issue, next *IssueCursor, err error) {
	o, ok := Orders[q.Order]
	if !ok {
		return nil, nil, problem.New(problem.BadInput, "issues cannot be ordered by %q: impact, users, events, newest and last_seen are known", q.Order)
	}
	var parts []string
	var args []any
	for _, st := range q.States {
		cond := "project=? AND state=?"
		args = append(args, q.Project, string(st))
		if q.After != nil {
			cond += fmt.Sprintf(" AND (%s<? OR %s=? AND issue<?)", o.column, o.column)
			args = append(args, q.After.Value, q.After.Value, q.After.Issue)
		}
		parts = append(parts, fmt.Sprintf("(SELECT issue, %s value FROM issue_list FORCE INDEX (%s) WHERE %s ORDER BY %s DESC, issue DESC LIMIT ?)", o.column, o.index, cond, o.column))
		args = append(args, q.Limit+1)
	}
	if len(parts) == 0 {
		return nil, nil, nil
	}
	// Keys first, from the index alone; the rows of the page after that.
	keys := "(SELECT issue, value FROM (" + strings.Join(parts, " UNION ALL ") + ") u ORDER BY value DESC, issue DESC LIMIT ?) k JOIN issue_list l ON l.issue=k.issue"
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		is, err := scanIssue(r)
		list = append(list, is)
		return err
	}, fmt.Sprintf(issueSelect, keys)+" ORDER BY k.value DESC, k.issue DESC", append(args, q.Limit+1)...)
	if err != nil {
		return nil, nil, err
	}
	if len(list) > q.Limit {
		list = list[:q.Limit]
		last := list[q.Limit-1]
		next = &IssueCursor{OrderValue(last, q.Order), last.ID}
	}
	return list, next, s.AddTrends(ctx, list)
}

// OrderValue is what a list in an order is sorted by.
func OrderValue(is *Issue, o Order) int64 {
	switch o {
	case ByUsers:
		return is.Users
	case ByEvents:
		return is.Events
	case ByNewest:
		return db.Micros(is.FirstSeen)
	case ByLast:
		return db.Micros(is.LastSeen)
	}
	return is.Impact
}

// SearchText is what free text finds an issue by.
func SearchText(parts ...string) string {
	return event.TrimText(strings.ToLower(strings.Join(parts, "\n")), 4000)
}

// CountStates counts a project's issues by state; where that takes its time, some
// seconds ago.
func (s *Store) CountStates(ctx context.Context, project int64) (map[issue.State]int64, error) {
	return s.states.Get(project, func() (map[issue.State]int64, error) { return s.countStates(ctx, project) })
}

func (s *Store) countStates(ctx context.Context, project int64) (map[issue.State]int64, error) {
	out := map[issue.State]int64{}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var st issue.State
		var n int64
		if err := r.Scan(&st, &n); err != nil {
			return err
		}
		out[st] = n
		return nil
	}, "SELECT state, COUNT(*) FROM issue_list FORCE INDEX (by_impact) WHERE project=? GROUP BY state", project)
	return out, err
}

// The orders of a list.
const (
	ByImpact Order = "impact"
	ByUsers  Order = "users"
	ByEvents Order = "events"
	ByNewest Order = "newest"
	ByLast   Order = "last_seen"
)

// Orders maps each order to its column and index.
var Orders = map[Order]struct{ column, index string }{
	ByImpact: {"impact", "by_impact"}, ByUsers: {"users", "by_users"}, ByEvents: {"events", "by_events"},
	ByNewest: {"first_seen", "by_first"}, ByLast: {"last_seen", "by_last"},
}
