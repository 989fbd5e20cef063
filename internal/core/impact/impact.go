// Package impact scores how much an issue hurts: 0 to 100, as a sum of named
// parts that can be shown. People weigh more than repetitions: 500 users once
// each outrank one user with 10,000 events.
package impact

import (
	"fmt"
	"math"

	"firethorn/internal/core/words"
)

// Window is the number of days the score looks back, today included (UTC).
const Window = 14

// Facts are what the score is made from, all over the window.
type Facts struct {
	Users, Events int64
	Unhandled     bool // the newest event was handled by nobody
	Regressed     bool
}

// Summand is one part of the sum.
type Summand struct {
	Name   string  `json:"name"`
	Points float64 `json:"points"` // rounded to a tenth
	Most   float64 `json:"most"`   // what this part can give at most
	Words  string  `json:"words"`  // "87 users in 14 days"
}

// Score is the impact and its arithmetic.
type Score struct {
	Points float64   `json:"points"` // 0–100, the sum of the parts
	Parts  []Summand `json:"parts"`
	Words  string    `json:"words"` // the largest part in words: "87 users"
}

// Tenths is the score as it is stored: 0 to 1000.
func (s Score) Tenths() int64 { return int64(math.Round(s.Points * 10)) }

const (
	mostUsers, fullUsers   = 70, 10_000    // this many users give all the points
	mostEvents, fullEvents = 20, 1_000_000 // this many events give all the points
	unhandled, regressed   = 5, 5
)

// Of computes the score.
func Of(f Facts) Score {
	parts := []Summand{
		{"users", logShare(f.Users, fullUsers) * mostUsers, mostUsers, fmt.Sprintf("%s in %d days", words.Counted(f.Users, "user"), Window)},
		{"frequency", logShare(f.Events, fullEvents) * mostEvents, mostEvents, fmt.Sprintf("%s in %d days", words.Counted(f.Events, "event"), Window)},
	}
	if f.Unhandled {
		parts = append(parts, Summand{"unhandled", unhandled, unhandled, "nothing caught it"})
	}
	if f.Regressed {
		parts = append(parts, Summand{"regressed", regressed, regressed, "it was fixed and came back"})
	}
	var s Score
	best := 0
	for i, p := range parts {
		parts[i].Points = math.Round(p.Points*10) / 10
		s.Points += parts[i].Points
		if parts[i].Points > parts[best].Points {
			best = i
		}
	}
	s.Points = math.Round(s.Points*10) / 10
	s.Parts = parts
	s.Words = parts[best].Words
	switch parts[best].Name {
	case "users":
		s.Words = words.Counted(f.Users, "user")
	case "frequency":
		s.Words = words.Counted(f.Events, "event")
	}
	return s
}

// logShare is how far n is on the way to full, on a logarithmic scale, 0 to 1.
func logShare(n, full int64) float64 {
	if n <= 0 {
		return 0
	}
	return min(1, math.Log1p(float64(n))/math.Log1p(float64(full)))
}
