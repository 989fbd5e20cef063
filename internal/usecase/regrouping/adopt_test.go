package regrouping_test

import (
	"fmt"
	"testing"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/testbed"
)

// A function that many others call to fail on their behalf is found out: who
// calls it from then on has an issue of its own, and what was processed before
// stays where it is.
func TestFile_FindsOutWhoFailsOnBehalfOfOthers(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i, caller := range []string{"openGate", "closeGate", "countSeats"} {
		if n := b.AddEvent("shut", "barrier", caller); n != 1 {
			t.Fatalf("caller %d: %d issues", i+1, n)
		}
	}
	if n := b.AddEvent("shut", "barrier", "callCrew"); n != 2 {
		t.Fatalf("the fourth caller: %d issues", n)
	}
	if n := b.AddEvent("shut", "barrier", "ringBell"); n != 3 {
		t.Errorf("the fifth caller: %d issues", n)
	}
	for _, caller := range []string{"openGate", "closeGate", "callCrew", "callCrew", "ringBell"} {
		if n := b.AddEvent("shut", "barrier", caller); n != 3 {
			t.Errorf("%s again: %d issues", caller, n)
		}
	}
	if got := b.One("SELECT COUNT(*) FROM issue_list WHERE headline='GateError in callCrew' AND events=3"); got != 1 {
		t.Errorf("the issue of the fourth caller is not called by it")
	}
	if got := b.One("SELECT events FROM issue_list ORDER BY issue LIMIT 1"); got != 5 {
		t.Errorf("%d events in the first issue, want 5", got)
	}
	// A mistake in the function itself is its own, however many call it.
	for _, caller := range []string{"a1", "b2", "c3", "d4", "e5", "f6"} {
		if n := b.AddEvent("Cannot read properties of undefined (reading 'gate')", "locate", caller+"Caller"); n != 4 {
			t.Errorf("%s: %d issues", caller, n)
		}
	}
	// One whose name says that it asks for others is found out at the second.
	b.AddEvent("GET /gates was answered with 500", "fetchJson", "drawGates")
	if n := b.AddEvent("GET /seats was answered with 500", "fetchJson", "drawSeats"); n != 6 {
		t.Errorf("a second caller of fetchJson: %d issues", n)
	}
	b.Recounted()
}

// A binary with another grouping version finds the issues that are there.
func TestAdoptGrouping_RegroupsNothing(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	all := func() (issues int64) {
		for i := range 5 {
			b.AddEvent("shut", fmt.Sprintf("gate%cOpens", 'A'+i))
		}
		for _, caller := range []string{"openGate", "closeGate", "countSeats", "callCrew", "ringBell"} { // the last two have issues of their own
			issues = b.AddEvent("shut", "barrier", caller)
		}
		return issues
	}
	before := all()
	b.Older()
	if n, err := b.Regrouping.AdoptGrouping(t.Context(), b.Project.ID, fingerprint.Version, b.Printed); err != nil || n != 10 {
		t.Fatalf("%d variants, %v", n, err)
	}
	if n, err := b.Regrouping.AdoptGrouping(t.Context(), b.Project.ID, fingerprint.Version, b.Printed); err != nil || n != 0 {
		t.Errorf("a second time: %d variants, %v", n, err)
	}
	if n := all(); n != before || before != 8 {
		t.Errorf("%d issues, there were %d", n, before)
	}
	if n := b.One("SELECT COUNT(*) FROM issue_list WHERE events=2"); n != 7 {
		t.Errorf("%d issues have both events, want 7", n)
	}
	if n := b.One("SELECT events FROM issue_list WHERE events>2"); n != 6 {
		t.Errorf("the issue of three callers has %d events, want 6", n)
	}
	b.Recounted()
}
