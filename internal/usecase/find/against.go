package find

import (
	"context"
	"maps"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/facet"
)

// Against is what is far more common in the events that fit, or in those of an issue,
// than in the project's other events of the same time.
type Against struct {
	Said
	Looked int // how many values were compared
	Values []facet.Odd
}

// versus are events, not what they stand for, that have a value.
type versus struct{ here, elsewhere int64 }

// Against compares the events of which a search holds with all others.
func (s *Service) Against(ctx context.Context, q FacetAsk) (*Against, error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return nil, err
	}
	defer a.done()
	t, err := a.test(ctx)
	if err != nil {
		return nil, err
	}
	here, err := a.run(ctx, t)
	if err != nil {
		return nil, err
	}
	rows := map[*view]columns.Bits{}
	var hereOf, all int64
	for _, h := range here {
		rows[h.view] = h.rows
		hereOf += int64(h.rows.Count())
	}
	every, err := a.run(ctx, allOf{})
	if err != nil {
		return nil, err
	}
	for _, h := range every {
		all += int64(h.rows.Count())
	}
	out := &Against{}
	var list []facet.Odd
	names := slices.Sorted(maps.Keys(a.names))
	for _, name := range names {
		if len(q.By) > 0 && !slices.Contains(q.By, name) {
			continue
		}
		counts, err := a.compare(ctx, name, every, rows)
		if err != nil {
			return nil, err
		}
		out.Looked += len(counts)
		for value, n := range counts {
			if n.here > 0 {
				list = append(
					list,
					facet.Odd{
						Name:      name,
						Value:     value,
						Here:      n.here,
						HereOf:    hereOf,
						Elsewhere: n.elsewhere,
						ElseOf:    all - hereOf,
					},
				)
			}
		}
	}
	out.Values = facet.Outstanding(list, out.Looked)
	out.Values = out.Values[:min(len(out.Values), q.Limit)]
	out.Said = a.said()
	return out, nil
}

// compare counts the values of an attribute here and elsewhere. Segments of which
// nothing is here are answered by what their heads say, where that is enough.
func (a *asked) compare(
	ctx context.Context,
	name string,
	every []hit,
	here map[*view]columns.Bits,
) (map[string]versus, error) {
	column := a.names[name]
	views := make([]*view, len(every))
	for i, h := range every {
		views[i] = h.view
	}
	if err := a.loadHeads(ctx, views, column); err != nil {
		return nil, err
	}
	spelled, err := a.spelled(ctx, name)
	if err != nil {
		return nil, err
	}
	out := map[string]versus{}
	var read []hit
	for _, h := range every {
		head, ok := h.heads[column]
		switch {
		case ok && head == nil && h.changes == nil: // no row has one
		case ok && h.whole && here[h.view] == nil && head.Values != nil:
			for i, v := range head.Values {
				key := spelled(v)
				x := out[key]
				x.elsewhere += head.Rows[i]
				out[key] = x
			}
		default:
			read = append(read, h)
		}
	}
	coded, err := a.coded(ctx, read, name)
	if err != nil {
		return nil, err
	}
	counted := make([]map[string]versus, len(read))
	each(read, func(i int, h hit) { counted[i] = coded[i].versus(h, here[h.view]) })
	for _, m := range counted {
		for value, n := range m {
			x := out[value]
			out[value] = versus{x.here + n.here, x.elsewhere + n.elsewhere}
		}
	}
	return out, nil
}

// versus counts the rows of each value that are here, and those that are not.
func (c coded) versus(h hit, here columns.Bits) map[string]versus {
	sums := make([]versus, len(c.values)+1)
	h.rows.Each(func(row int) {
		code := c.code(row)
		if here != nil && here.Has(row) {
			sums[code].here++
		} else {
			sums[code].elsewhere++
		}
	})
	out := map[string]versus{}
	for i, n := range sums[1:] {
		if n.here+n.elsewhere > 0 {
			x := out[c.values[i]]
			out[c.values[i]] = versus{x.here + n.here, x.elsewhere + n.elsewhere}
		}
	}
	return out
}
