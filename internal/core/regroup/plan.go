// Package regroup plans what happens to issues when other rules or another grouping version change
// their fingerprints. Trials and real regroupings follow the same plan.
//
// Input are cells, the parts of issues that have one fingerprint now and one
// then; output is the issue that each goes to. Pure.
//
// What people put together or took apart by hand stays so, save where a
// grouping rule names the events: it is the later word.
package regroup

import (
	"bytes"
	"cmp"
	"maps"
	"slices"

	"firethorn/internal/core/fingerprint"
)

// Cell is events of one issue that have one fingerprint now and one then.
type Cell struct {
	Issue  int64           // the issue they are in
	Now    fingerprint.Key // what they were processed under
	Then   fingerprint.Key
	Ruled  bool // a grouping rule makes Then, or made Now
	Part   bool // they were split off by hand
	Events int64
}

// Moves says whether the other way of grouping has a word on the cell.
func (c Cell) Moves() bool { return c.Now != c.Then && (c.Ruled || !c.Part) }

// Target is where a cell goes: an issue there is, or a new one. New issues are
// numbered from 1 in the order of the events they get, most first.
type Target struct {
	Issue int64
	New   int
}

// Plan is what becomes of cells and issues.
type Plan struct {
	Targets []Target         // of the cells, in their order
	New     int              // how many new issues there will be
	Emptied map[int64]Target // issues that nothing stays in, and where most of theirs goes
}

// planner joins issues and fingerprints that belong together: sets of nodes,
// each with at most one home.
type planner struct {
	cells  []Cell
	parent map[node]node
	homes  map[node]int64 // of a set's root
}

// node is an issue, or a fingerprint of then.
type node struct {
	issue int64
	key   fingerprint.Key
}

func (p *planner) root(n node) node {
	for {
		up, ok := p.parent[n]
		if !ok || up == n {
			return n
		}
		n = up
	}
}

func (p *planner) join(a, b node) {
	if a, b = p.root(a), p.root(b); a != b {
		p.parent[a] = b
	}
}

// Decide makes the plan.
//
// An issue keeps its number for what of it does not change. Where the algorithm
// finds another fingerprint, most of what was one stays where it is, and issues
// whose events come to one fingerprint are joined. What a rule names goes by
// the rule alone: to the issue that has its key already, else to the one that
// most of it comes from, if nothing else stays there, else to a new one.
func Decide(cells []Cell) Plan {
	p := &planner{cells: cells, parent: map[node]node{}, homes: map[node]int64{}}
	p.joinComputed()
	p.giveHomes()
	plan := Plan{Targets: make([]Target, len(cells)), Emptied: map[int64]Target{}}
	fresh := p.fresh()
	plan.New = len(fresh)
	for i, c := range cells {
		n := p.root(p.nodeOf(c))
		if home, ok := p.homes[n]; ok {
			plan.Targets[i] = Target{Issue: home}
		} else {
			plan.Targets[i] = Target{New: fresh[n]}
		}
	}
	plan.findEmptied(cells)
	return plan
}

// nodeOf is what a cell belongs to: its issue, if it does not move.
func (p *planner) nodeOf(c Cell) node {
	if c.Moves() {
		return node{key: c.Then}
	}
	return node{issue: c.Issue}
}

// joinComputed joins issues with the fingerprints that stay or represent most
// of what was one.
func (p *planner) joinComputed() {
	type was struct {
		issue int64
		key   fingerprint.Key
	}
	most := map[was]map[fingerprint.Key]int64{}
	for _, c := range p.cells {
		if c.Part && !c.Ruled || c.Ruled && c.Moves() {
			continue
		}
		if c.Now == c.Then { // who has the key already
			p.join(node{key: c.Then}, node{issue: c.Issue})
		}
		k := was{c.Issue, c.Now}
		if most[k] == nil {
			most[k] = map[fingerprint.Key]int64{}
		}
		most[k][c.Then] += c.Events
	}
	for k, counts := range most {
		if next, ok := largest(counts); ok {
			p.join(node{key: next}, node{issue: k.issue})
		}
	}
}

// largest is the key with most events; of equals the first in order.
func largest(counts map[fingerprint.Key]int64) (best fingerprint.Key, ok bool) {
	for k, n := range counts {
		if !ok || n > counts[best] || n == counts[best] && bytes.Compare(k[:], best[:]) < 0 {
			best, ok = k, true
		}
	}
	return best, ok
}

// giveHomes gives each set the issue that keeps its number: of several the one
// with most events. An issue that only rules take from is home to the rule's
// key that takes most.
func (p *planner) giveHomes() {
	stays := map[int64]int64{} // issue → events that are joined to it
	for _, c := range p.cells {
		if p.root(p.nodeOf(c)) == p.root(node{issue: c.Issue}) {
			stays[c.Issue] += c.Events
		}
	}
	for _, issue := range slices.SortedFunc(maps.Keys(stays), func(a, b int64) int {
		return cmp.Or(cmp.Compare(stays[b], stays[a]), cmp.Compare(a, b))
	}) {
		if r := p.root(node{issue: issue}); p.homes[r] == 0 {
			p.homes[r] = issue
		}
	}
	type pair struct {
		issue  int64
		set    node
		events int64
	}
	taken := map[pair]int64{}
	for _, c := range p.cells {
		if n := p.root(p.nodeOf(c)); stays[c.Issue] == 0 && p.homes[n] == 0 {
			taken[pair{issue: c.Issue, set: n}] += c.Events
		}
	}
	var list []pair
	for k, n := range taken {
		k.events = n
		list = append(list, k)
	}
	slices.SortFunc(list, func(a, b pair) int {
		return cmp.Or(cmp.Compare(b.events, a.events), cmp.Compare(a.issue, b.issue),
			bytes.Compare(a.set.key[:], b.set.key[:]))
	})
	given := map[int64]bool{}
	for _, x := range list {
		if !given[x.issue] && p.homes[x.set] == 0 {
			given[x.issue], p.homes[x.set] = true, x.issue
		}
	}
}

// fresh numbers the sets without a home, those with most events first.
func (p *planner) fresh() map[node]int {
	events := map[node]int64{}
	for _, c := range p.cells {
		if n := p.root(p.nodeOf(c)); p.homes[n] == 0 {
			events[n] += c.Events
		}
	}
	out := map[node]int{}
	for i, n := range slices.SortedFunc(maps.Keys(events), func(a, b node) int {
		return cmp.Or(cmp.Compare(events[b], events[a]), bytes.Compare(a.key[:], b.key[:]))
	}) {
		out[n] = i + 1
	}
	return out
}

func (plan *Plan) findEmptied(cells []Cell) {
	stays, goes := map[int64]bool{}, map[int64]map[Target]int64{}
	for i, c := range cells {
		t := plan.Targets[i]
		if t.Issue == c.Issue {
			stays[c.Issue] = true
		}
		if goes[c.Issue] == nil {
			goes[c.Issue] = map[Target]int64{}
		}
		goes[c.Issue][t] += c.Events
	}
	for issue, counts := range goes {
		if stays[issue] {
			continue
		}
		var best Target
		for t, n := range counts {
			if m := counts[best]; best == (Target{}) || n > m || n == m &&
				cmp.Or(cmp.Compare(t.Issue, best.Issue), cmp.Compare(t.New, best.New)) < 0 {
				best = t
			}
		}
		plan.Emptied[issue] = best
	}
}
