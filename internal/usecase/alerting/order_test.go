package alerting_test

import (
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/testbed"
)

// While an alert waits for a readable trace, later ones about its issue wait behind it. Other
// issues do not.
func TestPlan_KeepsTheOrderOfAnIssueThatWaitsForSymbols(t *testing.T) {
	s := open(t, "alerts:\n"+rule("all", `became("new") || became("fixed")`, ""))
	s.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	for _, unreadable := range []string{"UPDATE variant SET provisional=1",
		"UPDATE alert_occurrence SET due=due+120000000, variant=(SELECT MIN(id) FROM variant)"} {
		if _, err := s.DB.ExecContext(t.Context(), unreadable); err != nil {
			t.Fatal(err)
		}
	}
	s.fix(1)
	s.happen("zoneOf")
	s.later(3 * time.Minute)
	s.plan()
	var got []string
	for _, a := range s.office.got {
		got = append(got, a.event.Subject+" "+strings.TrimPrefix(a.event.Type, "firethorn.issue."))
	}
	if all := strings.Join(got, ", "); all != "quayside/2 new, quayside/1 new, quayside/1 fixed" {
		t.Error(all)
	}
}

// A destination is not renamed to what rules mean otherwise, nor to a name that is taken.
func TestDestination_IsRenamedToAFreeNameOnly(t *testing.T) {
	s := open(t, newRule)
	d, err := s.Alerting.Destination(t.Context(), "second")
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]fault.Code{"owner": fault.BadInput, "": fault.BadInput, "hook": fault.Conflict} {
		after := *d.Destination
		after.Name = name
		if err := s.Alerting.ChangeDestination(t.Context(), d.Destination, &after); testbed.Code(err) != want {
			t.Errorf("renamed to %q: %v", name, err)
		}
	}
}

// A test that does not arrive is over: it is not sent later, also where its destination is
// paused.
func TestTest_IsTriedOnce(t *testing.T) {
	s := open(t, newRule)
	s.office.status = func(int) int { return 500 }
	if _, err := s.DB.ExecContext(t.Context(), "UPDATE destination SET paused=1, probe=1"); err != nil {
		t.Fatal(err)
	}
	row, tries, err := s.Alerting.Test(t.Context(), "hook", nil)
	if err != nil || row.State != deliveries.Failed || len(tries) != 1 {
		t.Errorf("%v, %d tries, %v", row.State, len(tries), err)
	}
	s.later(48 * time.Hour)
	s.plan()
	if n := len(s.office.got); n != 1 {
		t.Errorf("it was sent %d times", n)
	}
}
