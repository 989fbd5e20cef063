package alert

import (
	"time"

	"firethorn/internal/core/rules"
)

// QuietUntil says when quiet hours end that a moment lies in; zero: it lies in none. The
// hours are those of the clock on the wall: where it is set forward or back in them, they
// are shorter or longer by as much. A time that the clock skips ends when the clock has
// passed it.
func QuietUntil(q *rules.Quiet, at time.Time) time.Time {
	here := at.In(q.Zone)
	minute := here.Hour()*60 + here.Minute()
	in := minute >= q.From && minute < q.To
	if q.From > q.To {
		in = minute >= q.From || minute < q.To
	}
	if !in {
		return time.Time{}
	}
	day := here.Day()
	if q.From > q.To && minute >= q.From {
		day++
	}
	end := time.Date(here.Year(), here.Month(), day, q.To/60, q.To%60, 0, 0, q.Zone)
	// Of an hour that is there twice, the first end after now counts.
	for _, shift := range []time.Duration{-time.Hour, -30 * time.Minute} {
		if e := end.Add(shift); e.After(at) && e.Hour() == end.Hour() && e.Minute() == end.Minute() {
			return e
		}
	}
	for !end.After(at) {
		end = end.Add(30 * time.Minute)
	}
	return end
}

// NextDigest is the next nine in the morning of a zone: when people get what they want once a
// day.
func NextDigest(zone *time.Location, now time.Time) time.Time {
	here := now.In(zone)
	for day := here.Day(); ; day++ {
		if at := time.Date(here.Year(), here.Month(), day, 9, 0, 0, 0, zone); at.After(now) {
			return at
		}
	}
}
