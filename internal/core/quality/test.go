package quality

import "math"

// fewExpected is how many crashes must be expected of each cell for the approximate
// test (Cochran's rule).
const fewExpected = 5

// TwoSided is the probability that two releases that crash equally often differ at least
// as much: the chi-square test with Yates' continuity correction, or below 5 expected
// Fisher's exact test, two-sided (Fleiss, Levin, Paik, "Statistical Methods for Rates and
// Proportions", 3rd ed., chapters 3.1 and 3.2). It holds for one look.
func TwoSided(bad, all, baseBad, baseAll int64) float64 {
	n, k := float64(all+baseAll), float64(bad+baseBad)
	if all == 0 || baseAll == 0 || k == 0 || k == n {
		return 1
	}
	least := math.Min(float64(all), float64(baseAll)) * math.Min(k, n-k) / n
	if least < fewExpected {
		return fisher(bad, all, baseBad, baseAll)
	}
	a, b := float64(bad), float64(all-bad)
	c, d := float64(baseBad), float64(baseAll-baseBad)
	off := math.Max(0, math.Abs(a*d-b*c)-n/2)
	chi := n * off * off / (float64(all) * float64(baseAll) * k * (n - k))
	return math.Erfc(math.Sqrt(chi / 2))
}

// fisher adds up the probabilities of all tables with the same margins that are no more
// probable than this one.
func fisher(bad, all, baseBad, baseAll int64) float64 {
	k := bad + baseBad
	n := all + baseAll
	low, high := max(0, k-baseAll), min(k, all)
	log := func(x int64) float64 { return choose(all, x) + choose(baseAll, k-x) - choose(n, k) }
	here := log(bad) + 1e-9 // equal ones differ by rounding
	p := 0.0
	for x := low; x <= high; x++ {
		if l := log(x); l <= here {
			p += math.Exp(l)
		}
	}
	return math.Min(1, p)
}

// choose is the logarithm of n over k.
func choose(n, k int64) float64 {
	g := func(x int64) float64 { v, _ := math.Lgamma(float64(x + 1)); return v }
	return g(n) - g(k) - g(n-k)
}

// spread is how far the ratio of two crash rates is expected to be from one, as the
// standard deviation of its logarithm: a release that crashes 1.5 times as often lies one
// spread away.
const spread = 0.4

// Sequential is a probability that holds however often one looks at growing counts, and
// whenever one stops: the mixture sequential probability ratio test with a normal mixture
// over the logarithm of the ratio of the rates (Robbins, "Statistical methods related to
// the law of the iterated logarithm", Ann. Math. Stat. 41, 1970; Johari, Pekelis, Walsh,
// "Always valid inference", 2015). Its z comes from TwoSided, whose correction makes it
// careful where few sessions crash. It is never smaller than TwoSided.
func Sequential(bad, all, baseBad, baseAll int64) float64 {
	p := TwoSided(bad, all, baseBad, baseAll)
	if p >= 1 {
		return 1
	}
	rate := float64(bad+baseBad) / float64(all+baseAll)
	// Of the logarithm of the ratio, where both rates are equal.
	variance := (1 - rate) / rate * (1/float64(all) + 1/float64(baseAll))
	z := quantile(p)
	grown := variance + spread*spread
	log := 0.5*math.Log(variance/grown) + z*z*spread*spread/(2*grown)
	return math.Max(p, math.Min(1, math.Exp(-log)))
}

// quantile is the z of a two-sided p.
func quantile(p float64) float64 {
	if p < 1e-300 {
		return 37 // further than doubles tell
	}
	return math.Sqrt2 * math.Erfcinv(p)
}

// Ratio is how many times as large one rate is as another, with a 95 % interval.
type Ratio struct{ Value, Low, High float64 }

// RatioOf compares two rates, by the logarithm of their ratio with half an event added to
// each count (Katz, Baptista, Azen, Pike, Biometrics 34, 1978; Walter, 1975). Without
// sessions it is 0 with an interval that is open above.
func RatioOf(k, n, baseK, baseN int64) Ratio {
	if n == 0 || baseN == 0 {
		return Ratio{0, 0, math.MaxFloat64}
	}
	a, b := float64(k)+0.5, float64(baseK)+0.5
	an, bn := float64(n)+0.5, float64(baseN)+0.5
	value := a / an / (b / bn)
	half := z95 * math.Sqrt(math.Max(0, 1/a-1/an+1/b-1/bn))
	return Ratio{value, value * math.Exp(-half), value * math.Exp(half)}
}

// RateRatio is RatioOf for events that may come more than once a session: counts of rare
// events (Poisson) in so many sessions each.
func RateRatio(k, n, baseK, baseN int64) Ratio {
	if n == 0 || baseN == 0 {
		return Ratio{0, 0, math.MaxFloat64}
	}
	a, b := float64(k)+0.5, float64(baseK)+0.5
	value := a / float64(n) / (b / float64(baseN))
	half := z95 * math.Sqrt(1/a+1/b)
	return Ratio{value, value * math.Exp(-half), value * math.Exp(half)}
}
