// Package together finds issues that occur together more often than chance predicts: for the same
// user, in the same session or trace, within a minute.
//
// Input are occurrences with their times; output is who is near, against
// chance. Pure.
package together

import (
	"cmp"
	"math"
	"slices"
	"time"

	"firethorn/internal/core/chance"
)

// Within is how near two occurrences are that happen together.
const Within = time.Minute

// Occurrence is one event of an issue.
type Occurrence struct {
	Issue   int64
	Thrown  time.Time
	User    int64 // 0: nobody is known
	Session string
	Trace   string
}

// Near is an issue that happens together with another one.
type Near struct {
	Issue    int64
	With     int           // occurrences of the issue asked about that it is near to
	Of       int           // that were looked at
	ByChance float64       // how many it would be near to by chance
	Gap      time.Duration // the middle one of the gaps; negative: it comes before
	By       string        // "trace", "session" or "user": the closest tie that most have
}

const (
	leastWith = 3
	leastOdds = 1e-4 // the chance that as many would be near by chance
	maxListed = 10
)

// Find compares occurrences of one issue with those of others that have their
// users, sessions or traces. span is the time in which the others were looked
// for.
func Find(of, others []Occurrence, span time.Duration) []Near {
	byTie := map[string][]Occurrence{}
	for _, o := range others {
		for _, tie := range ties(o) {
			byTie[tie.key] = append(byTie[tie.key], o)
		}
	}
	type found struct {
		with   int
		chance float64
		gaps   []time.Duration
		by     map[string]int
	}
	all := map[int64]*found{}
	for _, a := range of {
		near, rate := map[int64]time.Duration{}, map[int64]float64{}
		by := map[int64]string{}
		for _, tie := range ties(a) { // the closest tie first
			for _, b := range byTie[tie.key] {
				if b.Issue == a.Issue {
					continue
				}
				rate[b.Issue] += 2 * Within.Seconds() / max(span.Seconds(), 1)
				gap := b.Thrown.Sub(a.Thrown)
				if gap.Abs() > Within {
					continue
				}
				if old, ok := near[b.Issue]; !ok || gap.Abs() < old.Abs() {
					near[b.Issue] = gap
				}
				if by[b.Issue] == "" {
					by[b.Issue] = tie.name
				}
			}
		}
		for issue, r := range rate {
			f := all[issue]
			if f == nil {
				f = &found{by: map[string]int{}}
				all[issue] = f
			}
			f.chance += 1 - math.Exp(-r)
			if gap, ok := near[issue]; ok {
				f.with++
				f.gaps = append(f.gaps, gap)
				f.by[by[issue]]++
			}
		}
	}
	var out []Near
	for issue, f := range all {
		if f.with < leastWith || chance.AtLeast(int64(f.with), f.chance) > leastOdds {
			continue
		}
		slices.Sort(f.gaps)
		n := Near{Issue: issue, With: f.with, Of: len(of), ByChance: f.chance, Gap: f.gaps[len(f.gaps)/2]}
		for _, name := range []string{"trace", "session", "user"} {
			if n.By == "" || f.by[name] > f.by[n.By] {
				n.By = name
			}
		}
		out = append(out, n)
	}
	slices.SortFunc(out, func(a, b Near) int {
		return cmp.Or(cmp.Compare(b.With, a.With), cmp.Compare(a.Issue, b.Issue))
	})
	return out[:min(len(out), maxListed)]
}

type tie struct{ name, key string }

// ties are what an occurrence shares with others, the closest first.
func ties(o Occurrence) (out []tie) {
	if o.Trace != "" {
		out = append(out, tie{"trace", "t" + o.Trace})
	}
	if o.Session != "" {
		out = append(out, tie{"session", "s" + o.Session})
	}
	if o.User != 0 {
		var b [9]byte
		b[0] = 'u'
		for i := range 8 {
			b[i+1] = byte(o.User >> (8 * i))
		}
		out = append(out, tie{"user", string(b[:])})
	}
	return out
}
