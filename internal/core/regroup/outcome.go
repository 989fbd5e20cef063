package regroup

import (
	"cmp"
	"maps"
	"slices"
)

// sum is cells taken together.
type sum struct {
	events          int64
	users           map[int64]struct{}
	headline, place string
	rule            string
	examples        []Example
}

func (s *sum) add(c *cell) {
	if s.users == nil {
		s.users = map[int64]struct{}{}
	}
	if s.events == 0 {
		s.headline, s.place, s.rule = c.headline, c.place, c.rule
	}
	s.events += c.Events
	maps.Copy(s.users, c.users)
	if len(s.examples) < maxExamples {
		s.examples = append(s.examples, c.examples[:min(len(c.examples), maxExamples-len(s.examples))]...)
	}
}

func (s *sum) side() Side {
	return Side{Headline: s.headline, Place: s.place, Events: s.events, Users: int64(len(s.users)), Rule: s.rule,
		Examples: s.examples}
}

// flow is events of one issue that go to one target.
type flow struct {
	issue int64
	to    Target
}

// shown is a trial's plan with what is shown of it.
type shown struct {
	plan   Plan
	flows  map[flow]*sum
	issues map[int64]*sum
	known  func(issue int64) (headline, place string)
}

// Outcome says what a plan would do. known gives the names of issues; it
// may be nil.
func (t *Trial) Outcome(known func(issue int64) (headline, place string)) Outcome {
	list := slices.SortedFunc(maps.Values(t.cells), func(a, b *cell) int {
		return cmp.Or(cmp.Compare(b.Events, a.Events), cmp.Compare(a.Issue, b.Issue),
			cmp.Compare(string(a.Then[:]), string(b.Then[:])), cmp.Compare(string(a.Now[:]), string(b.Now[:])))
	})
	cells := make([]Cell, len(list))
	for i, c := range list {
		cells[i] = c.Cell
	}
	x := &shown{Decide(cells), map[flow]*sum{}, map[int64]*sum{}, known}
	if known == nil {
		x.known = func(issue int64) (string, string) { return x.issues[issue].headline, x.issues[issue].place }
	}
	out := Outcome{Version: t.then.Version, Rules: []RuleHit{}}
	moved, changed := map[int64]struct{}{}, map[int64]bool{}
	for i, c := range list {
		f := flow{c.Issue, x.plan.Targets[i]}
		addTo(x.flows, f, c)
		addTo(x.issues, c.Issue, c)
		out.Events += c.Events
		if f.to.Issue != c.Issue {
			out.Moved += c.Events
			maps.Copy(moved, c.users)
			changed[f.issue], changed[f.to.Issue] = true, true
		}
	}
	out.Users, out.Issues = int64(len(moved)), len(x.issues)
	for issue := range x.issues {
		if !changed[issue] {
			out.Stay++
		}
	}
	var more, others int
	out.Merges, more = firstFew(x.merges())
	out.Splits, others = firstFew(x.splits())
	out.More = more + others
	for _, h := range t.hits {
		out.Rules = append(out.Rules, *h)
	}
	return out
}

func addTo[K comparable](sums map[K]*sum, k K, c *cell) {
	if sums[k] == nil {
		sums[k] = &sum{}
	}
	sums[k].add(c)
}

// firstFew cuts a list to what is listed; more is how many are not.
func firstFew[T any](list []T) (_ []T, more int) {
	n := min(len(list), maxListed)
	return list[:n], len(list) - n
}

// bigger orders flows, those with most events first.
func (x *shown) bigger(a, b flow) int {
	return cmp.Or(cmp.Compare(x.flows[b].events, x.flows[a].events), cmp.Compare(a.issue, b.issue),
		cmp.Compare(a.to.Issue, b.to.Issue), cmp.Compare(a.to.New, b.to.New))
}

// collected are the flows that have something in common, where several have.
func collected[K comparable](x *shown, by func(flow) K) map[K][]flow {
	out := map[K][]flow{}
	for f := range x.flows {
		out[by(f)] = append(out[by(f)], f)
	}
	maps.DeleteFunc(out, func(_ K, list []flow) bool { return len(list) < 2 })
	for _, list := range out {
		slices.SortFunc(list, x.bigger)
	}
	return out
}

// issue is a side as the issue there is.
func (x *shown) issue(s *sum, number int64) Side {
	side := s.side()
	side.Number = number
	side.Headline, side.Place = x.known(number)
	return side
}

func (x *shown) merges() []Joined {
	out := []Joined{}
	for to, list := range collected(x, func(f flow) Target { return f.to }) {
		m, all := Joined{From: []Side{}}, sum{users: map[int64]struct{}{}}
		first := x.flows[list[0]]
		all.headline, all.place = first.headline, first.place
		for _, f := range list {
			s := x.flows[f]
			all.events += s.events
			all.rule = cmp.Or(all.rule, s.rule)
			maps.Copy(all.users, s.users)
			if len(m.From) < maxSides {
				side := x.issue(s, f.issue)
				_, side.Gone = x.plan.Emptied[f.issue]
				m.From = append(m.From, side)
			}
		}
		m.Into = all.side()
		m.Into.Number, m.Into.New = to.Issue, to.New
		out = append(out, m)
	}
	slices.SortFunc(out, func(a, b Joined) int {
		return cmp.Or(cmp.Compare(b.Into.Events, a.Into.Events), cmp.Compare(a.Into.Number, b.Into.Number),
			cmp.Compare(a.Into.New, b.Into.New))
	})
	return out
}

func (x *shown) splits() []Parted {
	out := []Parted{}
	for issue, list := range collected(x, func(f flow) int64 { return f.issue }) {
		s := Parted{From: x.issue(x.issues[issue], issue), Into: []Side{}}
		s.From.Examples = nil
		for _, f := range list[:min(len(list), maxSides)] {
			side := x.flows[f].side()
			side.Number, side.New = f.to.Issue, f.to.New
			s.Into = append(s.Into, side)
		}
		out = append(out, s)
	}
	slices.SortFunc(out, func(a, b Parted) int {
		return cmp.Or(cmp.Compare(b.From.Events, a.From.Events), cmp.Compare(a.From.Number, b.From.Number))
	})
	return out
}
