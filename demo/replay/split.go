package replay

import (
	"encoding/json"
	"time"
)

// Split cuts events, which are in order, at the whole hours at or before times:
// a session is that of one person in one hour, and must not lie on both sides.
func Split(events []json.RawMessage, at ...time.Time) (parts [][]json.RawMessage) {
	for _, t := range at {
		n := 0
		for n < len(events) && thrown(events[n]).Before(t.Truncate(time.Hour)) {
			n++
		}
		parts, events = append(parts, events[:n]), events[n:]
	}
	return append(parts, events)
}

func thrown(raw json.RawMessage) time.Time {
	var e struct{ Time time.Time }
	if err := json.Unmarshal(raw, &e); err != nil {
		panic(err) // Traffic wrote it
	}
	return e.Time
}
