package find

import (
	"context"
	"math"
	"slices"
	"time"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
)

// IssueAsk asks for a page of issues.
type IssueAsk struct {
	Ask
	States []issue.State // where the search names none
	Order  issues.Order
	Limit  int
	After  *issues.IssueCursor
}

// Matching is what of an issue's events fit a search.
type Matching struct {
	Events, Users int64
	First, Last   time.Time
}

// IssuePage is a page of issues. Matching is there where events were searched.
type IssuePage struct {
	Completeness
	Issues   []*issues.Issue
	Next     *issues.IssueCursor
	Matching map[int64]Matching // by internal id; nil: no event was looked at
}

// FindIssues lists the issues that match a search. An issue matches if one of its events
// does.
func (s *Service) FindIssues(ctx context.Context, q IssueAsk) (*IssuePage, error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return nil, err
	}
	defer a.done()
	keys, err := a.issueKeys(ctx, q)
	if err != nil {
		return nil, err
	}
	page := &IssuePage{Next: keys.next}
	if page.Issues, err = s.issues.InOrder(ctx, keys.ids); err != nil {
		return nil, err
	}
	if keys.looked {
		page.Completeness, page.Matching = a.completeness(), a.matching(keys.hits, page.Issues)
	}
	return page, nil
}

// CountIssues counts the issues that match a search, up to the limit of q; more says
// that there are others.
func (s *Service) CountIssues(ctx context.Context, q IssueAsk) (n int, more bool, err error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return 0, false, err
	}
	defer a.done()
	keys, err := a.issueKeys(ctx, q)
	return len(keys.ids), keys.next != nil, err
}

// issueKeys is a page of issues by their ids, in order, and the events that were looked
// at to find them.
type issueKeys struct {
	ids    []int64
	next   *issues.IssueCursor
	looked bool
	hits   []hit
}

func (a *asked) issueKeys(ctx context.Context, q IssueAsk) (issueKeys, error) {
	out := issueKeys{looked: q.Window != nil || asksEvents(a.tree)}
	plan, err := a.plan(ctx, out.looked)
	if err != nil {
		return out, err
	}
	where := plan.where
	if !slices.Contains(query.Names(a.tree), "state") {
		if len(q.States) == 0 {
			return out, nil
		}
		where = condition{where.sql + " AND l.state IN (" + db.Marks(len(q.States)) + ")", where.args}
		for _, st := range q.States {
			where.args = append(where.args, string(st))
		}
	}
	list := issues.KeyQuery{Project: q.Project.ID, Order: q.Order, Limit: q.Limit, After: q.After, Where: where.sql,
		Args: where.args, Only: plan.only}
	if out.looked || len(plan.events) > 0 {
		var fit map[int64]bool
		if fit, out.hits, err = a.fitting(ctx, query.And{All: plan.events}, out.looked); err != nil {
			return out, err
		}
		list.Only = both(list.Only, fit)
	}
	out.ids, out.next, err = a.s.issues.Keys(ctx, a.tx, list)
	return out, err
}

// AsksEvents says whether single events are looked at for a search for issues. One that
// cannot be read, or names a saved search, may.
func AsksEvents(a Ask) bool {
	tree, err := query.Parse(a.Text)
	return a.Window != nil || err != nil || asksEvents(tree) || slices.Contains(query.Names(tree), "saved")
}

// counterFields are answered from counters where one of them is asked for alone.
var counterFields = []string{"release", "environment"}

// asksEvents says whether single events must be looked at: an attribute is searched,
// or two facts must hold of the same event.
func asksEvents(tree query.Node) bool {
	counters := 0
	plain := query.Walk(tree, func(n query.Node) bool {
		name := nameOf(n)
		if slices.Contains(counterFields, name) {
			counters++
		}
		f, field := query.FieldOf(name)
		return name == "" || field && (f.Issue || name == "message")
	})
	return !plain || counters > 1
}

// fitting gives the issues that have an event, or where no event is looked at a
// variant, of which a search holds; and the events.
func (a *asked) fitting(ctx context.Context, tree query.Node, looked bool) (map[int64]bool, []hit, error) {
	out := map[int64]bool{}
	if !looked {
		pass, err := a.variantsOf(ctx, tree)
		for i, ok := range pass {
			if ok {
				out[a.members.Issue[i]] = true
			}
		}
		return out, nil, err
	}
	a.Issue = 0
	t, err := a.compiler.test(ctx, tree)
	if err != nil {
		return nil, nil, err
	}
	hits, err := a.run(ctx, t)
	if err != nil {
		return nil, nil, err
	}
	m := a.members
	found := byWorker(hits, func(_ int, h hit, seen *[]bool) {
		if *seen == nil {
			*seen = make([]bool, len(m.IDs))
		}
		h.rows.Each(func(row int) {
			if at := m.Index(h.core.Variants[row]); at >= 0 {
				(*seen)[at] = true
			}
		})
	})
	for _, seen := range found {
		for at, ok := range *seen {
			if ok {
				out[m.Issue[at]] = true
			}
		}
	}
	return out, hits, nil
}

// matching counts the events that fit of the issues of a page.
func (a *asked) matching(hits []hit, list []*issues.Issue) map[int64]Matching {
	at := map[int64]int{}
	for i, is := range list {
		at[is.ID] = i
	}
	m := a.members
	of := make([]int, len(m.IDs)) // variant → issue of the page, from 1
	for i, id := range m.Issue {
		if n, ok := at[id]; ok {
			of[i] = n + 1
		}
	}
	type sum struct {
		events, first, last int64
		users               columns.UserSet
	}
	sums := make([]sum, len(list))
	for i := range sums {
		sums[i].first, sums[i].last = math.MaxInt64, math.MinInt64
	}
	for _, h := range hits {
		h.rows.Each(func(row int) {
			i := m.Index(h.core.Variants[row])
			if i < 0 || of[i] == 0 {
				return
			}
			x := &sums[of[i]-1]
			x.events += h.core.Weight(row)
			x.first, x.last = min(x.first, h.core.Times[row]), max(x.last, h.core.Times[row])
			x.users.Add(h.core.Users[row])
		})
	}
	out := map[int64]Matching{}
	for i, is := range list {
		if x := sums[i]; x.events > 0 {
			out[is.ID] = Matching{x.events, x.users.Count(), db.FromMicros(x.first), db.FromMicros(x.last)}
		}
	}
	return out
}
