package issue

import (
	"fmt"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/text"
)

// Park says what wakes a parked issue: whichever of what is set comes first.
type Park struct {
	Until          time.Time `json:"until,omitzero"`            // at a time, UTC
	Events         int64     `json:"events,omitempty"`          // after so many more
	Users          int64     `json:"users,omitempty"`           // after so many who were not hit before
	Doubled        bool      `json:"doubled,omitempty"`         // when a day has twice the usual events
	NextRelease    bool      `json:"next_release,omitempty"`    // when it is seen in a release after After
	NewEnvironment bool      `json:"new_environment,omitempty"` // when it is seen where it was not seen before

	After string    `json:"after,omitempty"` // the newest release when it was parked
	Rate  float64   `json:"rate,omitempty"`  // events a day when it was parked
	At    time.Time `json:"at,omitzero"`
	By    string    `json:"by,omitempty"`
}

// leastRate is the events a day below which doubling means nothing.
const leastRate = 5

// RateDays is over how many days the rate is taken that doubles.
const RateDays = 7

// check says what is wrong with a condition that is to be set.
func (p Park) check(now time.Time) error {
	switch {
	case p.Until.IsZero() && p.Events == 0 && p.Users == 0 && !p.Doubled && !p.NextRelease && !p.NewEnvironment:
		return problem.New(problem.BadInput, "say what wakes it: a time (--until), more events (--events) or users (--users), a doubled rate (--doubled), the next release (--next-release) or a new environment (--new-environment)")
	case p.Events < 0 || p.Users < 0:
		return problem.New(problem.BadInput, "it wakes after a number of events or users above 0")
	case !p.Until.IsZero() && !p.Until.After(now):
		return problem.New(problem.BadInput, "%s is past: park it until a time to come", moment(p.Until))
	}
	return nil
}

// Text says what wakes it, behind "until".
func (p Park) Text() string {
	var b []string
	if !p.Until.IsZero() {
		b = append(b, moment(p.Until))
	}
	if p.Events > 0 {
		b = append(b, text.Counted(p.Events, "more event"))
	}
	if p.Users > 0 {
		b = append(b, text.Counted(p.Users, "more user"))
	}
	if p.Doubled {
		b = append(b, fmt.Sprintf("a day brings %.0f events, twice as many as now", p.threshold()))
	}
	if p.NextRelease {
		if p.After == "" {
			b = append(b, "it is seen in the first release")
		} else {
			b = append(b, "it is seen in a release after "+p.After)
		}
	}
	if p.NewEnvironment {
		b = append(b, "it is seen in another environment")
	}
	return strings.Join(b, ", or ")
}

// threshold is how many events in 24 hours are a doubled rate.
func (p Park) threshold() float64 { return 2 * max(p.Rate, leastRate) }

// Since is what came since an issue was parked, as it was processed: what moved
// there from other issues is not among it.
type Since struct {
	Events, Users int64
	Day           int64 // of them, thrown within the last 24 hours
}

// Wake is what time, and what came since, do to a parked issue; o is the event
// that came, nil when only time passed. entry is nil when it sleeps on.
func (k ReleaseFacts) Wake(s Status, now time.Time, since Since, o *Occurrence) (Status, *Entry) {
	if s.State != Parked {
		return s, nil
	}
	p, why, in := s.Parked, "", ""
	switch {
	case !p.Until.IsZero() && !now.Before(p.Until):
		why = moment(p.Until) + " has come"
	case p.Events > 0 && since.Events >= p.Events:
		why = text.Counted(since.Events, "more event") + " came since it was parked"
	case p.Users > 0 && since.Users >= p.Users:
		were := " were"
		if since.Users == 1 {
			were = " was"
		}
		why = text.Counted(since.Users, "more user") + were + " hit since it was parked"
	case p.Doubled && float64(since.Day) >= p.threshold():
		why = fmt.Sprintf("%s in 24 hours; a day brought %.1f when it was parked", text.Counted(since.Day, "event"),
			p.Rate)
	case o != nil && p.NewEnvironment && o.NewPlace:
		why = "seen in " + o.Environment + ", where it was not seen before"
	case o != nil && p.NextRelease && o.Release.Version != "":
		held, reason := k.inNext(Fix{Kind: FixNext, After: p.After, FixedAt: p.At}, o.Release)
		if held == Contains {
			in = o.Release.Version
			why = fmt.Sprintf("seen in %s, a release after %s (%s)", in, p.After, reason)
			if p.After == "" {
				why = fmt.Sprintf("seen in %s, the first release since then", in)
			}
		}
	}
	if why == "" {
		return s, nil
	}
	was := s
	return Status{State: New, Owner: s.Owner, Severity: s.Severity}, &Entry{Kind: Woken, Before: &was, Release: in,
		Text: "woken: " + why, Notify: notify(p.By, s.Owner)}
}
