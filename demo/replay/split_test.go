package replay

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"
)

// Wherever events are cut, a session lies in one part, and none is lost.
func TestSplit_LeavesSessionsWhole(t *testing.T) {
	begin := time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)
	line := Line{App: "quayside", Release: "4.2.0", Event: map[string]any{"time": begin.Format(time.RFC3339Nano)}}
	var events []json.RawMessage
	for minute := 0; minute < 300; minute += 7 {
		events = append(events, person(line, rand.New(rand.NewPCG(1, 2)), begin.Add(time.Duration(minute)*time.Minute), 1204))
	}
	for minute := range 300 {
		at := begin.Add(time.Duration(minute) * time.Minute)
		parts := Split(events, at)
		if len(parts) != 2 || len(parts[0])+len(parts[1]) != len(events) {
			t.Fatalf("cut at %s: %d parts", at, len(parts))
		}
		before, after := sessionsOf(t, parts[0]), sessionsOf(t, parts[1])
		if len(before)+len(after) != 5 {
			t.Fatalf("cut at %s: %d sessions before and %d after, of 5", at, len(before), len(after))
		}
		if minute >= 60 && len(before) == 0 {
			t.Fatalf("cut at %s: nothing is before", at)
		}
	}
}

func sessionsOf(t *testing.T, events []json.RawMessage) map[string]bool {
	t.Helper()
	ids := map[string]bool{}
	for _, raw := range events {
		var e struct{ Attributes map[string]any }
		if err := json.Unmarshal(raw, &e); err != nil {
			t.Fatal(err)
		}
		ids[fmt.Sprint(e.Attributes["session.id"])] = true
	}
	return ids
}
