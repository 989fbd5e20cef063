package find

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/core/problem"
	"firethorn/internal/store/events"
)

// Place is where an event stands among those that fit a search.
type Place struct {
	Number, Total                int64     // 1 is the newest; 0: it does not fit itself
	Newest, Newer, Older, Oldest uuid.UUID // zero where there is none
}

// EventPlace finds an event among those that match a search, by the order in which
// they were processed. which is newest, oldest, or one that is known.
func (s *Service) EventPlace(ctx context.Context, q Ask, which string, known *events.EventRow) (*events.EventRow, Place,
	error) {
	var out Place
	a, err := s.ask(ctx, q, q.window())
	if err != nil {
		return nil, out, err
	}
	defer a.done()
	t, err := a.test(ctx)
	if err != nil {
		return nil, out, err
	}
	list, err := a.positions(ctx, t, a.views, 0)
	if err != nil {
		return nil, out, err
	}
	if len(list) == 0 && known == nil {
		return nil, out, problem.New(problem.NotFound, "no event of this issue fits the search")
	}
	slices.SortFunc(list, newestFirst)
	out.Total = int64(len(list))
	at, older := 0, 1
	switch {
	case known != nil:
		var there bool
		at, there = slices.BinarySearchFunc(list, known.Position,
			func(p position, filed int64) int { return newestFirst(p, position{position: filed}) })
		if older = at + 1; !there { // at is the first that is older
			older = at
		} else {
			out.Number = int64(older)
		}
	case which == "oldest":
		at, older = len(list)-1, len(list)
		fallthrough
	default:
		out.Number = int64(older)
		rows, err := s.events.ByKey(ctx, a.tx, a.Project.ID, []events.Key{list[at].key()})
		if err != nil || len(rows) == 0 {
			return nil, out, err
		}
		known = rows[0]
	}
	return known, out, a.name(ctx, list, []named{{0, &out.Newest}, {at - 1, &out.Newer}, {older, &out.Older},
		{len(list) - 1, &out.Oldest}})
}

// named is an id that is looked for, by the place of its event in a list.
type named struct {
	at int
	to *uuid.UUID
}

// name reads the ids of events by their places in a list; places outside of it have none.
func (a *asked) name(ctx context.Context, list []position, wanted []named) error {
	wanted = slices.DeleteFunc(wanted, func(w named) bool { return w.at < 0 || w.at >= len(list) })
	keys := make([]events.Key, len(wanted))
	for i, w := range wanted {
		keys[i] = list[w.at].key()
	}
	rows, err := a.s.events.ByKey(ctx, a.tx, a.Project.ID, keys)
	for _, r := range rows {
		for _, w := range wanted {
			if list[w.at].position == r.Position {
				*w.to = r.ID
			}
		}
	}
	return err
}
