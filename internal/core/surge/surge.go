// Package surge detects surges: far more events in the last minutes than the issue's own past
// predicts, or a large share of sessions affected. docs/impact.md states the test. Every answer has
// its figures.
package surge

import (
	"fmt"
	"math"
	"time"

	"firethorn/internal/core/chance"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/text"
)

// PastDays is how far back an issue's own past goes.
const PastDays = 14

// Thresholds say from when on an issue surges.
type Thresholds struct {
	Minutes  int     `json:"minutes"`  // what is held against the past: the last hour or less, in tens
	Events   int64   `json:"events"`   // at least so many
	Users    int64   `json:"users"`    // of at least so many users, where users are told
	Times    float64 `json:"times"`    // at least so many times what is usual
	Odds     float64 `json:"odds"`     // and at most this likely by chance
	Share    float64 `json:"share"`    // or it hits this share of the sessions, 0 to 1
	Sessions int64   `json:"sessions"` // of at least so many
}

// Default are the thresholds of a project that has not said otherwise.
var Default = Thresholds{Minutes: 60, Events: 20, Users: 3, Times: 3, Odds: 1e-6, Share: 0.05, Sessions: 50}

// Check says what is wrong with thresholds.
func (t Thresholds) Check() error {
	bad := func(format string, args ...any) error { return problem.New(problem.BadInput, format, args...) }
	switch {
	case t.Minutes < 10 || t.Minutes > 60 || t.Minutes%10 != 0:
		return bad("the minutes of a surge are 10, 20, 30, 40, 50 or 60, not %d", t.Minutes)
	case t.Events < 1 || t.Events > 1_000_000_000:
		return bad("the events of a surge must be a number from 1 on, not %d", t.Events)
	case t.Users < 0 || t.Users > 1_000_000_000:
		return bad("the users of a surge must be a number from 0 on, not %d", t.Users)
	case !(t.Times >= 1 && t.Times <= 1000):
		return bad("a surge is 1 to 1,000 times what is usual, not %v", t.Times)
	case !(t.Odds > 0 && t.Odds <= 0.1):
		return bad("the odds of a surge by chance lie above 0 and up to 0.1, not %v", t.Odds)
	case !(t.Share > 0 && t.Share <= 1):
		return bad("the share of sessions lies above 0 and up to 1, not %v", t.Share)
	case t.Sessions < 1 || t.Sessions > 1_000_000_000:
		return bad("the sessions of a share must be a number from 1 on, not %d", t.Sessions)
	}
	return nil
}

// half are the thresholds at which a surge is over: a rate near the edge would
// begin and end one again and again.
func (t Thresholds) half() Thresholds {
	t.Events, t.Users = (t.Events+1)/2, 0
	t.Times, t.Odds, t.Share = max(1, t.Times/2), math.Sqrt(t.Odds), t.Share/2
	return t
}

// Facts are what the test looks at.
type Facts struct {
	Now      time.Time
	Events   int64      // in the last minutes
	Users    int64      // hit in the last minutes; -1: not told
	Past     []PastHour // hours before those with events, at most PastDays back
	Since    time.Time  // when the issue was first seen
	Sessions int64      // that began in the last minutes
	Hit      int64      // sessions it hit in the last minutes
}

// PastHour is how often an issue occurred in an hour.
type PastHour struct {
	Hour   int64 // hours since 1970, UTC
	Events int64
}

// Verdict is the answer of the test.
type Verdict struct {
	Surges bool
	Usual  float64 // events in as many minutes
	Text   string
}

// Test says whether an issue surges; already: whether it did before, which it
// goes on doing down to half the thresholds.
func Test(f Facts, t Thresholds, already bool) Verdict {
	usual := Usual(f, t.Minutes)
	v := Verdict{Usual: usual}
	if already {
		t = t.half()
	}
	last := fmt.Sprintf("the last %d minutes", t.Minutes)
	if t.Minutes == 60 {
		last = "the last hour"
	}
	if f.Sessions >= t.Sessions && f.Hit > 0 && float64(f.Hit) >= t.Share*float64(f.Sessions) {
		v.Surges = true
		v.Text = fmt.Sprintf("it hits %.0f %% of the %s of %s", 100*min(1, float64(f.Hit)/float64(f.Sessions)),
			text.Counted(f.Sessions, "session"), last)
		return v
	}
	if f.Events < t.Events || f.Users >= 0 && f.Users < t.Users || float64(f.Events) < t.Times*usual {
		return v
	}
	if chance.AtLeast(f.Events, max(usual, leastUsual)) > t.Odds {
		return v
	}
	v.Surges = true
	v.Text = fmt.Sprintf("%s in %s, where %s usual", text.Counted(f.Events, "event"), last, usualText(usual))
	return v
}

// leastUsual is the rate below which an issue's past says nothing more.
const leastUsual = 0.5

func usualText(x float64) string {
	switch {
	case x < 0.05:
		return "none are"
	case x < 9.95:
		return fmt.Sprintf("%.1f are", x)
	}
	return text.Number(int64(math.Round(x))) + " are"
}

// Usual is how many events the issue's own past lets one expect in so many
// minutes: the mean over all of it, or over the same time of day (an hour more
// or less) where that is more, so that a morning is no surge after a night.
func Usual(f Facts, minutes int) float64 {
	// An hour that is held against it in part is none of its past.
	end := f.Now.Add(-time.Duration(minutes) * time.Minute).Truncate(time.Hour)
	first := end.AddDate(0, 0, -PastDays)
	if f.Since.After(first) {
		first = f.Since
	}
	hours := end.Sub(first).Hours()
	if hours <= 0 {
		return 0
	}
	var all, alike int64
	clock := f.Now.Unix() / 3600 % 24
	for _, p := range f.Past {
		at := time.Unix(p.Hour*3600, 0)
		if at.Before(first.Truncate(time.Hour)) || !at.Before(end) {
			continue
		}
		all += p.Events
		if d := (p.Hour%24 - clock + 36) % 24; d >= 11 && d <= 13 {
			alike += p.Events
		}
	}
	mean := float64(all) / max(1, hours)
	if days := math.Floor(hours / 24); days >= 2 {
		mean = max(mean, float64(alike)/(3*days))
	}
	return mean * float64(minutes) / 60
}
