package find

import (
	"context"
	"database/sql"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/query"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/store/releases"
)

// releases gives the ids of the releases that a leaf asks for: by name, by a
// wildcard, the newest, or by their order.
func (c *compiler) releases(ctx context.Context, n query.Node) (map[int64]bool, error) {
	if err := c.readReleases(ctx); err != nil {
		return nil, err
	}
	out := map[int64]bool{}
	switch n := n.(type) {
	case query.Term:
		for _, r := range c.rels {
			if n.Holds(columns.TextValue(r.name)) {
				out[r.id] = true
			}
		}
		for _, v := range n.Values {
			if whole, exact := v.Text(); exact && whole == "newest" && c.newest != 0 {
				out[c.newest] = true
			}
		}
	case query.Range:
		return c.between(ctx, n)
	}
	return out, nil
}

// between gives the releases between two bounds, by the project's order.
func (c *compiler) between(ctx context.Context, r query.Range) (map[int64]bool, error) {
	bounds := map[string]string{r.From.Text: r.From.Text, r.To.Text: r.To.Text}
	for text := range bounds {
		for _, x := range c.rels {
			if text == "newest" && x.id == c.newest {
				bounds[text] = x.name
			}
		}
	}
	names := []string{}
	for _, x := range c.rels {
		names = append(names, x.name)
	}
	known, err := c.n.s.releases.Facts(ctx, c.n.tx, c.p.ID, append(names, bounds[r.From.Text], bounds[r.To.Text])...)
	if err != nil {
		return nil, err
	}
	out := map[int64]bool{}
	for _, x := range c.rels {
		fits := true
		for _, b := range []struct {
			query.Bound
			sign int
		}{{r.From, 1}, {r.To, -1}} {
			if b.Text == "" {
				continue
			}
			o := release.Compare(known.Release(x.name), known.Release(bounds[b.Text]), known.Policy, known.Commits)
			d := o.Compare * b.sign
			fits = fits && (d > 0 || d == 0 && b.Inclusive)
		}
		if fits {
			out[x.id] = true
		}
	}
	return out, nil
}

// readReleases reads the releases that are known, the newest by arrival.
func (c *compiler) readReleases(ctx context.Context) error {
	if !c.once("releases") {
		return nil
	}
	inputs, err := c.n.s.issues.ScoringInputs(ctx, c.n.tx, c.p.ID)
	if err != nil {
		return err
	}
	c.newest = inputs.NewestID
	return db.Each(ctx, c.n.tx, func(r *sql.Rows) error {
		var x releaseID
		err := r.Scan(&x.id, &x.name)
		c.rels = append(c.rels, x)
		return err
	}, "SELECT id, name FROM app_release WHERE project=? ORDER BY id DESC LIMIT ?", c.p.ID, 4*releases.MaxReleases)
}

// inReleases asks for issues that appeared, or regressed, in one of some releases.
func inReleases(name string, ids map[int64]bool) condition {
	list := []any{int64(0)}
	for id := range ids {
		list = append(list, id)
	}
	if name == "appeared-in" {
		return condition{"l.first_release IN (" + db.Marks(len(list)) + ")", list}
	}
	return oneOf("SELECT 1 FROM history h WHERE h.issue=l.issue AND h.kind='regressed' AND h.undone=0 AND h.app_release IN ("+
		db.Marks(len(list))+")", list...)
}

// fixedIn asks for issues that are fixed in a release, which need not be known yet.
func (c *compiler) fixedIn(ctx context.Context, n query.Node) (condition, error) {
	const fixed = "i.fixed_in<>'' AND i.state IN ('fixed','regressed')"
	var names []any
	if t, ok := n.(query.Term); ok {
		for _, v := range t.Values {
			if v.Present() {
				return condition{sql: fixed}, nil
			}
			if whole, exact := v.Text(); exact {
				names = append(names, whole)
			}
		}
	}
	ids, err := c.releases(ctx, n)
	for _, r := range c.rels {
		if ids[r.id] {
			names = append(names, r.name)
		}
	}
	if len(names) == 0 {
		return never, err
	}
	return condition{fixed + " AND i.fixed_in IN (" + db.Marks(len(names)) + ")", names}, err
}
