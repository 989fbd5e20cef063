// Package silence interprets the absence of an issue: whether its fix holds, with what probability, or
// whether it stopped by itself.
package silence

import (
	"fmt"
	"math"

	"firethorn/internal/core/text"
)

// Runs is how often something could happen, and how often it did: sessions of
// an application and those that an issue hit, or days and those on which it was
// seen.
type Runs struct {
	All, Hit int64
	What     string // "session" or "day"
}

// Chance is how likely it is to see nothing in so many more runs when nothing
// has changed. How often it happens is not known but estimated from the runs
// before; what is estimated from few runs says little, so the chance is taken
// over all rates, weighed by Jeffreys' prior and the runs: the beta-binomial
// distribution at 0.
func (r Runs) Chance(since int64) float64 {
	if since <= 0 || r.All <= 0 {
		return 1
	}
	hit := min(r.Hit, r.All)
	a, b := float64(hit)+0.5, float64(r.All-hit)+0.5
	return math.Exp(logBeta(a, b+float64(since)) - logBeta(a, b))
}

func logBeta(a, b float64) float64 {
	x, _ := math.Lgamma(a)
	y, _ := math.Lgamma(b)
	z, _ := math.Lgamma(a + b)
	return x + y - z
}

// Thresholds of what is said.
const (
	leastHolding = 0.5   // odds below which a fix is not yet said to be holding
	Holds        = 0.95  // odds from which it is news
	quietBelow   = 0.005 // chance below which an issue has gone quiet
	leastQuiet   = 2     // days without it
)

// Holding is what the silence after a fix says.
type Holding struct {
	Odds float64 `json:"odds"` // 0 to 1: how unlikely the silence would be without the fix
	Text string  `json:"words"`
}

// OfFix says whether a fix holds: before is the time without it, since counts
// the runs with it, in which the issue was not seen. There is no Holding where
// nothing is known of either.
func OfFix(before Runs, since int64) (Holding, bool) {
	if before.All <= 0 || before.Hit <= 0 {
		return Holding{}, false
	}
	odds := 1 - before.Chance(since)
	rate := fmt.Sprintf("before, %s of %s had it", text.Number(before.Hit), text.Counted(before.All, before.What))
	switch {
	case since == 0:
		return Holding{0, fmt.Sprintf("no %s with the fix yet; %s", before.What, rate)}, true
	case odds < leastHolding:
		return Holding{odds,
				fmt.Sprintf("too early to say: not seen in %s with the fix; %s", text.Counted(since, before.What),
					rate)},
			true
	}
	return Holding{odds,
		fmt.Sprintf("the fix is holding, %s: not seen in %s with it; %s", Percent(odds),
			text.Counted(since, before.What), rate)}, true
}

// Quiet says whether an issue that nobody fixed has stopped: it was seen on hit
// of all days, and then not on so many. It says "" when it has not.
func Quiet(all, hit, silent int64) string {
	r := Runs{All: all, Hit: hit}
	if silent < leastQuiet || hit < 3 || r.Chance(silent) >= quietBelow {
		return ""
	}
	return fmt.Sprintf("gone quiet: not seen for %s, after it was seen on %d of %d days", text.Counted(silent, "day"), hit, all)
}

// Percent writes odds, never as certain.
func Percent(odds float64) string {
	p := 100 * odds
	switch {
	case p >= 99.9:
		return "over 99.9 %"
	case p >= 99:
		return fmt.Sprintf("%.1f %%", math.Floor(p*10)/10)
	}
	return fmt.Sprintf("%.0f %%", math.Floor(p))
}
