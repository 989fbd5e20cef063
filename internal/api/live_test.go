package api

import (
	"fmt"
	"reflect"
	"testing"
)

func TestAdded_JoinsWhatWasNotReadYet(t *testing.T) {
	old := change{Project: "quayside", Change: 4, Decided: map[string]int64{"quayside/1": 3}, Events: []string{"quayside/2"}}
	now := change{Project: "quayside", Change: 6, Decided: map[string]int64{"quayside/1": 5, "quayside/7": 1}, Events: []string{"quayside/2", "quayside/1"}}
	want := change{Project: "quayside", Change: 6, Decided: map[string]int64{"quayside/1": 5, "quayside/7": 1}, Events: []string{"quayside/1", "quayside/2"}}
	if got := added(old, now); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if got := added(old, change{}); !reflect.DeepEqual(got, old) {
		t.Errorf("nothing new: %+v", got)
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
