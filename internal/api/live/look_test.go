package live

import (
	"context"
	"math/rand/v2"
	"testing"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/core/issue"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestLook_NamesEveryDecision: a decision may come between any two statements
// of a look. It is still named, and no look says that anything may have changed.
func TestLook_NamesEveryDecision(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{ID: "1", Function: "tideAt", Release: "4.2.0", At: testbed.Noon})
	h := NewHub(&calls.Frame{Store: calls.Stores{Overview: b.Overview, Projects: b.Projects}})
	l := looking{names: map[int64]string{}, sent: map[int64]bool{}}
	if _, err := h.look(t.Context(), &l); err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithTimeout(t.Context(), 2*time.Second)
	defer stop()
	decided := make(chan int64)
	go func() {
		defer close(decided)
		for ctx.Err() == nil {
			for _, verb := range []issue.Verb{issue.Accept, issue.Undo} {
				b.Act(1, issue.Action{Verb: verb})
			}
			time.Sleep(10 * time.Millisecond) // the next look finds nothing newer
		}
	}()
	told, looks := int64(0), 0
	look := func() {
		changed, err := h.look(t.Context(), &l)
		if err != nil {
			t.Error(err)
			return
		}
		for _, c := range changed {
			if looks++; c.Any {
				t.Errorf("look %d: anything may have changed: %+v", looks, c)
			}
			for _, version := range c.Decided {
				told = max(told, version)
			}
		}
	}
	for {
		select {
		case <-decided:
			look()
			if now := b.Issue(1).Version; told != now || now < 20 {
				t.Errorf("told of version %d, it is at %d", told, now)
			}
			return
		case <-time.After(time.Duration(rand.IntN(int(4 * time.Millisecond)))):
			look()
		}
	}
}
