package find

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/core/query"
	"firethorn/internal/db"
)

// variants gives the variants that a leaf holds of, by their places among the members.
func (c *compiler) variants(ctx context.Context, n query.Node, negated bool) ([]bool, error) {
	m := c.n.members
	var out []bool
	t, isTerm := n.(query.Term)
	switch name := nameOf(n); {
	case slices.Contains([]string{"type", "file", "function", "headline", "place", "message"}, name):
		if !isTerm {
			return nil, badTerm(n, name+" is not compared by size; write "+name+":VALUE")
		}
		out = m.fact(t)
	case name == "release" || name == "environment":
		return c.counted(ctx, n, negated)
	default:
		ids, err := c.issueSet(ctx, n)
		if err != nil {
			return nil, err
		}
		out = make([]bool, len(m.issue))
		for i, id := range m.issue {
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
func (m *members) fact(t query.Term) []bool {
	holds := func(s string) bool {
		return slices.ContainsFunc(t.Values, func(v query.Value) bool {
			return v.Present() && s != "" || !v.Present() && v.Match(s)
		})
	}
	switch t.Name {
	case "type":
		return m.typ.where(holds)
	case "file":
		return m.file.where(holds)
	case "function":
		return m.function.where(holds)
	case "headline":
		return textsWhere(m.headline, holds)
	case "place":
		return textsWhere(m.place, holds)
	}
	return textsWhere(m.message, holds)
}

// issueSet gives the issues of which a word, or a term of the list, holds.
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

// counted gives the variants that have an event of some releases or environments, or
// with negated one that is of none of them, by the counters.
func (c *compiler) counted(ctx context.Context, n query.Node, negated bool) ([]bool, error) {
	ids, err := c.interned(ctx, n)
	if err != nil {
		return nil, err
	}
	table, column := "issue_release", "app_release"
	if nameOf(n) == "environment" {
		table, column = "issue_env", "environment"
	}
	m := c.n.members
	out, have := make([]bool, len(m.ids)), make([]int64, len(m.ids))
	if list := slices.Sorted(maps.Keys(ids)); len(list) > 0 {
		err = db.Each(ctx, c.n.tx, func(r *sql.Rows) error {
			var variant uint32
			var events int64
			err := r.Scan(&variant, &events)
			if i := m.index(variant); i >= 0 {
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
		if i := m.index(variant); i >= 0 {
			out[i] = events > have[i]
		}
		return err
	}, "SELECT id, events FROM variant WHERE project=?", c.p.ID)
}

// variantsOf gives the variants of which a normal search holds that asks for nothing
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
	out := make([]bool, len(c.n.members.ids))
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
