package moved

import (
	"fmt"
	"slices"

	"firethorn/internal/core/fingerprint"
)

// maxAlike is how many fingerprints with one type and function name are
// compared: beyond, nobody can tell which of them moved.
const maxAlike = 100

// Seen is a fingerprint as events of one release have it.
type Seen struct {
	Key     fingerprint.Key
	Release string
	Origin  Origin
}

// Followed says which fingerprint a new one follows, and why.
type Followed struct {
	Key      fingerprint.Key // the oldest one of the bug
	From, To Function
	Release  string  // in which the function moved, as far as events tell
	Like     float64 // how much of its text stayed the same
}

// String says it as an issue's history does.
func (f Followed) String() string {
	return fmt.Sprintf("followed: %s moved from %s to %s in %s", f.To.Name, f.From.Module, f.To.Module, f.Release)
}

// Code is what is known of releases.
type Code interface {
	// Before says whether release a comes before b.
	Before(a, b string) bool
	// Sources are those of a release.
	Sources(release string) Sources
}

// span is a fingerprint over all its releases.
type span struct {
	key         fingerprint.Key
	first, last Seen
}

// Group finds out which of the fingerprints that were seen follow others,
// whatever their order. It gives only those that do.
func Group(all []Seen, code Code) map[fingerprint.Key]Followed {
	groups, order := map[string][]*span{}, []string(nil)
	byKey := map[fingerprint.Key]*span{}
	for _, s := range all {
		x := byKey[s.Key]
		if x == nil {
			x = &span{s.Key, s, s}
			byKey[s.Key] = x
			if groups[s.Origin.Stays] == nil {
				order = append(order, s.Origin.Stays)
			}
			groups[s.Origin.Stays] = append(groups[s.Origin.Stays], x)
			continue
		}
		if code.Before(s.Release, x.first.Release) {
			x.first = s
		}
		if code.Before(x.last.Release, s.Release) {
			x.last = s
		}
	}
	out := map[fingerprint.Key]Followed{}
	for _, stays := range order {
		if list := groups[stays]; len(list) > 1 && len(list) <= maxAlike {
			follow(list, code, out)
		}
	}
	return out
}

// follow compares fingerprints that differ in places alone, the older first.
func follow(list []*span, code Code, out map[fingerprint.Key]Followed) {
	slices.SortStableFunc(list, func(a, b *span) int {
		switch {
		case code.Before(a.first.Release, b.first.Release):
			return -1
		case code.Before(b.first.Release, a.first.Release):
			return 1
		}
		return 0
	})
	root := func(k fingerprint.Key) fingerprint.Key {
		if f, ok := out[k]; ok {
			return f.Key // what it follows was followed to its end before
		}
		return k
	}
	for i, now := range list {
		found := map[fingerprint.Key]Followed{}
		for _, then := range list[:i] {
			if !code.Before(then.last.Release, now.first.Release) {
				continue
			}
			step := Step{Now: now.first.Origin, Then: then.last.Origin, Newer: code.Sources(now.first.Release),
				Older: code.Sources(then.last.Release)}
			if from, to, like, ok := step.Follows(); ok {
				found[root(then.key)] = Followed{root(then.key), from, to, now.first.Release, like}
			}
		}
		if len(found) == 1 {
			for _, f := range found {
				out[now.key] = f
			}
		}
	}
}
