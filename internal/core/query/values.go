package query

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// NumberOf reads a number. What is no finite one is none.
func NumberOf(text string) (float64, bool) {
	n, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsInf(n, 0) || math.IsNaN(n) || strings.ContainsAny(text, "xXpP_") {
		return 0, false
	}
	return n, true
}

// severities in OpenTelemetry's order (logs data model, severity number).
var severities = []string{"trace", "debug", "info", "warn", "error", "fatal"}

// SeverityOf is the place of a severity in OpenTelemetry's order, from 0; warning is
// another spelling of warn.
func SeverityOf(text string) (int, bool) {
	text = strings.ToLower(text)
	if text == "warning" {
		text = "warn"
	}
	for i, s := range severities {
		if s == text {
			return i, true
		}
	}
	return 0, false
}

var ages = regexp.MustCompile(`^(\d{1,4})([mhdw])$`)

var units = map[string]time.Duration{"m": time.Minute, "h": time.Hour, "d": 24 * time.Hour, "w": 7 * 24 * time.Hour}

// AgeOf reads an age: a number of minutes, hours, days or weeks.
func AgeOf(text string) (time.Duration, bool) {
	m := ages.FindStringSubmatch(text)
	if m == nil {
		return 0, false
	}
	n, err := strconv.Atoi(m[1])
	return time.Duration(n) * units[m[2]], err == nil
}

// DayOf reads a date in a zone: from is its beginning, to that of the next day.
func DayOf(text string, zone *time.Location) (from, to time.Time, ok bool) {
	from, err := time.ParseInLocation(time.DateOnly, text, zone)
	return from, from.AddDate(0, 0, 1), err == nil
}

func isMoment(text string) bool {
	if _, ok := AgeOf(text); ok {
		return true
	}
	_, _, ok := DayOf(text, time.UTC)
	return ok
}

// Span is a time from a moment on, up to another one that does not belong to it. A
// zero time is open.
type Span struct{ From, To time.Time }

// SpanOf is the time span of a range in a field of times. Ages count back
// from now: <2d is less than two days ago.
func SpanOf(r Range, now time.Time, zone *time.Location) (Span, bool) {
	var out Span
	for _, b := range []struct {
		Bound
		lower bool
	}{{r.From, true}, {r.To, false}} {
		if b.Text == "" {
			continue
		}
		if age, ok := AgeOf(b.Text); ok { // the other way round: >2d is older, so before
			*out.end(!b.lower) = now.Add(-age)
			continue
		}
		day, next, ok := DayOf(b.Text, zone)
		if !ok {
			return Span{}, false
		}
		if b.lower != b.Inclusive { // from the day after, or up to that day's end
			day = next
		}
		*out.end(b.lower) = day
	}
	return out, true
}

// end is the beginning of a span, or its end.
func (s *Span) end(beginning bool) *time.Time {
	if beginning {
		return &s.From
	}
	return &s.To
}

// Match says whether a value fits a text: as a whole, without regard to case, with
// anything in the place of a wildcard.
func (v Value) Match(text string) bool {
	text = strings.ToLower(text)
	if whole, exact := v.Text(); exact {
		return strings.ToLower(whole) == text
	}
	first, last := strings.ToLower(v.Parts[0]), strings.ToLower(v.Parts[len(v.Parts)-1])
	if !strings.HasPrefix(text, first) {
		return false
	}
	text = text[len(first):]
	if !strings.HasSuffix(text, last) {
		return false
	}
	text = text[:len(text)-len(last)]
	for _, part := range v.Parts[1 : len(v.Parts)-1] {
		_, rest, found := strings.Cut(text, strings.ToLower(part))
		if !found {
			return false
		}
		text = rest
	}
	return true
}
