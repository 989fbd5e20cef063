package find

import (
	"context"
	"slices"
	"time"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// HistogramAsk asks when events came.
type HistogramAsk struct {
	Ask
	By       string        // an attribute; "": all in one series
	Interval time.Duration // 0: what suits the window
	Limit    int           // series, those of most events first
}

// Point is what came from a moment on until the next one.
type Point struct {
	At            time.Time
	Events, Users int64
}

// Series is how a value went. Points are in order, every moment there.
type Series struct {
	Value  string
	Points []Point
}

// Histogram is the answer.
type Histogram struct {
	Completeness
	Interval time.Duration
	Series   []Series
}

// maxPoints is how many moments a histogram has at most.
const maxPoints = 2000

// intervals are what suits, the shortest first.
var intervals = []time.Duration{
	time.Minute,
	5 * time.Minute,
	15 * time.Minute,
	time.Hour,
	6 * time.Hour,
	24 * time.Hour,
	7 * 24 * time.Hour,
}

// Histogram counts events and users by time. Moments begin at multiples of the
// interval since 1970, UTC; days in the zone that was asked for.
func (s *Service) Histogram(ctx context.Context, q HistogramAsk) (*Histogram, error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return nil, err
	}
	defer a.done()
	if q.By != "" {
		if err := a.mayFacet([]string{q.By}); err != nil {
			return nil, err
		}
	}
	t, err := a.test(ctx)
	if err != nil {
		return nil, err
	}
	hits, err := a.run(ctx, t)
	if err != nil {
		return nil, err
	}
	out := &Histogram{Completeness: a.completeness(), Interval: q.Interval}
	from, to := a.span(hits)
	if out.Interval == 0 {
		out.Interval = suits(to.Sub(from))
	}
	if out.Interval < time.Second || to.Sub(from)/out.Interval > maxPoints {
		return nil, problem.New(
			problem.BadInput,
			"an interval of %s makes more than %d points of this window; ask for a longer one, or a shorter window",
			out.Interval,
			maxPoints,
		)
	}
	moments := moments(from, to, out.Interval, a.Zone)
	if q.By == "" {
		out.Series = []Series{{Points: a.points(hits, moments, nil, 0)[0]}}
		return out, nil
	}
	f, err := newCounting(a, hits).facet(ctx, q.By, q.Limit, 0)
	if err != nil {
		return nil, err
	}
	coded, spelled, err := a.coded(ctx, hits, q.By)
	if err != nil {
		return nil, err
	}
	place := map[string]int{}
	for i, v := range f.Values {
		place[v.Value] = i + 1
	}
	slots := make([]func(row int) int, len(hits))
	for i := range hits {
		of := coded[i].slots(place, spelled)
		slots[i] = func(row int) int { return of[coded[i].code(row)] - 1 }
	}
	for i, points := range a.points(hits, moments, slots, len(f.Values)) {
		out.Series = append(out.Series, Series{f.Values[i].Value, points})
	}
	return out, nil
}

// span is the window, or where it is open the time of what fits.
func (a *asked) span(hits []hit) (from, to time.Time) {
	w := a.window()
	from, to = w.From, w.To
	if to.IsZero() { // clocks may be ahead
		to = a.Now
		for _, h := range hits {
			if at := db.FromMicros(h.MaxTime + 1); at.After(to) {
				to = at
			}
		}
	}
	if !from.IsZero() {
		return from, to
	}
	from = to.Add(-time.Hour)
	for _, h := range hits {
		if at := db.FromMicros(h.MinTime); at.Before(from) {
			from = at
		}
	}
	return from, to
}

// suits is the shortest interval that makes no more than about 200 points.
func suits(span time.Duration) time.Duration {
	for _, i := range intervals {
		if span/i <= 200 {
			return i
		}
	}
	return intervals[len(intervals)-1]
}

// moments lists where the parts of a histogram begin, in microseconds, and where the
// last one ends.
func moments(from, to time.Time, interval time.Duration, zone *time.Location) []int64 {
	at := from.Truncate(interval)
	day := 24 * time.Hour
	if interval%day == 0 {
		local := from.In(zone)
		at = time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, zone)
	}
	var out []int64
	for ; at.Before(to); at = next(at, interval, zone) {
		out = append(out, db.Micros(at))
	}
	return append(out, db.Micros(at))
}

// next is where the next part begins: a day is what a calendar says, of 23 hours or 25
// where the clocks change.
func next(at time.Time, interval time.Duration, zone *time.Location) time.Time {
	day := 24 * time.Hour
	if interval%day == 0 {
		return at.In(zone).AddDate(0, 0, int(interval/day))
	}
	return at.Add(interval)
}

// points counts what came in each part, for each series; slots say to which series a
// row of a hit belongs, -1 to none; nil: all to one.
func (a *asked) points(hits []hit, moments []int64, slots []func(row int) int, series int) [][]Point {
	series = max(series, 1)
	n := len(moments) - 1
	many := int64(series*n)*a.users/8 > maxSetBytes
	type sums struct {
		events []int64
		sets   []columns.UserSet
		users  []userKey // instead of sets, where those would take too much
	}
	parts := byWorker(hits, func(i int, h hit, p *sums) {
		if p.events == nil {
			p.events, p.sets = make([]int64, series*n), make([]columns.UserSet, series*n)
		}
		h.rows.Each(func(row int) {
			slot := 0
			if slots != nil {
				if slot = slots[i](row); slot < 0 {
					return
				}
			}
			part := partOf(moments, h.core.Times[row])
			if part < 0 || part >= n {
				return
			}
			p.events[slot*n+part] += h.core.Weight(row)
			u := h.core.Users[row]
			switch {
			case u == 0:
			case many:
				p.users = append(p.users, userKey(slot*n+part)<<32|userKey(u))
			default:
				p.sets[slot*n+part].Add(u)
			}
		})
	})
	events, users := make([]int64, series*n), make([]int64, series*n)
	var keys []userKey
	for i := range events {
		var set columns.UserSet
		for _, p := range parts {
			if p.events != nil {
				events[i] += p.events[i]
				set.Join(p.sets[i])
			}
		}
		users[i] = set.Count()
	}
	for _, p := range parts {
		keys = append(keys, p.users...)
	}
	slices.Sort(keys)
	for _, k := range slices.Compact(keys) {
		users[k>>32]++
	}
	out := make([][]Point, series)
	for s := range out {
		for i := range n {
			out[s] = append(out[s], Point{db.FromMicros(moments[i]), events[s*n+i], users[s*n+i]})
		}
	}
	return out
}

// maxSetBytes is how much memory the users of a histogram may take as sets.
const maxSetBytes = 64 << 20

// partOf is the part of a histogram that a moment lies in; -1: before the first.
func partOf(moments []int64, at int64) int {
	part, found := slices.BinarySearch(moments, at)
	if !found {
		part--
	}
	return part
}

// userKey is a part and a user in it.
type userKey uint64
