// Package release orders the releases of a project: by their versions where
// both have one of a scheme that can be compared, else by when they were
// announced or first seen. A project may say which. The reason for an order is
// part of the answer.
package release

import (
	"cmp"
	"fmt"
	"slices"
	"time"
)

// Release is one release as far as ordering needs it.
type Release struct {
	Version   string
	FirstSeen time.Time // announced, or first seen in an event, whichever was earlier; zero: nothing was heard of it yet
}

// Policy says by what a project orders its releases.
type Policy string

// The policies.
const (
	Auto         Policy = ""             // by version where that is possible, else by announcement
	Versions     Policy = "versions"     // by version alone; what has none is not ordered
	Announcement Policy = "announcement" // by when they were announced or first seen
)

// Policies lists the policies, as people name them; the first is Auto.
var Policies = []string{"auto", string(Versions), string(Announcement)}

// By is what decided an order.
type By string

// What can decide an order.
const (
	BySame         By = "same"
	ByVersion      By = "version"
	ByAnnouncement By = "announcement"
	ByNothing      By = "nothing" // it is not known which comes first
)

// Order is how two releases stand to each other.
type Order struct {
	Compare int    // -1: the first comes before, 0: neither does, 1: it comes after
	By      By     // what decided
	Why     string // in words
}

// Compare orders a and b by a project's policy.
func Compare(a, b Release, policy Policy) Order {
	if a.Version == b.Version {
		return Order{0, BySame, "it is the same release"}
	}
	why := ""
	if policy != Announcement {
		va, vb := Parse(a.Version), Parse(b.Version)
		switch {
		case Comparable(va, vb):
			if c := CompareVersions(va, vb); c != 0 {
				return Order{c, ByVersion, "by " + scheme(va, vb) + " version"}
			}
			why = fmt.Sprintf("%s and %s are one version; ", a.Version, b.Version)
		default:
			why = fmt.Sprintf("%s and %s are no versions of one scheme; ", name(a, va), name(b, vb))
		}
		if policy == Versions {
			return Order{0, ByNothing, why + "the project orders releases by version alone"}
		}
	}
	switch {
	case a.FirstSeen.IsZero() && b.FirstSeen.IsZero():
		return Order{0, ByNothing, why + "nothing was heard of either yet"}
	case a.FirstSeen.IsZero():
		return Order{1, ByAnnouncement, fmt.Sprintf("%snothing was heard of %s yet, so it comes last", why, a.Version)}
	case b.FirstSeen.IsZero():
		return Order{-1, ByAnnouncement, fmt.Sprintf("%snothing was heard of %s yet, so it comes last", why, b.Version)}
	}
	return Order{a.FirstSeen.Compare(b.FirstSeen), ByAnnouncement, why + "by when they were announced or first seen"}
}

// scheme names what both versions are.
func scheme(a, b Version) string {
	if a.Scheme == b.Scheme {
		return string(a.Scheme)
	}
	return string(FourPart) // one of them has four numbers
}

// name tells a release with what it is.
func name(r Release, v Version) string {
	if v.Scheme == NoScheme {
		return fmt.Sprintf("%q (a name)", r.Version)
	}
	return fmt.Sprintf("%q (%s)", r.Version, v.Scheme)
}

// Sort puts a list into order, the oldest first, alike from whatever order it
// comes in. Compare alone cannot: with 1.0, blue and 2.0, of which 2.0 was seen
// first and 1.0 last, each comes after another. So all are put into the order
// they were first seen in, and then, unless the project orders by announcement,
// the versions of each scheme into their order among the places they hold.
func Sort[T any](list []T, of func(T) Release, policy Policy) {
	slices.SortStableFunc(list, func(x, y T) int {
		a, b := of(x), of(y)
		return cmp.Or(compareBool(a.FirstSeen.IsZero(), b.FirstSeen.IsZero()), a.FirstSeen.Compare(b.FirstSeen), cmp.Compare(a.Version, b.Version))
	})
	if policy == Announcement {
		return
	}
	type member struct {
		value   T
		version Version
	}
	places, members := map[Scheme][]int{}, map[Scheme][]member{}
	for i, x := range list {
		v := Parse(of(x).Version)
		s := v.Scheme
		if s == FourPart {
			s = Semantic // the two have one order
		}
		if s != NoScheme {
			places[s], members[s] = append(places[s], i), append(members[s], member{x, v})
		}
	}
	for s, at := range places {
		slices.SortStableFunc(members[s], func(a, b member) int { return CompareVersions(a.version, b.version) })
		for i, place := range at {
			list[place] = members[s][i].value
		}
	}
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
