package find

import (
	"cmp"
	"context"
	"hash/fnv"
	"maps"
	"runtime"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/store/segments"
)

// counting counts what fits. Where everything fits, large segments that no change
// touched count the same every time: the sum of all of them is remembered, with the
// users of the values that most events have, and only the others are counted again.
type counting struct {
	*asked
	whole, rest []hit
	set         uint64 // which segments are in whole
}

// fewWhole is how many segments there must be for a sum to be remembered.
const fewWhole = 3

func newCounting(a *asked, hits []hit) *counting {
	c := &counting{asked: a}
	h := fnv.New64a()
	for _, x := range hits {
		if x.whole && x.Tier == segments.Large {
			c.whole = append(c.whole, x)
			for _, n := range []int64{int64(x.KeepDay), x.First, int64(x.Version)} {
				for shift := 0; shift < 64; shift += 8 {
					h.Write([]byte{byte(n >> shift)})
				}
			}
		} else {
			c.rest = append(c.rest, x)
		}
	}
	if c.set = h.Sum64(); len(c.whole) < fewWhole {
		c.whole, c.rest = nil, hits
	}
	return c
}

func (c *counting) key(kind partKind, column uint32) partKey {
	return partKey{project: c.snapshot.project, kind: kind, column: column, set: c.set}
}

// sum is what is remembered of the values of a column in segments.
type sum struct {
	events map[string]int64
	users  map[string]*columns.UserSet // of the values with most events
}

func (s *sum) bytes() int {
	n := 0
	for v := range s.events {
		n += 40 + len(v)
	}
	for _, u := range s.users {
		n += u.Bytes()
	}
	return n
}

// keptUsers is of how many values users are remembered.
const keptUsers = 32

// totals counts the events that fit, and their users.
func (c *counting) totals() (events, users int64) {
	all := c.wholeTotals()
	sets := byWorker(c.rest, func(_ int, h hit, to *columns.UserSet) { h.core.AddUsers(h.rows, to) })
	set := &columns.UserSet{}
	set.Join(*all.users[""])
	for _, s := range sets {
		set.Join(*s)
	}
	events = all.events[""]
	for _, h := range c.rest {
		events += h.weight()
	}
	return events, set.Count()
}

func (c *counting) wholeTotals() *sum {
	key := c.key(totalPart, 0)
	if len(c.whole) > 0 {
		if s, ok := c.s.held.Get(key); ok {
			return s.(*sum)
		}
	}
	out := &sum{map[string]int64{}, map[string]*columns.UserSet{"": {}}}
	for _, h := range c.whole {
		out.events[""] += h.weight()
	}
	for _, s := range byWorker(c.whole, func(_ int, h hit, to *columns.UserSet) { h.core.AddUsers(h.rows, to) }) {
		out.users[""].Join(*s)
	}
	if len(c.whole) > 0 {
		c.s.held.Put(key, out)
	}
	return out
}

// weight is how many events the rows represent.
func (h hit) weight() (n int64) {
	if h.core.Weights == nil {
		return int64(h.rows.Count())
	}
	h.rows.Each(func(row int) { n += h.core.Weight(row) })
	return n
}

// byWorker lets each processor go through a part of some hits, with a result of its own.
func byWorker[T any](hits []hit, work func(at int, h hit, to *T)) []*T {
	n := min(runtime.GOMAXPROCS(0), max(1, len(hits)))
	out := make([]*T, n)
	each(out, func(i int, _ *T) {
		out[i] = new(T)
		for j := i; j < len(hits); j += n {
			work(j, hits[j], out[i])
		}
	})
	return out
}

