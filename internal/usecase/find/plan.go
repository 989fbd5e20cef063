package find

import (
	"context"
	"maps"
	"slices"

	"firethorn/internal/core/query"
	"firethorn/internal/db"
)

// plan says how the parts of a search for issues are answered; all must match:
// by a condition on the rows of the list, by the few issues that fit, or by events and
// variants.
type plan struct {
	where  condition
	only   map[int64]bool // nil: all
	events []query.Node
}

// fewFit is how many issues are few: so many are listed, and of more the list is walked.
const fewFit = 5000

// plan sorts the parts of the search.
func (a *asked) plan(ctx context.Context, looked bool) (plan, error) {
	out := plan{where: always}
	add := func(c condition) {
		out.where = condition{out.where.sql + " AND (" + c.sql + ")", append(out.where.args, c.args...)}
	}
	for _, n := range query.Conjuncts(a.tree) {
		only, few, err := a.few(ctx, n, looked)
		if err != nil {
			return out, err
		}
		if few {
			out.only = both(out.only, only)
			continue
		}
		cond, ok, err := a.byRow(ctx, n, looked)
		if err != nil {
			return out, err
		}
		if ok {
			add(cond)
		} else {
			out.events = append(out.events, n)
		}
	}
	return out, nil
}

// both are the issues of two sets; nil is all.
func both(a, b map[int64]bool) map[int64]bool {
	if a == nil {
		return b
	}
	if b != nil {
		maps.DeleteFunc(a, func(id int64, _ bool) bool { return !b[id] })
	}
	return a
}

// byRow gives the condition of a part that a row of the list answers, or an index that
// is asked for each row.
func (a *asked) byRow(ctx context.Context, n query.Node, looked bool) (condition, bool, error) {
	of, negated := n, false
	if not, ok := n.(query.Not); ok {
		of, negated = not.Of, true
	}
	switch w, word := of.(query.Word); {
	case word && len(query.Words(w.Text)) == 1:
		cond, err := a.hasWord(ctx, w)
		if negated {
			cond.sql = "NOT (" + cond.sql + ")"
		}
		return cond, true, err
	case ofRow(n, looked) || !negated && a.counterAlone(nameOf(of), looked):
		cond, err := a.condition(ctx, n)
		return cond, true, err
	}
	return condition{}, false, nil
}

// counterAlone says whether a release or environment may be asked of each issue: not
// where what traces say must hold of the same variant.
func (a *asked) counterAlone(name string, looked bool) bool {
	facts := slices.ContainsFunc(query.Names(a.tree), func(n string) bool { return slices.Contains(ofTraces, n) })
	return !looked && !facts && slices.Contains(counterFields, name)
}

// few gives the issues that a part holds of, if they are few and an index finds them.
func (a *asked) few(ctx context.Context, n query.Node, looked bool) (map[int64]bool, bool, error) {
	from, err := a.indexed(ctx, n, looked)
	if err != nil || from.sql == "" {
		return nil, false, err
	}
	ids, err := db.Numbers(ctx, a.tx, "SELECT DISTINCT issue FROM ("+from.sql+" LIMIT ?) x", append(from.args,
		fewFit+1)...)
	if err != nil || len(ids) > fewFit {
		return nil, false, err
	}
	out := make(map[int64]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	if w, ok := n.(query.Word); ok { // those whose words are not noted yet are looked at themselves
		fresh, err := a.unworded(ctx)
		if err != nil {
			return nil, false, err
		}
		for _, id := range fresh {
			delete(out, id)
		}
		err = a.look(ctx, fresh, w, out)
		return out, true, err
	}
	return out, true, nil
}

// indexed is the statement by which an index finds the issues of a part; "" where none
// does.
func (a *asked) indexed(ctx context.Context, n query.Node, looked bool) (condition, error) {
	if w, ok := n.(query.Word); ok {
		if words := query.Words(w.Text); len(words) == 1 {
			return condition{"SELECT issue FROM issue_word WHERE project=? AND word LIKE ?",
				[]any{a.Project.ID, db.LikeEscape(words[0]) + "%"}}, nil
		}
		return condition{}, nil
	}
	name := nameOf(n)
	index := map[string]string{"events": "by_events", "users": "by_users", "impact": "by_impact", "first": "by_first",
		"last": "by_last", "owner": "carried", "appeared-in": "by_first_release"}[name]
	switch {
	case index == "carried":
		cond, err := a.condition(ctx, n)
		if err != nil || cond.sql == "l.owner IS NULL" || cond.sql == "l.owner IS NOT NULL" {
			return condition{}, err
		}
		return condition{"SELECT l.issue FROM issue_list l WHERE " + cond.sql + " AND l.project=?",
			append(cond.args, a.Project.ID)}, nil
	case index != "":
		cond, err := a.condition(ctx, n)
		states := " AND l.state IN ('new','accepted','regressed','parked','fixed','dismissed')"
		if name == "appeared-in" {
			states = ""
		}
		return condition{"SELECT l.issue FROM issue_list l FORCE INDEX (" + index + ") WHERE l.project=?" + states +
			" AND " + cond.sql,
			append([]any{a.Project.ID}, cond.args...)}, err
	case a.counterAlone(name, looked):
		ids, err := a.interned(ctx, n)
		if err != nil || len(ids) == 0 {
			return condition{"SELECT issue FROM issue_list WHERE 1=0", nil}, err
		}
		table, column := counterOf(name)
		list := slices.Sorted(maps.Keys(ids))
		return condition{"SELECT v.issue FROM " + table + " x JOIN variant v ON v.id=x.variant WHERE x." + column +
			" IN (" +
			db.Marks(len(list)) + ")", db.AnyOf(list)}, nil
	}
	return condition{}, nil
}
