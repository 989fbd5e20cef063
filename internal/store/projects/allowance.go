package projects

import (
	"context"
	"time"
)

// Allowance is how many events a project may take in; 0 is any number.
type Allowance struct{ Minute, Day int64 }

// DefaultAllowance is that of a project that says nothing.
var DefaultAllowance = Allowance{Minute: 100_000, Day: 20_000_000}

// Span is what an allowance is given for: a stretch of time, and the events
// that arrive in it or the events that others represent.
type Span string

// The spans.
const (
	Minute         Span = "minute"
	OfDay          Span = "day"
	MinuteStoodFor Span = "minute stood for"
	DayStoodFor    Span = "day stood for"
)

// Unit is the stretch of time: "minute" or "day".
func (s Span) Unit() string {
	if s == Minute || s == MinuteStoodFor {
		return string(Minute)
	}
	return string(OfDay)
}

// StoodFor says whether the events that others represent are counted.
func (s Span) StoodFor() bool { return s == MinuteStoodFor || s == DayStoodFor }

// Length is how long a span is.
func (s Span) Length() time.Duration {
	if s.Unit() == string(Minute) {
		return time.Minute
	}
	return 24 * time.Hour
}

// Start is when the span that holds t began. Spans begin at full minutes and
// days (UTC), the same for all processes.
func (s Span) Start(t time.Time) time.Time { return t.UTC().Truncate(s.Length()) }

// TakeAllowance takes events out of the span that began at start, all or
// none, and says whether they were there.
func (s *Store) TakeAllowance(ctx context.Context, project int64, span Span, start time.Time, events,
	limit int64) (bool, error) {
	for range 2 {
		res, err := s.db.ExecContext(ctx, "UPDATE allowance SET used=used+? WHERE project=? AND span=? AND start=? AND used+?<=?", events, project, string(span), start.Unix(), events, limit)
		if err != nil {
			return false, err
		}
		if n, err := res.RowsAffected(); err != nil || n > 0 {
			return n > 0, err
		}
		// There is no row yet, or one of an earlier span; else it is used up.
		res, err = s.db.ExecContext(ctx, "INSERT INTO allowance (project, span, start, used) VALUES (?,?,?,0) ON DUPLICATE KEY UPDATE used=IF(start<VALUES(start), 0, used), start=GREATEST(start, VALUES(start))", project, string(span), start.Unix())
		if err != nil {
			return false, err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return false, err
		}
	}
	return false, nil
}
