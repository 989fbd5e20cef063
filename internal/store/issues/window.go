package issues

import (
	"context"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/db"
)

// WindowStart is the first day of the window that impact looks at.
func WindowStart(now time.Time) int { return db.Day(now) - impact.Window + 1 }

// WindowOf counts an issue's events and users since a day.
func WindowOf(ctx context.Context, q db.Querier, issue int64, start int, events, users *int64) error {
	return q.QueryRowContext(ctx, "SELECT (SELECT COALESCE(SUM(events),0) FROM issue_trend WHERE issue=? AND day>=?), (SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=? AND last_day>=?)",
		issue, start, issue, start).Scan(events, users)
}

// slotLength is the grain of an issue's pulse.
const slotLength = 10 * time.Minute

// PulseKept is how long slots are kept: what a surge is told by lies within an hour.
const PulseKept = 3 * time.Hour

// SlotOf is the slot of the pulse that a time is in.
func SlotOf(at time.Time) int64 { return at.Unix() / int64(slotLength/time.Second) }
