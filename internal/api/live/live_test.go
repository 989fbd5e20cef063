package live

import (
	"fmt"
	"reflect"
	"testing"

	"firethorn/internal/api/calls"
)

func TestAdded_JoinsWhatWasNotReadYet(t *testing.T) {
	old := change{Project: "quayside", Change: 4, Decided: map[string]int64{"quayside/1": 3}, Events: []string{"quayside/2"}}
	now := change{Project: "quayside", Change: 6, Decided: map[string]int64{"quayside/1": 5, "quayside/7": 1}, Events: []string{"quayside/2", "quayside/1"}}
	want := change{Project: "quayside", Change: 6, Decided: map[string]int64{"quayside/1": 5, "quayside/7": 1}, Events: []string{"quayside/1", "quayside/2"}}
	if got := added(old, now); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	other := change{Project: "gangway", Change: 1, Any: true}
	if got := joined(map[string]change{"quayside": old}, map[string]change{"gangway": other}); !reflect.DeepEqual(got, map[string]change{"quayside": old, "gangway": other}) {
		t.Errorf("two projects: %+v", got)
	}
	if !added(change{Project: "quayside", Any: true}, now).Any {
		t.Error("that anything may have changed is forgotten")
	}
	for i := range maxChanged + 1 {
		now.Events = append(now.Events, fmt.Sprint("quayside/", i+100))
	}
	if !added(old, now).Any {
		t.Error("so many are to be read anew")
	}
}

// TestHub_SendsRecentUpdatesToNewListeners: a page is read before its stream
// is open.
func TestHub_SendsRecentUpdatesToNewListeners(t *testing.T) {
	h := NewHub(&calls.Frame{})
	h.broadcast(map[string]change{"quayside": {Project: "quayside", Change: 4, Decided: map[string]int64{"quayside/1": 3}}})
	got, stop := h.subscribe()
	defer stop()
	h.broadcast(map[string]change{"quayside": {Project: "quayside", Change: 5, Events: []string{"quayside/2"}}})
	want := change{Project: "quayside", Change: 5, Decided: map[string]int64{"quayside/1": 3}, Events: []string{"quayside/2"}}
	if c := <-got; !reflect.DeepEqual(c["quayside"], want) {
		t.Errorf("%+v", c)
	}
	h.recent[0].at = h.recent[0].at.Add(-updatesKept)
	h.recent[1].at = h.recent[1].at.Add(-updatesKept)
	late, stopLate := h.subscribe()
	defer stopLate()
	select {
	case c := <-late:
		t.Errorf("long ago: %+v", c)
	default:
	}
}
