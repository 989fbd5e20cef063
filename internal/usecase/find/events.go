package find

import (
	"context"
	"slices"

	"firethorn/internal/store/events"
)

// EventAsk asks for a page of events, newest processed first.
type EventAsk struct {
	Ask
	Before  int64 // position to go on from; 0: from the newest
	Limit   int
	Columns []string // attributes to return for each event
}

// EventPage is a page of events.
type EventPage struct {
	Completeness
	Events []*events.EventRow
	Next   int64               // position to go on from; 0 on the last page
	Values []map[string]string // of the columns, for each event; what it has not is left out
}

// FindEvents lists the events that match a search.
func (s *Service) FindEvents(ctx context.Context, q EventAsk) (*EventPage, error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return nil, err
	}
	defer a.done()
	t, err := a.test(ctx)
	if err != nil {
		return nil, err
	}
	views := slices.Clone(a.views)
	slices.SortFunc(views, func(x, y *view) int { return int(min(1, max(-1, y.Last-x.Last))) })
	var found []position
	for len(views) > 0 {
		// A segment cannot have what belongs before the page's end once its newest
		// event is older than that.
		if len(found) > q.Limit {
			slices.SortFunc(found, newestFirst)
			found = found[:q.Limit+1]
			if views[0].Last < found[q.Limit].position {
				break
			}
		}
		n := min(len(views), 8)
		more, err := a.positions(ctx, t, views[:n], q.Before)
		if err != nil {
			return nil, err
		}
		found, views = append(found, more...), views[n:]
	}
	slices.SortFunc(found, newestFirst)
	page := &EventPage{Completeness: a.completeness()}
	if len(found) > q.Limit {
		found = found[:q.Limit]
		page.Next = found[q.Limit-1].position
	}
	keys := make([]events.Key, len(found))
	for i, p := range found {
		keys[i] = p.key()
	}
	if page.Events, err = s.events.ByKey(ctx, a.tx, a.Project.ID, keys); err != nil {
		return nil, err
	}
	page.Values, err = a.valuesOf(ctx, found, page.Events, q.Columns)
	return page, err
}

// valuesOf reads the values that events have in some columns.
func (a *asked) valuesOf(ctx context.Context, found []position, list []*events.EventRow,
	names []string) ([]map[string]string, error) {
	if len(names) == 0 {
		return nil, nil
	}
	if err := a.mayFacet(names); err != nil {
		return nil, err
	}
	at := map[int64]int{}
	for i, e := range list {
		at[e.Position] = i
	}
	var hits []hit
	rows := map[*view][]position{}
	for _, p := range found {
		if rows[p.view] == nil {
			hits = append(hits, hit{view: p.view})
		}
		rows[p.view] = append(rows[p.view], p)
	}
	out := make([]map[string]string, len(list))
	for i := range out {
		out[i] = map[string]string{}
	}
	for _, name := range names {
		coded, spelled, err := a.coded(ctx, hits, name)
		if err != nil {
			return nil, err
		}
		for i, h := range hits {
			for _, p := range rows[h.view] {
				e, there := at[p.position]
				if code := coded[i].code(p.row); there && code > 0 {
					out[e][name] = spelled(coded[i].values.At(code - 1))
				}
			}
		}
	}
	return out, nil
}

// position is where an event stands.
type position struct {
	position int64
	keepDay  int
	view     *view
	row      int
}

func (p position) key() events.Key { return events.Key{Position: p.position, KeepDay: p.keepDay} }

func newestFirst(x, y position) int { return int(min(1, max(-1, y.position-x.position))) }

// positions gives the events of some segments that fit, before a position; 0: all.
func (a *asked) positions(ctx context.Context, t test, views []*view, before int64) ([]position, error) {
	for _, column := range t.needs() {
		if err := a.loadHeads(ctx, views, column); err != nil {
			return nil, err
		}
	}
	views = slices.DeleteFunc(
		slices.Clone(views),
		func(v *view) bool { return !t.may(v) || before != 0 && v.First >= before },
	)
	hits, err := a.runOn(ctx, t, views)
	if err != nil {
		return nil, err
	}
	var out []position
	for _, h := range hits {
		h.rows.Each(func(row int) {
			if p := h.core.Positions[row]; before == 0 || p < before {
				out = append(out, position{p, h.KeepDay, h.view, row})
			}
		})
	}
	return out, nil
}
