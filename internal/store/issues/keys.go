package issues

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// KeyQuery asks for issues in an order.
type KeyQuery struct {
	Project int64
	Where   string // over issue_list l and issue i; "1=1" for all
	Args    []any
	Only    map[int64]bool // nil: all
	Order   Order
	Limit   int
	After   *IssueCursor
}

// fewIssues is how many issues are asked for by their ids; of more, the list is walked
// in its order until the page is full.
const fewIssues = 5000

// Keys gives the ids of a page of issues, in order. next is nil on the last page.
func (s *Store) Keys(ctx context.Context, q db.Querier, k KeyQuery) (ids []int64, next *IssueCursor, err error) {
	o, ok := Orders[k.Order]
	if !ok {
		return nil, nil, problem.New(
			problem.BadInput,
			"issues cannot be ordered by %q: impact, users, events, newest and last_seen are known",
			k.Order,
		)
	}
	var found []IssueCursor
	switch {
	case k.Only != nil && len(k.Only) == 0:
		return nil, nil, nil
	case k.Only != nil && len(k.Only) <= fewIssues:
		found, err = k.byID(ctx, q, o.column)
	default:
		found, err = k.walk(ctx, q, o.column, o.index)
	}
	if err != nil {
		return nil, nil, err
	}
	if len(found) > k.Limit {
		found = found[:k.Limit]
		next = &found[k.Limit-1]
	}
	for _, c := range found {
		ids = append(ids, c.Issue)
	}
	return ids, next, nil
}

// byID reads few issues and sorts them.
func (k KeyQuery) byID(ctx context.Context, q db.Querier, column string) ([]IssueCursor, error) {
	cond, args := k.after(column, k.After)
	args = append(append([]any{k.Project}, k.Args...), args...)
	ids := slices.Sorted(maps.Keys(k.Only))
	return k.read(
		ctx,
		q,
		"SELECT l.issue, l."+column+" AS value FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.project=? AND ("+k.Where+")"+cond+
			" AND l.issue IN ("+db.Marks(
			len(ids),
		)+") ORDER BY l."+column+" DESC, l.issue DESC LIMIT ?",
		append(append(args, db.AnyOf(ids)...), k.Limit+1),
	)
}

// walk reads the list in its order, state by state merged by the database, until
// enough issues fit.
func (k KeyQuery) walk(ctx context.Context, q db.Querier, column, index string) ([]IssueCursor, error) {
	var out []IssueCursor
	after, size := k.After, k.Limit+1
	if k.Only != nil {
		size = max(size, 1000)
	}
	for len(out) <= k.Limit {
		found, err := k.ordered(ctx, q, column, index, after, size)
		if err != nil {
			return nil, err
		}
		for _, c := range found {
			if k.Only == nil || k.Only[c.Issue] {
				out = append(out, c)
			}
		}
		if len(found) < size {
			break
		}
		after, size = &found[len(found)-1], min(2*size, 20_000)
	}
	return out[:min(len(out), k.Limit+1)], nil
}

// allStates are the states by which the indexes of the list begin.
var allStates = []string{"new", "accepted", "regressed", "parked", "fixed", "dismissed"}

// ordered reads the next issues: of each state in the order of its index, merged.
func (k KeyQuery) ordered(
	ctx context.Context,
	q db.Querier,
	column, index string,
	after *IssueCursor,
	size int,
) ([]IssueCursor, error) {
	cond, tail := k.after(column, after)
	query, args := "", []any{}
	for i, state := range allStates {
		if i > 0 {
			query += " UNION ALL "
		}
		query += "(SELECT l.issue, l." + column + " AS value FROM issue_list l FORCE INDEX (" + index + ") JOIN issue i ON i.id=l.issue WHERE l.project=? AND l.state=? AND (" +
			k.Where + ")" + cond + " ORDER BY l." + column + " DESC, l.issue DESC LIMIT ?)"
		args = append(append(append(append(args, k.Project, state), k.Args...), tail...), size)
	}
	return k.read(
		ctx,
		q,
		"SELECT issue, value FROM ("+query+") u ORDER BY value DESC, issue DESC LIMIT ?",
		append(args, size),
	)
}

func (k KeyQuery) after(column string, c *IssueCursor) (string, []any) {
	if c == nil {
		return "", nil
	}
	return " AND (l." + column + "<? OR l." + column + "=? AND l.issue<?)", []any{c.Value, c.Value, c.Issue}
}

func (k KeyQuery) read(ctx context.Context, q db.Querier, query string, args []any) ([]IssueCursor, error) {
	return db.List(ctx, q, func(r *sql.Rows) (c IssueCursor, err error) {
		err = r.Scan(&c.Issue, &c.Value)
		return c, err
	}, query, args...)
}

// InOrder reads issues with their trends, in the order of their ids.
func (s *Store) InOrder(ctx context.Context, ids []int64) ([]*Issue, error) {
	found, err := s.IssuesByID(ctx, db.AnyOf(ids))
	if err != nil {
		return nil, err
	}
	var list []*Issue
	for _, id := range ids {
		if is := found[id]; is != nil {
			list = append(list, is)
		}
	}
	return list, s.AddTrends(ctx, list)
}
