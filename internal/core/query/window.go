package query

import (
	"strings"
	"time"
)

// WindowOf reads a window: an age, such as 14d or 36h, that reaches back from now; two
// dates with both of their days, such as 2026-11-01..2026-11-20, of which the second
// may be missing; or all. The zero time is open.
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
	from, _, ok = DayOf(first, zone)
	if !ok || last == "" {
		return from, to, ok
	}
	_, to, ok = DayOf(last, zone)
	return from, to, ok && from.Before(to)
}
