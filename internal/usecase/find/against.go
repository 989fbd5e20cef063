package find

import (
	"context"
	"maps"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/facet"
)

// Against lists values that are far more common in the events that match, or in those of an issue,
// than in the project's other events of the same time.
type Against struct {
	Completeness
	Looked int // how many values were compared: those that an event has that fits
	Values []facet.Odd
}

// Against compares the events that match a search with all others. Events are
// counted once each, whatever they represent.
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
	c := &comparison{asked: a, values: map[string]map[string]int64{}}
	if c.here, err = a.run(ctx, t); err != nil {
		return nil, err
	}
	if c.every, err = a.run(ctx, allOf{}); err != nil {
		return nil, err
	}
	c.hereOf, c.elseOf = rowsOf(c.here), rowsOf(c.every)
	c.elseOf -= c.hereOf
	names := slices.Sorted(maps.Keys(a.names))
	if len(q.By) > 0 {
		names = slices.DeleteFunc(names, func(n string) bool { return !slices.Contains(q.By, n) })
	}
	list, err := c.compare(ctx, names)
	if err != nil {
		return nil, err
	}
	out := &Against{Completeness: a.completeness(), Looked: c.looked, Values: facet.Outstanding(list, c.looked)}
	out.Values = out.Values[:min(len(out.Values), q.Limit)]
	return out, nil
}

func rowsOf(hits []hit) (n int64) {
	for _, h := range hits {
		n += int64(h.rows.Count())
	}
	return n
}

// comparison is what is compared with what.
type comparison struct {
	*asked
	here, every    []hit
	hereOf, elseOf int64
	looked         int
	values         map[string]map[string]int64 // attribute → value → events here
}

// compare counts, here and elsewhere, the values that could stand out.
func (c *comparison) compare(ctx context.Context, names []string) ([]facet.Odd, error) {
	for _, name := range names {
		coded, spelled, err := c.coded(ctx, c.here, name)
		if err != nil {
			return nil, err
		}
		sums := map[string]int64{}
		addSpelled(sums, c.here, coded, spelled, true)
		c.values[name] = sums
		c.looked += len(sums)
	}
	var out []facet.Odd
	for _, name := range names {
		maps.DeleteFunc(c.values[name], func(_ string, n int64) bool {
			return !facet.Promising(n, c.hereOf, c.elseOf, c.looked)
		})
		if len(c.values[name]) == 0 {
			continue
		}
		all, err := c.everywhere(ctx, name)
		if err != nil {
			return nil, err
		}
		for value, n := range c.values[name] {
			out = append(out, facet.Odd{Name: name, Value: value, Here: n, HereOf: c.hereOf,
				Elsewhere: all[value] - n, ElseOf: c.elseOf})
		}
	}
	return out, nil
}

// everywhere counts the promising values of an attribute, and maybe others, in all
// events. A segment is not read where its head has the counts.
func (c *comparison) everywhere(ctx context.Context, name string) (map[string]int64, error) {
	column := c.names[name]
	views := make([]*view, len(c.every))
	for i, h := range c.every {
		views[i] = h.view
	}
	if err := c.loadHeads(ctx, views, column); err != nil {
		return nil, err
	}
	spelled, err := c.spelled(ctx, name)
	if err != nil {
		return nil, err
	}
	wanted, out := c.values[name], map[string]int64{}
	var read []hit
	for _, h := range c.every {
		head, ok := h.heads[column]
		switch {
		case ok && head == nil && h.changes == nil: // no row has one
		case ok && h.whole && head.Values != nil:
			for i, v := range head.Values {
				if s := spelled(v); wanted[s] > 0 {
					out[s] += head.Rows[i]
				}
			}
		case ok && column >= columns.FirstOwn && h.changes == nil && head.Values == nil && !c.mayHold(head, wanted):
		default:
			read = append(read, h)
		}
	}
	coded, _, err := c.coded(ctx, read, name)
	if err != nil {
		return nil, err
	}
	addSpelled(out, read, coded, spelled, true)
	return out, nil
}

// mayHold says whether one of some values may be in a column.
func (c *comparison) mayHold(head *columns.Head, wanted map[string]int64) bool {
	for s := range wanted {
		if head.May(columns.TextValue(s)) {
			return true
		}
	}
	return false
}
