package retention_test

import (
	"testing"

	"firethorn/internal/testbed"
)

// BenchmarkYear takes users and an issue away from a project with 300,000 events of a year, half of
// them in one issue.
func BenchmarkYear(b *testing.B) {
	bed := testbed.Year(b, 300_000)
	b.Run("EraseUserWith300Events", func(b *testing.B) {
		for b.Loop() {
			user := bed.One("SELECT MIN(user) FROM event WHERE user BETWEEN 10 AND 900")
			done := bed.One("SELECT COUNT(*) FROM erasure")
			if _, err := bed.DB.Exec("INSERT INTO erasure (project, user, replacement, requested, actor) VALUES (?,?,?,0,'')",
				bed.Project.ID, user, 1<<40+done); err != nil {
				b.Fatal(err)
			}
			if err := bed.Retention.EraseNext(b.Context(), bed.Project.ID); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("Empty2000EventsOfAnIssue", func(b *testing.B) {
		if _, err := bed.DB.Exec("UPDATE issue SET deleted=1 WHERE number=1"); err != nil {
			b.Fatal(err)
		}
		for b.Loop() {
			if _, err := bed.Retention.EmptyNext(b.Context(), bed.Project.ID); err != nil {
				b.Fatal(err)
			}
		}
	})
}
