// Package release orders the releases of a project: by commits where both histories are known, else by
// comparable versions, else by the time they were announced or first seen. A project may choose one of
// the three. The answer includes the reason for the order.
package release

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Release is one release as far as ordering needs it.
type Release struct {
	Version string
	// Announced, or first seen in an event, whichever was earlier; zero: there was no message about it
	// yet.
	FirstSeen time.Time
	Commit    string // it was built from, in full; "" where that is not known
}

// Ancestry knows how commits descend from each other. Nil knows of none.
type Ancestry interface {
	Has(commit string) bool
	// Resolve is the commit of an abbreviation, "" for none or several.
	Resolve(short string) string
	// Contains says whether commit is tip, or one that tip descends from.
	Contains(tip, commit string) bool
	// Descent is Contains for many at once, by their places in the list.
	Descent(commits []string) func(tip, commit int) bool
}

// Policy says by what a project orders its releases.
type Policy string

// The policies.
const (
	Auto         Policy = ""             // by commit where that is possible, else by version, else by announcement
	Commits      Policy = "commits"      // by commit alone; what descends from neither is not ordered
	Versions     Policy = "versions"     // by version alone; what has none is not ordered
	Announcement Policy = "announcement" // by when they were announced or first seen
)

// ByCommit says whether commits decide, where they can.
func (p Policy) ByCommit() bool { return p == Auto || p == Commits }

// Policies lists the policies, as people name them; the first is Auto.
var Policies = []string{"auto", string(Commits), string(Versions), string(Announcement)}

// By is what decided an order.
type By string

// What can decide an order.
const (
	BySame         By = "same"
	ByCommit       By = "commit"
	ByVersion      By = "version"
	ByAnnouncement By = "announcement"
	ByNothing      By = "nothing" // it is not known which comes first
)

// Order is how two releases stand to each other.
type Order struct {
	Compare int    // -1: the first comes before, 0: neither does, 1: it comes after
	By      By     // what decided
	Why     string // in words
	Apart   bool   // they were built on different branches: neither contains the other
}

// Resolved is a release with its commit in full, where that is known. A release
// that is called by a commit, in full or short, was built from it; a name of
// digits alone is a commit only if there is one.
func Resolved(r Release, of Ancestry) Release {
	named := r.Commit
	if named == "" {
		named = r.Version
	}
	if of == nil || !hashLike.MatchString(named) {
		return r
	}
	if full := of.Resolve(strings.ToLower(named)); full != "" {
		r.Commit = full
	}
	return r
}

// Compare orders a and b by a project's policy; of knows their commits. Two
// spellings of one version are one place in the order.
func Compare(a, b Release, policy Policy, of Ancestry) Order {
	if a.Version == b.Version {
		return Order{By: BySame, Why: "it is the same release"}
	}
	a, b = Resolved(a, of), Resolved(b, of)
	why, apart := "", false
	if policy.ByCommit() {
		o, decided := byCommit(a, b, policy, of)
		if decided || policy == Commits {
			return o
		}
		why, apart = o.Why, o.Apart
	}
	if o, decided := byVersion(a, b, policy); decided {
		o.Why, o.Apart = why+o.Why, apart
		return o
	} else if policy != Announcement {
		why += o.Why
	}
	if a.Commit != "" && a.Commit == b.Commit {
		return Order{By: BySame, Why: strings.TrimSuffix(why, "; ")}
	}
	switch {
	case a.FirstSeen.IsZero() && b.FirstSeen.IsZero():
		return Order{0, ByNothing, why + "neither is known yet", apart}
	case a.FirstSeen.IsZero():
		return Order{1, ByAnnouncement, fmt.Sprintf("%s%s is not known yet, so it comes last", why, a.Version),
			apart}
	case b.FirstSeen.IsZero():
		return Order{-1, ByAnnouncement, fmt.Sprintf("%s%s is not known yet, so it comes last", why, b.Version),
			apart}
	}
	return Order{a.FirstSeen.Compare(b.FirstSeen), ByAnnouncement, why + "by when they were announced or first seen",
		apart}
}

// byVersion orders two releases by their versions. Where those do not decide,
// Why begins what does.
func byVersion(a, b Release, policy Policy) (_ Order, decided bool) {
	va, vb := Parse(a.Version), Parse(b.Version)
	switch {
	case OtherPackage(va, vb):
		why := fmt.Sprintf("%s and %s are versions of two packages", a.Version, b.Version)
		return Order{By: ByNothing, Why: why}, true
	case Comparable(va, vb):
		c := CompareVersions(va, vb)
		if c == 0 && va.Build != "" && vb.Build != "" && va.Build != vb.Build {
			return Order{Why: fmt.Sprintf("%s and %s are builds of one version; ", a.Version, b.Version)}, false
		}
		if c == 0 {
			return Order{By: BySame, Why: fmt.Sprintf("%s and %s are one version", a.Version, b.Version)}, true
		}
		return Order{Compare: c, By: ByVersion, Why: "by " + scheme(va, vb) + " version"}, policy != Announcement
	}
	why := fmt.Sprintf("%s and %s are no versions of one scheme; ", name(a, va), name(b, vb))
	if policy == Versions {
		return Order{By: ByNothing, Why: why + "the project orders releases by version alone"}, true
	}
	return Order{Why: why}, false
}

