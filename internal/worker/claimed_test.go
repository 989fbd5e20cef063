package worker

import (
	"encoding/json"
	"testing"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
)

// A claim is cut into transactions of about 500 events, of 1,000 while more waits behind it.
// Deliveries stay whole and in order.
func TestParts(t *testing.T) {
	delivery := func(events, sessions int) inbox.Delivery {
		return inbox.Delivery{Batches: []*pipeline.Batch{{Events: make([]json.RawMessage, events), Sessions: make([]pipeline.Message, sessions)}}}
	}
	var claim []inbox.Delivery
	for range 20 {
		claim = append(claim, delivery(100, 0))
	}
	for _, c := range []struct {
		name   string
		claim  []inbox.Delivery
		behind bool
		want   []int // deliveries of each part
	}{
		{"nothing", nil, false, nil},
		{"all that waits", claim, false, []int{5, 5, 5, 5}},
		{"more waits behind it", claim, true, []int{10, 10}},
		{"less than a part", claim[:3], true, []int{3}},
		{"a remainder", claim[:7], false, []int{5, 2}},
		{"one larger than a part", []inbox.Delivery{delivery(700, 0), delivery(1, 0)}, false, []int{1, 1}},
		{"four sessions count as an event", []inbox.Delivery{delivery(0, 1997), delivery(0, 1), delivery(1, 0)}, false, []int{1, 2}},
	} {
		got := parts(c.claim, c.behind)
		ok, at := len(got) == len(c.want), 0
		for i := range got {
			ok = ok && len(got[i]) == c.want[i] && &got[i][0] == &c.claim[at]
			at += len(got[i])
		}
		if !ok || at != len(c.claim) {
			t.Errorf("%s: %d parts of %d deliveries, want %v", c.name, len(got), at, c.want)
		}
	}
}
