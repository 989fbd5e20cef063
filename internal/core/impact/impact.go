// Package impact scores the impact of an issue from 0 to 100, as a sum of named parts that can be
// shown. People weigh more than repetitions: 500 users once each outrank one user with 10,000 events.
// Each project sets the weights of the parts.
//
// Reading order: impact.go (facts in, a score out), weights.go (what each part
// can give).
package impact

import (
	"fmt"
	"math"
	"time"

	"firethorn/internal/core/text"
)

// Window is the number of days the score looks back, today included (UTC).
const Window = 14

// RecentDays is how many days of the window, today included, are held against
// the ones before.
const RecentDays = 2

// Facts are what the score is made from, all over the window.
type Facts struct {
	Users, Events int64
	Active        int64     // users of the project who were active in the window; 0: not known
	Sessions      int64     // of the project, in the window; looked at where Active is not known
	Recent        int64     // events today and yesterday, a part of Events
	FirstSeen     time.Time // of the issue
	Now           time.Time
	Unhandled     bool   // the newest event was handled by nobody
	Newest        bool   // first seen in the newest release
	Release       string // the newest release, "" when it is not known
	SomeRelease   bool   // it was seen in a release
	Regressed     bool
	Severity      string // from the newest event, or a person: fatal, error, warning, info or debug
	ByHand        bool   // a person said the severity
}

// Summand is one part of the sum.
type Summand struct {
	Name   string  `json:"name"`
	Points float64 `json:"points"` // rounded to a tenth
	Max    float64 `json:"most"`   // what this part can give at most, rounded to a tenth
	Text   string  `json:"words"`  // "87 users in 14 days"
}

// Score is the impact and its arithmetic.
type Score struct {
	Points float64   `json:"points"` // 0–100, the sum of the parts
	Parts  []Summand `json:"parts"`  // all of them, in the order of Parts
	Text   string    `json:"words"`  // the largest part in words: "87 users"
}

// Tenths is the score as it is stored: 0 to 1000.
func (s Score) Tenths() int64 { return int64(math.Round(s.Points * 10)) }

// Ages says whether the score falls with time alone, by the hour: without
// events its momentum is over soon.
func (s Score) Ages() bool { return s.Parts[momentumPart].Points > 0 }

const (
	fullUsers   = 10_000    // this many users give all the points
	fullEvents  = 1_000_000 // this many events give all the points
	leastActive = 50        // a share of fewer active users, or sessions, counts as one of so many
	leastRecent = 10        // events below which nothing gathers momentum
	maxEach     = 10        // so many recent events of each user count: one who repeats it is no momentum
	fullGrowth  = 8         // so many times as often as before gives all the points
)

// Of computes the score. Each part gives a fraction of its weight.
func Of(f Facts, w Weights) Score {
	fraction, growth := momentum(f)
	parts := [...]struct {
		of          float64
		text, short string
	}{
		usersPart: {logShare(f.Users, fullUsers),
			fmt.Sprintf("%s in %d days", text.Counted(f.Users, "user"), Window), text.Counted(f.Users, "user")},
		sharePart: {share(f), shareText(f), shareText(f)},
		frequencyPart: {logShare(f.Events, fullEvents),
			fmt.Sprintf("%s in %d days", text.Counted(f.Events, "event"), Window), text.Counted(f.Events, "event")},
		momentumPart: {fraction, growth, growth},
		unhandledPart: {yes(f.Unhandled), either(f.Unhandled, "nothing caught it", "something caught it"),
			"nothing caught it"},
		newestPart: {yes(f.Newest), newestText(f), newestText(f)},
		regressedPart: {yes(f.Regressed), either(f.Regressed, "it was fixed and came back", "it did not come back"),
			"it came back"},
		severityPart: {severities[f.Severity], severityText(f), severityText(f)},
	}
	s := Score{Parts: make([]Summand, len(parts))}
	best, all := 0, w.sum()
	for i, p := range parts {
		most := 0.0
		if all > 0 {
			most = 100 * w[i] / all
		}
		s.Parts[i] = Summand{Parts[i], tenth(most * p.of), tenth(most), p.text}
		s.Points += s.Parts[i].Points
		if s.Parts[i].Points > s.Parts[best].Points {
			best = i
		}
	}
	s.Points = math.Min(100, tenth(s.Points))
	s.Text = parts[best].short
	return s
}