// byCommit orders two releases by their commits. Where those do not decide, Why
// begins what does.
func byCommit(a, b Release, policy Policy, of Ancestry) (_ Order, decided bool) {
	for _, r := range []Release{a, b} {
		if known(r, of) {
			continue
		}
		why := ""
		if policy == Commits {
			why = fmt.Sprintf("the commit of %s is not known here, and the project orders releases by commit alone", r.Version)
		}
		return Order{By: ByNothing, Why: why}, false
	}
	switch {
	case a.Commit == b.Commit:
		return Order{By: ByNothing, Why: "both were built from " + Short(a.Commit) + "; "}, false
	case of.Contains(b.Commit, a.Commit):
		return Order{Compare: -1, By: ByCommit,
			Why: fmt.Sprintf("%s descends from %s, by commit", Short(b.Commit), Short(a.Commit))}, true
	case of.Contains(a.Commit, b.Commit):
		return Order{Compare: 1, By: ByCommit,
			Why: fmt.Sprintf("%s descends from %s, by commit", Short(a.Commit), Short(b.Commit))}, true
	}
	return Order{By: ByNothing, Why: "they were built on different branches; ", Apart: true}, false
}

func known(r Release, of Ancestry) bool { return r.Commit != "" && of != nil && of.Has(r.Commit) }

// Short abbreviates a commit as people read it.
func Short(commit string) string { return commit[:min(len(commit), 10)] }

// scheme names what both versions are.
func scheme(a, b Version) string {
	if a.Scheme == b.Scheme {
		return string(a.Scheme)
	}
	return string(FourPart) // one of them has four numbers
}

// name gives a release with what it is.
func name(r Release, v Version) string {
	if v.Scheme == NoScheme {
		return fmt.Sprintf("%q (a name)", r.Version)
	}
	return fmt.Sprintf("%q (%s)", r.Version, v.Scheme)
}

// Sort puts a list into order, the oldest first, alike from whatever order it
// comes in. Compare alone cannot: with 1.0, blue and 2.0, of which 2.0 was seen
// first and 1.0 last, each comes after another. So all are put into the order
// they were first seen in; then, unless the project orders by announcement, the
// versions of each scheme into their order among the places they hold; and at
// last what another one descends from goes before it.
func Sort[T any](list []T, of func(T) Release, policy Policy, ancestry Ancestry) {
	slices.SortStableFunc(list, func(x, y T) int {
		a, b := of(x), of(y)
		return cmp.Or(compareBool(a.FirstSeen.IsZero(), b.FirstSeen.IsZero()), a.FirstSeen.Compare(b.FirstSeen),
			cmp.Compare(a.Version, b.Version))
	})
	if policy == Auto || policy == Versions {
		sortVersions(list, of)
	}
	if policy.ByCommit() && ancestry != nil {
		sortCommits(list, of, ancestry)
	}
}

func sortVersions[T any](list []T, of func(T) Release) {
	type member struct {
		value   T
		version Version
	}
	versions := make([]Version, len(list))
	packages := map[Scheme]map[string]bool{}
	for i, x := range list {
		v := Parse(of(x).Version)
		versions[i] = v
		if v.Package != "" {
			if packages[family(v)] == nil {
				packages[family(v)] = map[string]bool{}
			}
			packages[family(v)][v.Package] = true
		}
	}
	type group struct {
		family Scheme
		name   string
	}
	places, members := map[group][]int{}, map[group][]member{}
	for i, v := range versions {
		if v.Scheme == NoScheme {
			continue
		}
		g := group{family(v), v.Package}
		if len(packages[g.family]) < 2 { // with the package's name or without is one
			g.name = ""
		}
		places[g], members[g] = append(places[g], i), append(members[g], member{list[i], v})
	}
	for g, at := range places {
		slices.SortStableFunc(members[g], func(a, b member) int { return placeVersions(a.version, b.version) })
		for i, place := range at {
			list[place] = members[g][i].value
		}
	}
}

// family is the scheme whose order a version has.
func family(v Version) Scheme {
	if v.Scheme == FourPart {
		return Semantic
	}
	return v.Scheme
}

// sortCommits moves each release in front of the first that descends from it.
func sortCommits[T any](list []T, of func(T) Release, ancestry Ancestry) {
	hashes := make([]string, len(list))
	for i, x := range list {
		hashes[i] = Resolved(of(x), ancestry).Commit
	}
	contains := ancestry.Descent(hashes)
	var order []int
	for i := range list {
		to := slices.IndexFunc(order, func(j int) bool { return hashes[j] != hashes[i] && contains(j, i) })
		if to < 0 {
			to = len(order)
		}
		order = slices.Insert(order, to, i)
	}
	sorted := make([]T, len(list))
	for i, j := range order {
		sorted[i] = list[j]
	}
	copy(list, sorted)
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}