// facet counts the values of one attribute: first how many events have each, then the
// users of those that are shown.
func (c *counting) facet(ctx context.Context, name string, limit int, total int64) (Facet, error) {
	whole, err := c.wholeSum(ctx, name)
	if err != nil {
		return Facet{}, err
	}
	coded, spelled, err := c.coded(ctx, c.rest, name)
	if err != nil {
		return Facet{}, err
	}
	sums := maps.Clone(whole.events)
	addSpelled(sums, c.rest, coded, spelled, false)
	f := Facet{Name: name, Values: top(sums, limit), Absent: total}
	for _, n := range sums {
		f.Absent -= n
		f.Others += n
	}
	shown := make([]string, len(f.Values))
	for i, v := range f.Values {
		f.Others -= v.Events
		shown[i] = v.Value
	}
	users := usersOf(c.rest, coded, spelled, shown)
	missing := slices.DeleteFunc(slices.Clone(shown), func(v string) bool {
		return whole.users[v] != nil || whole.events[v] == 0
	})
	if len(missing) > 0 {
		coded, spelled, err := c.coded(ctx, c.whole, name)
		if err != nil {
			return Facet{}, err
		}
		for v, set := range usersOf(c.whole, coded, spelled, missing) {
			users[v].Join(*set)
		}
	}
	for i, v := range shown {
		if set := whole.users[v]; set != nil {
			users[v].Join(*set)
		}
		f.Values[i].Users = users[v].Count()
	}
	return f, nil
}

// wholeSum sums the values of a column in the segments that count the same every time.
func (c *counting) wholeSum(ctx context.Context, name string) (*sum, error) {
	column := c.names[name]
	key := c.key(sumPart, column)
	remembered := len(c.whole) > 0 && column != 0 // what traces say changes
	if remembered {
		if s, ok := c.s.held.Get(key); ok {
			return s.(*sum), nil
		}
	}
	out := &sum{map[string]int64{}, map[string]*columns.UserSet{}}
	if len(c.whole) == 0 {
		return out, nil
	}
	coded, spelled, err := c.coded(ctx, c.whole, name)
	if err != nil {
		return nil, err
	}
	addSpelled(out.events, c.whole, coded, spelled, false)
	var kept []string
	for _, v := range top(out.events, keptUsers) {
		kept = append(kept, v.Value)
	}
	out.users = usersOf(c.whole, coded, spelled, kept)
	if remembered {
		c.s.held.Put(key, out)
	}
	return out, nil
}

// top are the values that most events have, those first.
func top(sums map[string]int64, limit int) []Counted {
	order := func(x, y Counted) int { return cmp.Or(cmp.Compare(y.Events, x.Events), cmp.Compare(x.Value, y.Value)) }
	var out []Counted
	var last *Counted // of those found so far that fit in
	for v, n := range sums {
		x := Counted{Value: v, Events: n}
		if last != nil && order(*last, x) < 0 {
			continue
		}
		if out = append(out, x); len(out) >= 4*limit { // the rest of them cannot be shown
			slices.SortFunc(out, order)
			out = out[:limit]
			worst := out[limit-1]
			last = &worst
		}
	}
	slices.SortFunc(out, order)
	return out[:min(len(out), limit)]
}

// usersOf gives the users of some values.
func usersOf(hits []hit, coded []coded, spelled func(columns.Value) string,
	values []string) map[string]*columns.UserSet {
	place := map[string]int{}
	for i, v := range values {
		place[v] = i + 1
	}
	type sets struct{ list []columns.UserSet }
	parts := byWorker(hits, func(i int, h hit, to *sets) {
		if to.list == nil {
			to.list = make([]columns.UserSet, len(values)+1)
		}
		coded[i].addUsers(h, coded[i].slots(place, spelled), to.list)
	})
	out := map[string]*columns.UserSet{}
	for i, v := range values {
		out[v] = &columns.UserSet{}
		for _, p := range parts {
			if p.list != nil {
				out[v].Join(p.list[i+1])
			}
		}
	}
	return out
}

// addSpelled adds the events of each value to sums, by how the value is spelled. Values
// are spelled once each, however many segments hold them. With once every event counts once,
// whatever it represents.
func addSpelled(sums map[string]int64, hits []hit, coded []coded, spelled func(columns.Value) string,
	once bool) {
	counts := make([][]int64, len(hits))
	each(hits, func(i int, h hit) {
		weights := h.core
		if once {
			weights = &columns.Core{}
		}
		counts[i] = coded[i].counts(weights, h.rows)
	})
	byValue := map[columns.Value]int64{}
	for i, list := range counts {
		for code, n := range list[1:] {
			if n > 0 {
				byValue[coded[i].values.At(code)] += n
			}
		}
	}
	for v, n := range byValue {
		sums[spelled(v)] += n
	}
}
