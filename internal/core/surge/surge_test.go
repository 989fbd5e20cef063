package surge

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
)

var nine = time.Date(2026, 11, 30, 9, 30, 0, 0, time.UTC)

// past is so many events in each hour of two weeks, as a function of the hour of the day.
func past(each func(clock int64) int64) (out []PastHour) {
	now := nine.Unix() / 3600
	for h := now - PastDays*24; h < now-1; h++ {
		out = append(out, PastHour{h, each(h % 24)})
	}
	return out
}

func TestTest(t *testing.T) {
	steady := past(func(int64) int64 { return 10 })
	days := past(func(clock int64) int64 {
		if clock >= 7 && clock < 20 {
			return 60
		}
		return 1
	})
	old := nine.AddDate(0, -3, 0)
	for name, c := range map[string]struct {
		f       Facts
		already bool
		surges  bool
		text    string
	}{
		"as always":                     {Facts{Events: 12, Users: 9, Past: steady, Since: old}, false, false, ""},
		"eight times as often":          {Facts{Events: 80, Users: 40, Past: steady, Since: old}, false, true, "80 events in the last hour, where 10 are usual"},
		"twice is no surge":             {Facts{Events: 25, Users: 20, Past: steady, Since: old}, false, false, ""},
		"below the floor":               {Facts{Events: 19, Users: 19, Since: old}, false, false, ""},
		"out of nothing":                {Facts{Events: 24, Users: 19, Since: old}, false, true, "where none are usual"},
		"one user in a loop":            {Facts{Events: 4000, Users: 1, Past: steady, Since: old}, false, false, ""},
		"users are not told":            {Facts{Events: 400, Users: -1, Past: steady, Since: old}, false, true, "400 events"},
		"a morning after a night":       {Facts{Events: 70, Users: 50, Past: days, Since: old}, false, false, ""},
		"as much at night":              {Facts{Now: nine.Add(-7 * time.Hour), Events: 70, Users: 50, Past: days, Since: old}, false, false, ""}, // twice the mean of all hours
		"more than a morning has":       {Facts{Events: 200, Users: 90, Past: days, Since: old}, false, true, "where 59 are usual"},
		"new, at once often":            {Facts{Events: 50, Users: 30, Since: nine.Add(-20 * time.Minute)}, false, true, "where none are usual"},
		"a share of the sessions":       {Facts{Events: 12, Users: 11, Past: steady, Since: old, Sessions: 100, Hit: 11}, false, true, "it hits 11 % of the 100 sessions of the last hour"},
		"a share of few sessions":       {Facts{Events: 12, Users: 11, Past: steady, Since: old, Sessions: 49, Hit: 11}, false, false, ""},
		"goes on at half the threshold": {Facts{Events: 18, Users: 9, Past: past(func(int64) int64 { return 3 }), Since: old}, true, true, "18 events"},
		"but does not begin there":      {Facts{Events: 18, Users: 9, Past: past(func(int64) int64 { return 3 }), Since: old}, false, false, ""},
		"is over":                       {Facts{Events: 11, Users: 9, Past: steady, Since: old}, true, false, ""},
	} {
		if c.f.Now.IsZero() {
			c.f.Now = nine
		}
		v := Test(c.f, Default, c.already)
		if v.Surges != c.surges || !strings.Contains(v.Text, c.text) || v.Surges == (v.Text == "") {
			t.Errorf("%s: %+v, want %v %q", name, v, c.surges, c.text)
		}
	}
	ten := Default
	ten.Minutes = 10
	if v := Test(Facts{Now: nine, Events: 25, Users: 20, Past: steady, Since: old}, ten, false); !v.Surges || math.Abs(v.Usual-10.0/6) > 0.1 || !strings.Contains(v.Text, "the last 10 minutes") {
		t.Errorf("within ten minutes: %+v", v)
	}
}

// What comes by chance alone, at a steady rate, is called a surge as seldom as
// the odds say.
func TestTest_ByChance(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	th := Default
	th.Events, th.Times, th.Odds = 1, 1, 0.01
	for _, mean := range []float64{2, 10, 100} {
		poisson := func() (n int64) {
			for p, l := r.Float64(), math.Exp(-mean); p > l; p *= r.Float64() {
				n++
			}
			return n
		}
		false1 := 0
		const tries = 3000
		for range tries {
			f := Facts{Now: nine, Events: poisson(), Users: -1, Since: nine.AddDate(0, -1, 0), Past: past(func(int64) int64 { return poisson() })}
			if Test(f, th, false).Surges {
				false1++
			}
		}
		if share := float64(false1) / tries; share > 0.015 {
			t.Errorf("mean %v: %.3f of what is chance is called a surge, want at most 0.01", mean, share)
		}
	}
}

func TestCheck(t *testing.T) {
	if err := Default.Check(); err != nil {
		t.Fatal(err)
	}
	for name, change := range map[string]func(*Thresholds){
		"minutes": func(t *Thresholds) { t.Minutes = 15 }, "no minutes": func(t *Thresholds) { t.Minutes = 0 }, "events": func(t *Thresholds) { t.Events = 0 }, "users": func(t *Thresholds) { t.Users = -1 }, "times": func(t *Thresholds) { t.Times = math.NaN() },
		"odds": func(t *Thresholds) { t.Odds = 0 }, "share": func(t *Thresholds) { t.Share = 1.5 }, "no share": func(t *Thresholds) { t.Share = math.NaN() }, "sessions": func(t *Thresholds) { t.Sessions = 0 },
	} {
		th := Default
		change(&th)
		if th.Check() == nil {
			t.Errorf("%s: %+v is taken", name, th)
		}
	}
}
