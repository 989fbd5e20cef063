package find

import (
	"cmp"
	"context"
	"slices"
	"time"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/segments"
)

// Affected says how many users the events of a search hit, and what share that is.
type Affected struct {
	Completeness
	Events, Users int64
	// Active is how many users were seen at all in the same time, by an event or by a
	// session.
	Active int64
	// CameBack is how many of the affected users were seen again afterwards: in a session
	// that began after their first event here, or, where no session of theirs is known, in
	// an event more than an hour after it.
	CameBack int64
	Releases []Counted // on which they were affected, that of most users first
}

// again is how much later an event must be for its user to have come back.
const again = time.Hour

// Affected counts the users of the events that match a search.
func (s *Service) Affected(ctx context.Context, q Ask) (*Affected, error) {
	a, err := s.ask(ctx, q, q.window())
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
	every, err := a.run(ctx, allOf{})
	if err != nil {
		return nil, err
	}
	c := newCounting(a, here)
	out := &Affected{}
	out.Events, out.Users = c.totals()
	first := map[uint32]int64{}
	for _, x := range tallies(here) {
		first[x.number] = x.first
	}
	var active columns.UserSet
	last := map[uint32]int64{} // of affected users
	for _, h := range every {
		h.core.AddUsers(h.rows, &active)
		h.rows.Each(func(row int) {
			if u := h.core.Users[row]; first[u] != 0 {
				last[u] = max(last[u], h.core.Times[row])
			}
		})
	}
	unnumbered, err := a.sessionUsers(ctx, &active, first, last)
	if err != nil {
		return nil, err
	}
	out.Active = active.Count() + unnumbered
	for u, at := range first {
		if last[u] > at+again.Microseconds() {
			out.CameBack++
		}
	}
	f, err := c.facet(ctx, "release", maxAffectedReleases, out.Events)
	if err != nil {
		return nil, err
	}
	slices.SortFunc(f.Values, func(x, y Counted) int { return cmp.Compare(y.Users, x.Users) })
	out.Releases, out.Completeness = f.Values, a.completeness()
	return out, nil
}

// maxAffectedReleases is how many releases of affected users are returned.
const maxAffectedReleases = 8

// sessionUsers adds the users of the sessions that began in the window, and when the
// affected ones began their last: one that began after their first event counts as seen
// long after. The users who never had an event have no number and are counted.
func (a *asked) sessionUsers(ctx context.Context, active *columns.UserSet, first, last map[uint32]int64) (int64,
	error) {
	var unnumbered int64
	w := a.window()
	if w.To.IsZero() {
		w.To = a.Now.Add(24 * time.Hour)
	}
	return unnumbered, segments.SessionUsers(ctx, a.tx, a.Project.ID, w.From, w.To, func(number uint32,
		started time.Time) {
		if number == 0 {
			unnumbered++
			return
		}
		active.Add(number)
		switch at := first[number]; {
		case at == 0:
		case db.Micros(started) > at:
			last[number] = at + again.Microseconds() + 1
		default:
			last[number] = 0 // a session says that they were not seen again
		}
	})
}
