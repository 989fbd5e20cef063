package testbed

import (
	"time"

	"firethorn/internal/db"
	"firethorn/internal/store/projects"
)

const Day = 24 * time.Hour

// One asks for a single number.
func (b *Bench) One(query string, args ...any) (n int64) {
	b.T.Helper()
	if err := b.DB.QueryRow(query, args...).Scan(&n); err != nil {
		b.T.Fatalf("%s: %v", query, err)
	}
	return n
}

// RetireAt sets the clock and drops what is past. The database's own clock
// stays, so the comparison of both is left out.
func (b *Bench) RetireAt(at time.Time) []int {
	b.T.Helper()
	b.Now = at
	if err := b.Schema.EnsurePartitions(b.T.Context()); err != nil {
		b.T.Fatal(err)
	}
	days, err := b.Schema.PartitionDays(b.T.Context(), "event")
	if err != nil {
		b.T.Fatal(err)
	}
	var gone []int
	for _, d := range days {
		if d < db.Day(at)-projects.GraceDays {
			if err := b.Retention.RetireDay(b.T.Context(), d); err != nil {
				b.T.Fatal(err)
			}
			gone = append(gone, d)
		}
	}
	if err := b.Retention.Trim(b.T.Context(), db.Day(at)); err != nil {
		b.T.Fatal(err)
	}
	return gone
}

// SecondIssue files another issue and returns 1.
func (b *Bench) SecondIssue() int64 {
	b.File(Event{Function: "drawWeek", User: "p-7", At: Noon})
	return 1
}
