package triage_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/triage"
)

func TestHolding_BySessionsOfReleases(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.People()
	for i := range 4 {
		b.File(testbed.Event{Function: "tideAt", Release: "4.1.0", At: b.Now, Session: fmt.Sprintf("4.1.0-%d", i)})
	}
	b.Sessions("4.1.0", 100)
	if got := b.Holding(1); got != "" {
		t.Errorf("of one that is new: %q", got)
	}
	b.Fix(1, "4.2.0")
	if got := b.Holding(1); got != "no session with the fix yet; before, 4 of 100 sessions had it" {
		t.Errorf("nobody runs it yet: %q", got)
	}
	b.Now = b.Now.Add(time.Hour)
	b.Sessions("4.1.0", 200) // goes on, and says nothing
	b.Sessions("4.2.0", 200)
	if got := b.Holding(1); !strings.HasPrefix(got, "the fix is holding, 9") || !strings.Contains(got, "not seen in 200 sessions with it; before, 4 of 200 sessions had it") {
		t.Errorf("it says %q", got)
	}
	b.Sessions("4.2.1", 400)
	for range 2 { // it is said once
		if _, err := b.Triage.NotifyHolding(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	if n := b.One("SELECT COUNT(*) FROM history WHERE kind='holding'"); n != 1 {
		t.Errorf("it is said %d times", n)
	}
	if n := b.One("SELECT COUNT(*) FROM notice n JOIN person p ON p.id=n.person WHERE p.name='Maren Holt' AND n.kind='holding'"); n != 1 {
		t.Errorf("who fixed it hears of it %d times", n)
	}
}

func TestHolding_ByDays(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for range 10 {
		b.Now = b.Now.Add(testbed.Day)
		b.File(testbed.Event{Function: "tideAt", Release: "4.1.0", At: b.Now})
	}
	b.Act(1, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNow}})
	b.Now = b.Now.Add(5 * testbed.Day)
	if got := b.Holding(1); !strings.HasPrefix(got, "the fix is holding, ") || !strings.Contains(got, "not seen in 5 days with it; before, 9 of 9 days had it") {
		t.Errorf("it says %q", got)
	}
}

func TestQuiet_ListsIssuesThatStopped(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for range 10 {
		b.Now = b.Now.Add(testbed.Day)
		b.File(testbed.Event{Function: "tideAt", Release: "4.1.0", At: b.Now})
	}
	quiet := func(st issue.State) string {
		is := b.Issue(1)
		return triage.Quiet(st, is.LastSeen, is.Trend, b.Now)
	}
	if got := quiet(issue.New); got != "" {
		t.Errorf("seen today, and %q", got)
	}
	b.Now = b.Now.Add(5 * testbed.Day)
	if got := quiet(issue.New); got != "gone quiet: not seen for 4 days, after it was seen on 9 of 9 days" {
		t.Errorf("it says %q", got)
	}
	if got := quiet(issue.Dismissed); got != "" {
		t.Errorf("of a dismissed one: %q", got)
	}
}
