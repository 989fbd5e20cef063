package events_test

import (
	"fmt"
	"testing"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// BenchmarkYear reads events of a project that keeps them for a year, from 371 partitions:
// 300,000 events of ten issues, of which the first has half and the last has twelve.
func BenchmarkYear(b *testing.B) {
	const n = 300_000
	bed := testbed.Year(b, n)
	issue := func(number int64) int64 { return bed.Issue(number).ID }
	page := func(q events.EventQuery) func() error {
		return func() error {
			list, _, err := bed.Events.Events(b.Context(), q)
			if err == nil && len(list) < 12 {
				err = fmt.Errorf("%d events", len(list))
			}
			return err
		}
	}
	project := bed.Project.ID
	newest, _, err := bed.Events.Events(b.Context(),
		events.EventQuery{Project: project, Issue: issue(1), Kept: true, Limit: 40})
	if err != nil {
		b.Fatal(err)
	}
	old := uuid.UUID(db.NameHash(fmt.Sprint(n / 2)))
	for _, c := range []struct {
		name string
		ask  func() error
	}{
		{"ProjectNewest50", page(events.EventQuery{Project: project, Limit: 50})},
		{"ProjectFromHalf", page(events.EventQuery{Project: project, Before: n / 2, Limit: 50})},
		{"LargeIssueNewest50", page(events.EventQuery{Project: project, Issue: issue(1), Limit: 50})},
		{"LargeIssueFromHalf", page(events.EventQuery{Project: project, Issue: issue(1), Before: n / 2, Limit: 50})},
		{"SmallIssueNewest50", page(events.EventQuery{Project: project, Issue: issue(10), Limit: 50})},
		{"Neighbours", func() error {
			near, err := bed.Events.EventNeighbours(b.Context(), issue(1), newest[30])
			if err == nil && near.Position != 31 {
				err = fmt.Errorf("position %d", near.Position)
			}
			return err
		}},
		{"EventByID", func() error {
			_, err := bed.Events.Event(b.Context(), bed.Project, old)
			return err
		}},
	} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				if err := c.ask(); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
