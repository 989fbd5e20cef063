package query

import (
	"strings"
	"time"
)

// WindowOf reads a window: an age, such as 14d or 36h, that reaches back from now; two
// dates with both of their days, such as 2026-11-01..2026-11-20, of which the second
// may be missing; two times to the minute, such as
// 2026-11-01T10:00Z..2026-11-01T14:00Z, of which the second does not belong to it; or
// all. The zero time is open. Times without Z are of the zone.
func WindowOf(text string, now time.Time, zone *time.Location) (from, to time.Time, ok bool) {
	if text == "all" {
		return from, to, true
	}
	if age, ok := AgeOf(text); ok && age > 0 {
		return now.Add(-age), to, true
	}
	first, last, found := strings.Cut(text, "..")
	if !found {
		last = first
	}
	if from, ok = minuteOf(first, zone); !ok {
		from, _, ok = DayOf(first, zone)
	}
	if !ok || found && last == "" {
		return from, to, ok
	}
	if to, ok = minuteOf(last, zone); !ok {
		_, to, ok = DayOf(last, zone)
	}
	return from, to, ok && from.Before(to)
}

// minuteOf reads a time to the minute.
func minuteOf(text string, zone *time.Location) (time.Time, bool) {
	if utc, ok := strings.CutSuffix(text, "Z"); ok {
		text, zone = utc, time.UTC
	}
	at, err := time.ParseInLocation("2006-01-02T15:04", text, zone)
	return at.UTC(), err == nil
}
