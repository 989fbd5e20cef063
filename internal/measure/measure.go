// Package measure measures grouping against events whose bugs are known. Tests on planted bugs use it.
package measure

import (
	"fmt"
	"slices"
)

// Labelled is an event: which bug it is of, and which issue it was put into.
type Labelled struct{ Bug, Issue string }

// Agreement is how issues and bugs agree.
type Agreement struct {
	Events, Bugs, Issues int
	// Index is the adjusted Rand index: 1 where both part the events alike, about
	// 0 where they agree by chance.
	Index  float64
	Merged map[string][]string // issues that hold several bugs, with these
	Pairs  int                 // pairs of events of two bugs in one issue
	Pieces map[string][]string // bugs that are in several issues, with these
}

// Of compares the issues of events with their bugs.
func Of(list []Labelled) Agreement {
	a := Agreement{Events: len(list), Merged: map[string][]string{}, Pieces: map[string][]string{}}
	cells, bugs, issues := map[Labelled]int{}, map[string]int{}, map[string]int{}
	bugsOf, issuesOf := map[string][]string{}, map[string][]string{}
	for _, x := range list {
		if cells[x] == 0 {
			bugsOf[x.Issue] = append(bugsOf[x.Issue], x.Bug)
			issuesOf[x.Bug] = append(issuesOf[x.Bug], x.Issue)
		}
		cells[x]++
		bugs[x.Bug]++
		issues[x.Issue]++
	}
	a.Bugs, a.Issues = len(bugs), len(issues)
	both, byBug, byIssue := pairs(cells), pairs(bugs), pairs(issues)
	expected := byBug * byIssue / (float64(len(list)) * float64(len(list)-1) / 2)
	a.Index = (both - expected) / ((byBug+byIssue)/2 - expected)
	a.Pairs = int(byIssue - both)
	keepSeveral(a.Merged, bugsOf)
	keepSeveral(a.Pieces, issuesOf)
	return a
}

// pairs is how many pairs of events stand in one cell.
func pairs[K comparable](cells map[K]int) (sum float64) {
	for _, n := range cells {
		sum += float64(n) * float64(n-1) / 2
	}
	return sum
}

func keepSeveral(into, from map[string][]string) {
	for k, list := range from {
		if len(list) > 1 {
			slices.Sort(list)
			into[k] = list
		}
	}
}

func (a Agreement) String() string {
	return fmt.Sprintf("%d events, %d bugs in %d issues: index %.4f, %d issues of several bugs (%d pairs), %d bugs in pieces",
		a.Events, a.Bugs, a.Issues, a.Index, len(a.Merged), a.Pairs, len(a.Pieces))
}
