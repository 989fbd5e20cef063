package alerting_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/problem"
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

// What a process wrote whose clock is ahead is not overtaken by what came after it.
func TestPlan_KeepsTheOrderOfClocksThatDiffer(t *testing.T) {
	s := open(t, "alerts:\n"+rule("all", `became("new") || became("fixed")`, ""))
	s.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	if _, err := s.DB.ExecContext(t.Context(), "UPDATE alert_occurrence SET due=due+3000000000"); err != nil {
		t.Fatal(err)
	}
	s.fix(1)
	s.plan()
	var got []string
	for _, a := range s.office.got {
		got = append(got, strings.TrimPrefix(a.event.Type, "firethorn.issue."))
	}
	if all := strings.Join(got, ", "); all != "new, fixed" {
		t.Error(all)
	}
}

// What a batch writes stands in the order in which it was written, whichever event caused it.
func TestFire_PositionsGrow(t *testing.T) {
	text := "alerts:\n"
	for i := range 8 {
		text += rule(fmt.Sprintf("rule %d", 8-i), fmt.Sprintf(`release == "4.2.%d"`, i), ", events: 1, within: 1h, to: [hook]")
	}
	s := open(t, text)
	var batch []testbed.Event
	for i := range 8 {
		batch = append(batch, testbed.Event{Function: "tideAt", User: "p-1", Release: fmt.Sprintf("4.2.%d", i), At: s.Now, Env: "production"})
	}
	s.File(batch...)
	if n := s.One("SELECT COUNT(*) FROM alert_occurrence WHERE what='threshold'"); n != 8 {
		t.Fatalf("%d thresholds were reached", n)
	}
	if n := s.One("SELECT COUNT(*) FROM alert_occurrence a JOIN alert_occurrence b ON b.id>a.id WHERE b.position<a.position"); n != 0 {
		t.Errorf("%d pairs are out of order", n)
	}
}

// A destination is not renamed to what rules mean otherwise, nor to a name that is taken.
func TestDestination_IsRenamedToAFreeNameOnly(t *testing.T) {
	s := open(t, newRule)
	d, err := s.Alerting.Destination(t.Context(), "second")
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]problem.Code{"owner": problem.BadInput, "": problem.BadInput, "hook": problem.Conflict} {
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
