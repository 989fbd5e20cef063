// Package quality compares the sessions of releases: shares with intervals, a sequential test that may
// be evaluated at any time, and durations from buckets. It is pure.
package quality

import (
	"fmt"
	"math"

	"firethorn/internal/core/text"
)

// Counts are sessions by how they ended. Running ones are in no share.
type Counts struct {
	Clean, Faulty, Crashed, CutOff, Running int64
}

// Ended is how many sessions ended, or were not heard of any more.
func (c Counts) Ended() int64 { return c.Clean + c.Faulty + c.Crashed + c.CutOff }

// Bad is how many sessions count as crashed: those that crashed, and where a project wants
// it so those that were cut off.
func (c Counts) Bad(cutOff bool) int64 {
	if cutOff {
		return c.Crashed + c.CutOff
	}
	return c.Crashed
}

// All is how many sessions there are, with those that still run.
func (c Counts) All() int64 { return c.Ended() + c.Running }

// Add adds other counts.
func (c *Counts) Add(o Counts) {
	c.Clean += o.Clean
	c.Faulty += o.Faulty
	c.Crashed += o.Crashed
	c.CutOff += o.CutOff
	c.Running += o.Running
}

// Share is a share with its 95 % interval. Where nothing was counted it is 0 with an
// interval from 0 to 1.
type Share struct{ Share, Low, High float64 }

// z95 is the quantile of the normal distribution for a two-sided interval of 95 %.
const z95 = 1.959963984540054

// Wilson gives the share of k in n with its 95 % score interval (Wilson, "Probable
// inference, the law of succession, and statistical inference", JASA 22, 1927).
func Wilson(k, n int64) Share {
	if n <= 0 {
		return Share{0, 0, 1}
	}
	p, m := float64(k)/float64(n), float64(n)
	middle := (p + z95*z95/(2*m)) / (1 + z95*z95/m)
	half := z95 / (1 + z95*z95/m) * math.Sqrt(p*(1-p)/m+z95*z95/(4*m*m))
	return Share{p, math.Max(0, middle-half), math.Min(1, middle+half)}
}

// Result is a verdict about a release beside its baseline.
type Result string

// The verdicts.
const (
	Better       Result = "better"
	Worse        Result = "worse"
	NoDifference Result = "no difference"
	TooEarly     Result = "too early"
)

// MinSessions is how many sessions of each release must have ended before they are
// compared.
const MinSessions = 100

// Level is the probability below which a difference is called one.
const Level = 0.01

// Verdict is what can be said of two releases.
type Verdict struct {
	Result Result
	P      float64 // however often one looks: see Sequential
	// Ratio is how many times as often sessions of the release crash as those of the
	// baseline, with a 95 % interval.
	Ratio Ratio
	Why   string
}

// Compare says whether sessions of a release crash more or less often than those of its
// baseline. Cut-off sessions count as crashed if cutOff says so.
func Compare(release, baseline Counts, cutOff bool) Verdict {
	bad, all := release.Bad(cutOff), release.Ended()
	baseBad, baseAll := baseline.Bad(cutOff), baseline.Ended()
	v := Verdict{Result: TooEarly, P: 1, Ratio: RatioOf(bad, all, baseBad, baseAll)}
	if all < MinSessions || baseAll < MinSessions {
		v.Why = fmt.Sprintf("%s of the release ended, and %s of the baseline; a verdict needs %d of each",
			text.Counted(all, "session"), text.Number(baseAll), MinSessions)
		return v
	}
	crashed := "crashed"
	if cutOff {
		crashed = "crashed or were cut off"
	}
	here, there := float64(bad)/float64(all), float64(baseBad)/float64(baseAll)
	counts := fmt.Sprintf("%s of %s sessions %s (%s), %s of %s of the baseline (%s)", text.Number(bad),
		text.Number(all), crashed, percent(here), text.Number(baseBad), text.Number(baseAll), percent(there))
	v.P = Sequential(bad, all, baseBad, baseAll)
	switch {
	case v.P >= Level:
		v.Result, v.Why = NoDifference, counts+": chance alone may do that"
	case here > there:
		v.Result, v.Why = Worse, counts
	default:
		v.Result, v.Why = Better, counts
	}
	return v
}

func percent(share float64) string { return fmt.Sprintf("%.2f %%", 100*share) }
