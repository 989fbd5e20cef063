package find

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/store/members"
)

// ofTraces are the fields that a variant's trace answers.
var ofTraces = []string{"type", "file", "function", "headline", "place", "message"}

// variants gives the variants that a leaf holds of, by their places among the members.
func (c *compiler) variants(ctx context.Context, n query.Node, negated bool) ([]bool, error) {
	m := c.n.members
	var out []bool
	t, isTerm := n.(query.Term)
	switch name := nameOf(n); {
	case slices.Contains(ofTraces, name):
		if !isTerm {
			return nil, badTerm(n, name+" is not compared by size; write "+name+":VALUE")
		}
		out = fact(m, t)
	case name == "release" || name == "environment":
		return c.counted(ctx, n, negated)
	default:
		ids, err := c.issueSet(ctx, n)
		if err != nil {
			return nil, err
		}
		out = make([]bool, len(m.Issue))
		for i, id := range m.Issue {
			out[i] = ids[id]
		}
	}
	if negated {
		for i := range out {
			out[i] = !out[i]
		}
	}
	return out, nil
}

// fact gives the variants whose traces say what a term asks for.
func fact(m *members.Members, t query.Term) []bool {
	holds := func(s string) bool {
		return slices.ContainsFunc(t.Values, func(v query.Value) bool {
			return v.Present() && s != "" || !v.Present() && v.Match(s)
		})
	}
	switch t.Name {
	case "type":
		return m.Type.Where(holds)
	case "file":
		return m.File.Where(holds)
	case "function":
		return m.Function.Where(holds)
	case "headline":
		return members.Where(m.Headline, holds)
	case "place":
		return members.Where(m.Place, holds)
	}
	return members.Where(m.Message, holds)
}

// issueSet gives the issues that match a word, or a term of the list.
func (c *compiler) issueSet(ctx context.Context, n query.Node) (map[int64]bool, error) {
	if w, ok := n.(query.Word); ok {
		return c.n.withWord(ctx, w)
	}
	cond, err := c.condition(ctx, n)
	if err != nil {
		return nil, err
	}
	ids, err := db.Numbers(
		ctx,
		c.n.tx,
		"SELECT l.issue FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.project=? AND "+cond.sql,
		append([]any{c.p.ID}, cond.args...)...)
	out := make(map[int64]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, err
}

// counterOf is the table of counters of a field, and its column.
func counterOf(name string) (table, column string) {
	if name == "environment" {
		return "issue_env", "environment"
	}
	return "issue_release", "app_release"
}

// counted gives the variants that have an event of some releases or environments, or
// with negated one that is of none of them, by the counters.
func (c *compiler) counted(ctx context.Context, n query.Node, negated bool) ([]bool, error) {
	ids, err := c.interned(ctx, n)
	if err != nil {
		return nil, err
	}
	table, column := counterOf(nameOf(n))
	m := c.n.members
	out, have := make([]bool, len(m.IDs)), make([]int64, len(m.IDs))
	if list := slices.Sorted(maps.Keys(ids)); len(list) > 0 {
		err = db.Each(ctx, c.n.tx, func(r *sql.Rows) error {
			var variant uint32
			var events int64
			err := r.Scan(&variant, &events)
			if i := m.Index(variant); i >= 0 {
				out[i] = true
				have[i] += events
			}
			return err
		}, "SELECT variant, events FROM "+table+" WHERE "+column+" IN ("+db.Marks(len(list))+")", db.AnyOf(list)...)
	}
	if err != nil || !negated {
		return out, err
	}
	clear(out)
	return out, db.Each(ctx, c.n.tx, func(r *sql.Rows) error {
		var variant uint32
		var events int64
		err := r.Scan(&variant, &events)
		if i := m.Index(variant); i >= 0 {
			out[i] = events > have[i]
		}
		return err
	}, "SELECT id, events FROM variant WHERE project=?", c.p.ID)
}

// variantsOf gives the variants that match a normal search that asks for nothing
// but what is known of variants and issues.
func (c *compiler) variantsOf(ctx context.Context, n query.Node) ([]bool, error) {
	switch n := n.(type) {
	case query.And:
		return c.combined(ctx, n.All, true)
	case query.Or:
		return c.combined(ctx, n.Any, false)
	case query.Not:
		return c.variants(ctx, n.Of, true)
	}
	return c.variants(ctx, n, false)
}

func (c *compiler) combined(ctx context.Context, list []query.Node, all bool) ([]bool, error) {
	out := make([]bool, len(c.n.members.IDs))
	for i := range out {
		out[i] = all
	}
	for _, n := range list {
		x, err := c.variantsOf(ctx, n)
		if err != nil {
			return nil, err
		}
		for i := range out {
			if all {
				out[i] = out[i] && x[i]
			} else {
				out[i] = out[i] || x[i]
			}
		}
	}
	return out, nil
}
