package quality_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"firethorn/internal/core/quality"
)

func near(a, b, within float64) bool { return math.Abs(a-b) <= within }

// Intervals of Newcombe, "Two-sided confidence intervals for the single proportion",
// Statistics in Medicine 17, 1998, table I, method 3.
func TestWilson(t *testing.T) {
	for _, x := range []struct {
		k, n      int64
		low, high float64
	}{{81, 263, 0.2553, 0.3662}, {15, 148, 0.0624, 0.1605}, {0, 20, 0, 0.1611}, {1, 29, 0.0061, 0.1718}, {29, 29, 0.8830, 1}} {
		s := quality.Wilson(x.k, x.n)
		if !near(s.Low, x.low, 5e-5) || !near(s.High, x.high, 5e-5) || !near(s.Share, float64(x.k)/float64(x.n), 1e-12) {
			t.Errorf("%d of %d: %+v, want from %v to %v", x.k, x.n, s, x.low, x.high)
		}
	}
	if s := quality.Wilson(0, 0); s != (quality.Share{Low: 0, High: 1}) {
		t.Errorf("of nothing: %+v", s)
	}
}

// Wilson's interval holds what it promises.
func TestWilson_CoversTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 1))
	for _, p := range []float64{0.005, 0.02, 0.3} {
		in := 0
		for range 2000 {
			s := quality.Wilson(binomial(r, 1500, p), 1500)
			if s.Low <= p && p <= s.High {
				in++
			}
		}
		if share := float64(in) / 2000; share < 0.935 || share > 0.97 {
			t.Errorf("the truth %v lies in %v of the intervals", p, share)
		}
	}
}

func binomial(r *rand.Rand, n int, p float64) (k int64) {
	for range n {
		if r.Float64() < p {
			k++
		}
	}
	return k
}

// Fisher's tea: 3 of 4 beside 1 of 4 has p = 0.4857; and a table of Fleiss with the
// corrected chi-square.
func TestTwoSided(t *testing.T) {
	for _, x := range []struct {
		a, n, b, m int64
		want       float64
	}{{3, 4, 1, 4, 0.485714}, {0, 10, 5, 10, 0.032508}, {10, 100, 25, 100, 0.0092747}, {5, 100, 5, 100, 1}, {0, 100, 0, 100, 1}, {7, 7, 9, 9, 1}} {
		if p := quality.TwoSided(x.a, x.n, x.b, x.m); !near(p, x.want, 1e-4) {
			t.Errorf("%d of %d beside %d of %d: p %v, want %v", x.a, x.n, x.b, x.m, p, x.want)
		}
	}
}

// counts are sessions of which some crashed.
func counts(crashed, ended int64) quality.Counts {
	return quality.Counts{Crashed: crashed, Clean: ended - crashed}
}

// A project may count cut-off sessions as crashed: a release whose sessions hang is worse
// then, and the verdict says what it counts.
func TestCompare_CutOffSessions(t *testing.T) {
	hangs := quality.Counts{Clean: 9_000, CutOff: 1_000}
	base := quality.Counts{Clean: 9_990, CutOff: 10}
	if v := quality.Compare(hangs, base, false); v.Result != quality.NoDifference {
		t.Errorf("cut-off sessions do not count: %+v", v)
	}
	v := quality.Compare(hangs, base, true)
	if v.Result != quality.Worse || v.Why != "1,000 of 10,000 sessions crashed or were cut off (10.00 %), 10 of 10,000 of the baseline (0.10 %)" {
		t.Errorf("cut-off sessions count: %+v", v)
	}
}

func TestCompare(t *testing.T) {
	for _, x := range []struct {
		bad, all, baseBad, baseAll int64
		want                       quality.Result
	}{
		{1, 40, 0, 10_000, quality.TooEarly}, {50, 1000, 1, 99, quality.TooEarly}, {0, 1000, 0, 1000, quality.NoDifference},
		{10, 1000, 10, 1000, quality.NoDifference}, {60, 1000, 10, 1000, quality.Worse}, {10, 1000, 60, 1000, quality.Better},
		{1000, 1000, 1000, 1000, quality.NoDifference}, {1000, 1000, 0, 1000, quality.Worse},
	} {
		v := quality.Compare(counts(x.bad, x.all), counts(x.baseBad, x.baseAll), false)
		if v.Result != x.want || v.Why == "" || v.P < 0 || v.P > 1 || v.P < quality.TwoSided(x.bad, x.all, x.baseBad, x.baseAll) && v.Result != quality.TooEarly {
			t.Errorf("%+v: %+v", x, v)
		}
	}
}