func tenth(x float64) float64 { return math.Round(x*10) / 10 }

func yes(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

func either(b bool, yes, no string) string {
	if b {
		return yes
	}
	return no
}

// logShare is how far n is on the way to full, on a logarithmic scale, 0 to 1.
func logShare(n, full int64) float64 {
	if n <= 0 {
		return 0
	}
	return min(1, math.Log1p(float64(n))/math.Log1p(float64(full)))
}

// share is the root of the share of active users who are hit: one in a hundred
// gives a tenth of the points, one in four half of them. Where no active user is
// known it is the root of the events a session.
func share(f Facts) float64 {
	switch {
	case f.Active <= 0 && f.Sessions <= 0:
		return 0
	case f.Active <= 0:
		return math.Sqrt(min(1, float64(f.Events)/float64(max(f.Sessions, leastActive))))
	}
	return math.Sqrt(min(1, float64(f.Users)/float64(max(f.Active, leastActive))))
}

func shareText(f Facts) string {
	switch {
	case f.Active <= 0 && f.Sessions > 0:
		return fmt.Sprintf("%s events for 1,000 of %s", number(1000*float64(f.Events)/float64(f.Sessions)),
			text.Counted(f.Sessions, "session"))
	case f.Active <= 0:
		return "how many users are active is not known"
	case f.Active < leastActive:
		return fmt.Sprintf("%s of %s, counted as %d", text.Number(f.Users), text.Counted(f.Active, "active user"),
			leastActive)
	}
	percent := 100 * min(1, float64(f.Users)/float64(f.Active))
	format := "%.0f %% of %s"
	if percent > 0 && percent < 9.95 {
		format = "%.1f %% of %s"
	}
	return fmt.Sprintf(format, percent, text.Counted(f.Active, "active user"))
}

// momentum holds today and yesterday against the days of the window before: the
// logarithm of how many times as often it occurs, from a floor on. An issue that
// is younger than three days has no past to be held against.
func momentum(f Facts) (fraction float64, told string) {
	day := f.Now.UTC().Truncate(24 * time.Hour)
	recentDays := RecentDays - 1 + f.Now.Sub(day).Hours()/24
	pastDays := min(Window-RecentDays, day.AddDate(0, 0, 1-RecentDays).Sub(f.FirstSeen).Hours()/24)
	if pastDays < 1 {
		return 0, "it has no past yet to be held against"
	}
	past := float64(max(0, f.Events-f.Recent)) / pastDays
	recent := f.Recent
	if f.Users > 0 {
		recent = min(recent, maxEach*f.Users)
	}
	times := float64(recent) / recentDays / max(past, 1/pastDays)
	expected := past * recentDays
	more := func(n int64) bool { return n >= leastRecent && float64(n) > expected+3*math.Sqrt(expected) }
	grown := more(recent)
	switch {
	case !grown && more(f.Recent):
		return 0, "more often than before, by few users who repeat it"
	case !grown && f.Recent == 0:
		return 0, "not seen since the day before yesterday"
	case !grown && times < 0.5:
		return 0, "seldomer than in the days before"
	case !grown || times <= 1:
		return 0, "about as often as in the days before"
	case past == 0:
		told = fmt.Sprintf("%s since yesterday, none in the days before", text.Counted(f.Recent, "event"))
	default:
		told = fmt.Sprintf("since yesterday %s times as often as in the days before", number(times))
	}
	return min(1, math.Log(times)/math.Log(fullGrowth)), told
}

func number(x float64) string {
	if x < 9.95 {
		return fmt.Sprintf("%.1f", x)
	}
	return text.Number(int64(math.Round(x)))
}

func newestText(f Facts) string {
	switch {
	case f.Release == "" && f.SomeRelease:
		return "which release is the newest is not known yet"
	case f.Release == "":
		return "no release is known"
	case f.Newest:
		return "new in " + f.Release + ", the newest release"
	}
	return "not new in " + f.Release + ", the newest release"
}

// severities is what each gives of its points.
var severities = map[string]float64{"fatal": 1, "error": 0.5, "warning": 0.2}

func severityText(f Facts) string {
	if f.ByHand {
		return f.Severity + ", set by hand"
	}
	return f.Severity
}
