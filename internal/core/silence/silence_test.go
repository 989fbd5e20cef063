package silence

import (
	"math"
	"math/rand/v2"
	"testing"
)

// With much known of the rate, the chance is that of so many runs without it.
func TestChance(t *testing.T) {
	for _, c := range []struct {
		r     Runs
		since int64
		want  float64
	}{
		{Runs{All: 1_000_000, Hit: 10_000}, 100, math.Pow(0.99, 100)},
		{Runs{All: 100_000, Hit: 50_000}, 3, 0.125},
		{Runs{All: 1000, Hit: 1}, 0, 1}, {Runs{}, 50, 1},
	} {
		if got := c.r.Chance(c.since); math.Abs(got-c.want) > 0.002 {
			t.Errorf("%+v, %d: %f, want %f", c.r, c.since, got, c.want)
		}
	}
	few, many := Runs{All: 10, Hit: 1}.Chance(30), Runs{All: 1000, Hit: 100}.Chance(30)
	if few <= many {
		t.Errorf("ten runs say as much as a thousand: %f, %f", few, many)
	}
}

// What is called 90 % or more is right as often: of fixes that do nothing, at
// most one in ten is said to hold with 90 %, for any rate.
func TestOdds_AreHonest(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	draw := func(n int64, p float64) (hit int64) {
		for range n {
			if rng.Float64() < p {
				hit++
			}
		}
		return hit
	}
	wrong, silent := 0, 0
	const tries = 20_000
	for range tries {
		p := math.Pow(rng.Float64(), 3)
		before := Runs{All: 200, Hit: draw(200, p), What: "session"}
		since := int64(1 + rng.IntN(400))
		if before.Hit == 0 || draw(since, p) > 0 {
			continue
		}
		silent++
		if h, _ := OfFix(before, since); h.Odds >= 0.9 {
			wrong++
		}
	}
	if silent < 500 || wrong > tries/10 {
		t.Errorf("%d of %d fixes that do nothing are said to hold (%d were silent)", wrong, tries, silent)
	}
}

func TestOfFix_Words(t *testing.T) {
	for want, c := range map[string]struct {
		before Runs
		since  int64
	}{
		"the fix is holding, 97 %: not seen in 1,204 sessions with it; before, 32 of 9,840 sessions had it":       {Runs{9840, 32, "session"}, 1204},
		"too early to say: not seen in 1 day with the fix; before, 3 of 9 days had it":                            {Runs{9, 3, "day"}, 1},
		"no session with the fix yet; before, 1 of 40 sessions had it":                                            {Runs{40, 1, "session"}, 0},
		"the fix is holding, over 99.9 %: not seen in 40,000 sessions with it; before, 50 of 100 sessions had it": {Runs{100, 50, "session"}, 40000},
	} {
		if h, ok := OfFix(c.before, c.since); !ok || h.Text != want {
			t.Errorf("%q, want %q", h.Text, want)
		}
	}
	if h, ok := OfFix(Runs{100, 0, "session"}, 50); ok {
		t.Errorf("nothing is known of how often it was, and it says %q", h.Text)
	}
}

func TestQuiet(t *testing.T) {
	for _, c := range []struct {
		all, hit, silent int64
		want             string
	}{
		{14, 14, 3, "gone quiet: not seen for 3 days, after it was seen on 14 of 14 days"},
		{14, 14, 1, ""}, {14, 2, 30, ""}, {20, 5, 4, ""}, {20, 5, 40, "gone quiet: not seen for 40 days, after it was seen on 5 of 20 days"},
	} {
		if got := Quiet(c.all, c.hit, c.silent); got != c.want {
			t.Errorf("%+v: %q", c, got)
		}
	}
}