// A simulator with known truth: the base crashes in 1 % of its sessions, the release as
// often, 1.5 times and 0.7 times as often. People look 100 times, after each 300 sessions
// of the release (and as many of the base). The first verdict that is no "no difference"
// is taken for the answer.
func TestCompare_Simulated(t *testing.T) {
	const runs, looks, between, base = 200, 100, 300, 0.01
	r := rand.New(rand.NewPCG(36, 2))
	for _, x := range []struct {
		times    float64
		want     quality.Result
		atLeast  float64 // share of runs that say so
		falsely  quality.Result
		atFalsly float64
	}{{1, quality.NoDifference, 0.95, "", 0}, {1.5, quality.Worse, 0.95, quality.Better, 0.01}, {0.7, quality.Better, 0.7, quality.Worse, 0.01}} {
		said := map[quality.Result]int{}
		var after []int
		for range runs {
			var bad, baseBad int64
			says := quality.TooEarly
			for look := 1; look <= looks; look++ {
				bad += binomial(r, between, base*x.times)
				baseBad += binomial(r, between, base)
				says = quality.Compare(counts(bad, int64(look*between)), counts(baseBad, int64(look*between)), false).Result
				if says == quality.Better || says == quality.Worse {
					after = append(after, look*between)
					break
				}
			}
			said[says]++
		}
		slices.Sort(after)
		middle := 0
		if len(after) > 0 {
			middle = after[len(after)/2]
		}
		t.Logf("%.1f times as often: %v; half of those that saw a difference did so after %d sessions", x.times, said, middle)
		if share := float64(said[x.want]) / runs; share < x.atLeast {
			t.Errorf("%.1f times as often: %q in %.0f %% of the runs, want %.0f", x.times, x.want, 100*share, 100*x.atLeast)
		}
		if x.falsely != "" && float64(said[x.falsely])/runs > x.atFalsly {
			t.Errorf("%.1f times as often: %q in %d runs", x.times, x.falsely, said[x.falsely])
		}
	}
}

func TestRatioOf(t *testing.T) {
	x := quality.RatioOf(150, 10_000, 100, 10_000)
	if !near(x.Value, 1.4975, 1e-3) || !near(x.Low, 1.165, 0.01) || !near(x.High, 1.925, 0.01) {
		t.Errorf("%+v", x)
	}
	if x := quality.RatioOf(0, 0, 5, 10); x.Value != 0 || x.Low != 0 {
		t.Errorf("without sessions: %+v", x)
	}
}

// Quantiles from buckets are those of the values, within the width of a bucket.
func TestDurations(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 3))
	var all []float64
	d := quality.Durations{}
	for range 20_000 {
		ms := int64(math.Exp(r.NormFloat64()*2 + 8))
		all = append(all, float64(ms))
		d[quality.Bucket(ms)]++
	}
	slices.Sort(all)
	for _, q := range []float64{0.01, 0.5, 0.95, 1} {
		want := all[int(q*float64(len(all)-1))]
		if got := d.Quantile(q); math.Abs(got-want) > 0.033*want+0.5 {
			t.Errorf("quantile %v: %v, want %v", q, got, want)
		}
	}
	if got := (quality.Durations{}).Quantile(0.5); got != 0 {
		t.Errorf("of nothing: %v", got)
	}
	last := -1
	for ms := int64(0); ms < 1<<36; ms += 1 + ms/50 {
		b := quality.Bucket(ms)
		if b < last || b > 700 {
			t.Fatalf("%d ms: bucket %d after %d", ms, b, last)
		}
		last = b
	}
}
