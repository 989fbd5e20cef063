package testbed

import (
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/store/accounts"
)

var Maren = accounts.Actor{Kind: "person", ID: 101, Name: "Maren Holt"}

func (b *Bench) Merge(into int64, from ...int64) {
	b.T.Helper()
	if err := b.Moves.Merge(b.T.Context(), b.Project, from, into, Maren); err != nil {
		b.T.Fatal(err)
	}
}

// Undo takes the newest decision on the issue of a number back.
func (b *Bench) Undo(number int64) error {
	b.T.Helper()
	id, err := b.Issues.DecidedOn(b.T.Context(), b.Project, number)
	if err != nil {
		b.T.Fatal(err)
	}
	return b.Triage.Act(b.T.Context(), id, issue.Action{Verb: issue.Undo}, "", Maren, 0)
}

// Followed lets all derived rows arrive.
func (b *Bench) Followed() {
	b.T.Helper()
	for more := true; more; {
		var err error
		if more, err = b.Moves.FollowMove(b.T.Context(), b.Project.ID); err != nil {
			b.T.Fatal(err)
		}
	}
}

func (b *Bench) WantCounts(number, events, users int64) {
	b.T.Helper()
	if is := b.Issue(number); is.Events != events || is.Users != users {
		b.T.Errorf("issue %d counts %d events, %d users; want %d and %d", number, is.Events, is.Users, events, users)
	}
}

// Pair files two issues that share a user: 1 is tideAt, 2 is drawWeek.
func Pair(t *testing.T) *Bench {
	b := Open(t, Noon)
	b.File(
		Event{Function: "tideAt", User: "p-1", Release: "4.1.0", At: Noon.Add(-48 * time.Hour)},
		Event{Function: "tideAt", User: "p-2", Release: "4.2.0", At: Noon.Add(-2 * time.Hour), Stands: 3},
		Event{Function: "drawWeek", User: "p-2", Release: "4.1.0", At: Noon.Add(-20 * 24 * time.Hour)},
		Event{Function: "drawWeek", User: "p-3", Release: "4.2.1", At: Noon.Add(-time.Hour)},
	)
	return b
}
