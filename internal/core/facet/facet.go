// Package facet ranks attributes of events by how much their values say about the issue, and finds
// values that are far more common in some events than in others. It is pure.
package facet

import (
	"cmp"
	"math"
	"slices"
)

// Pair is what one event of a sample has: a value of an attribute and an issue, each by
// its number, from 0 without gaps.
type Pair struct{ Value, Issue int }

// Information is the mutual information between value and issue, in bits: what a sample
// shows, less what it would show if the same values and issues had met by chance (each
// value is dealt to the issue of another event). An attribute of which nearly every
// event has another value says nothing, and scores nothing.
func Information(sample []Pair) float64 {
	shown := information(sample)
	chance := 0.0
	for _, step := range []int{7919, 104_729} { // primes: each event gets the issue of one that is far away
		dealt := make([]Pair, len(sample))
		for i, p := range sample {
			dealt[i] = Pair{p.Value, sample[(i*step+step/3)%len(sample)].Issue}
		}
		chance += information(dealt) / 2
	}
	return max(0, shown-chance)
}

func information(sample []Pair) float64 {
	n := float64(len(sample))
	if n == 0 {
		return 0
	}
	values, issues, both := counts(sample)
	return (entropy(values, n) + entropy(issues, n) - entropy(both, n)) / math.Ln2
}

// counts says how often each value, each issue and each pair occurs. Numbers are small.
func counts(sample []Pair) (values, issues, both []int) {
	keys := make([]uint64, len(sample))
	for i, p := range sample {
		values, issues = count(values, p.Value), count(issues, p.Issue)
		keys[i] = uint64(p.Value)<<32 | uint64(p.Issue)
	}
	slices.Sort(keys)
	for i := range keys {
		if i == 0 || keys[i] != keys[i-1] {
			both = append(both, 0)
		}
		both[len(both)-1]++
	}
	return values, issues, both
}

func count(list []int, at int) []int {
	for at >= len(list) {
		list = append(list, 0)
	}
	list[at]++
	return list
}

// Diversity is how much an attribute's values differ, in bits.
func Diversity(sample []Pair) float64 {
	n := float64(len(sample))
	if n == 0 {
		return 0
	}
	values, _, _ := counts(sample)
	distinct := 0
	for _, c := range values {
		if c > 0 {
			distinct++
		}
	}
	if distinct > len(sample)/2 {
		return 0 // hardly two events are alike
	}
	return entropy(values, n) / math.Ln2
}

func entropy(counts []int, n float64) (h float64) {
	for _, c := range counts {
		if c > 0 {
			p := float64(c) / n
			h -= p * math.Log(p)
		}
	}
	return h
}

// Odd is a value that is more common here than elsewhere.
type Odd struct {
	Name, Value       string
	Here, HereOf      int64 // events with it, of so many that have the attribute or not
	Elsewhere, ElseOf int64
	Ratio             float64 // of the two shares; infinite ones are capped
	P                 float64 // corrected for how many values were looked at
}

// maxRatio means "never elsewhere".
const maxRatio = 1e6

// Promising says whether a value that so many events have here could stand out at all,
// if no event elsewhere had it, where so many values are looked at.
func Promising(here, hereOf, elseOf int64, looked int) bool {
	return Fisher(here, hereOf, 0, elseOf)*float64(looked) < significant
}

// Outstanding lists, of values with their counts, those that are more common here than
// chance would have it: by Fisher's exact test, one-sided, each p multiplied by how
// many values were looked at (Bonferroni). The least probable first, then the greatest
// ratio.
func Outstanding(list []Odd, looked int) []Odd {
	var out []Odd
	for _, o := range list {
		if o.HereOf == 0 || o.ElseOf == 0 {
			continue
		}
		here, there := float64(o.Here)/float64(o.HereOf), float64(o.Elsewhere)/float64(o.ElseOf)
		if here <= there {
			continue
		}
		o.Ratio = maxRatio
		if there > 0 {
			o.Ratio = math.Min(here/there, maxRatio)
		}
		o.P = math.Min(1, Fisher(o.Here, o.HereOf, o.Elsewhere, o.ElseOf)*float64(looked))
		if o.P < significant {
			out = append(out, o)
		}
	}
	slices.SortFunc(out, func(a, b Odd) int {
		return cmp.Or(
			cmp.Compare(a.P, b.P),
			cmp.Compare(b.Ratio, a.Ratio),
			cmp.Compare(a.Name, b.Name),
			cmp.Compare(a.Value, b.Value),
		)
	})
	return out
}

const significant = 0.01

// Fisher is the probability that chance puts at least so many events with a value
// here, if they were dealt out blindly (the upper tail of the hypergeometric
// distribution).
func Fisher(here, hereOf, elsewhere, elseOf int64) float64 {
	with, all := here+elsewhere, hereOf+elseOf
	term := math.Exp(choose(with, here) + choose(all-with, hereOf-here) - choose(all, hereOf))
	sum := 0.0
	for k := here; term > 0; k++ {
		sum += term
		if term < sum*1e-12 || k >= min(with, hereOf) {
			break
		}
		// From k to k+1: h(k+1)/h(k).
		term *= float64(with-k) / float64(k+1) * float64(hereOf-k) / float64(all-with-hereOf+k+1)
	}
	return math.Min(1, sum)
}

// choose is the logarithm of the number of ways to choose k of n.
func choose(n, k int64) float64 {
	if k < 0 || k > n {
		return math.Inf(-1)
	}
	a, _ := math.Lgamma(float64(n + 1))
	b, _ := math.Lgamma(float64(k + 1))
	c, _ := math.Lgamma(float64(n - k + 1))
	return a - b - c
}
