package tickets_test

import (
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/alerting"
)

// Who asks for another ticket gets one beside the open one.
func TestMake_Another(t *testing.T) {
	s := open(t)
	s.make(1)
	s.Now = s.Now.Add(time.Second)
	row, err := s.Alerting.MakeTicket(t.Context(), s.Issue(1), "board", true, maren, alerting.ReaderOf(s.Units))
	if err != nil || row.State != deliveries.Sent || len(s.board.cards) != 2 || len(s.tickets(1)) != 2 {
		t.Errorf("%v, %s, %d tickets there, %d known", err, row.State, len(s.board.cards), len(s.tickets(1)))
	}
}

// A ticket is looked for only after a try that may have made it, and none is made while it
// cannot be looked for.
func TestMake_LooksForOneAfterALostAnswer(t *testing.T) {
	s := open(t)
	var calls []string
	s.board.fail = func(call string) int { calls = append(calls, call); return 0 }
	s.make(1)
	if got := strings.Join(calls, ", "); got != "POST tickets" {
		t.Errorf("the first try asked %s", got)
	}
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.board.lose = func(call string) bool { return call == "POST tickets" }
	s.make(2)
	s.board.lose = nil
	s.board.fail = func(call string) int { return map[bool]int{true: 503}[call == "GET tickets"] }
	s.Now = s.Now.Add(2 * time.Minute)
	s.step()
	s.board.fail = nil
	s.hour()
	if len(s.board.cards) != 2 || len(s.tickets(2)) != 1 {
		t.Errorf("%d tickets there, %d of the issue known", len(s.board.cards), len(s.tickets(2)))
	}
}

// Linking a ticket to a second issue loses no comment that the first has yet to get.
func TestLink_ASecondIssueLosesNoComment(t *testing.T) {
	s := open(t)
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.make(1)
	s.board.cards[0].notes = []note{{"x", "High water at nine.", "Ines Prado"}}
	if err := s.Tickets.Link(t.Context(), s.Issue(2), "board", "1", maren); err != nil {
		t.Fatal(err)
	}
	s.hour()
	if got := s.comments(1); len(got) != 1 {
		t.Errorf("%q", got)
	}
}

// A merge decides whether a ticket is to be open, as a decision does.
func TestMerge_MovesItsTickets(t *testing.T) {
	s := open(t)
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.make(2)
	s.Act(1, issue.Action{Verb: issue.Dismiss})
	s.Merge(1, 2)
	s.step()
	s.want(1, issue.Dismissed, "done")
	if err := s.Undo(1); err != nil {
		t.Fatal(err)
	}
	s.step()
	s.want(2, issue.New, "todo")
}

// A ticket of a tracker that was removed holds its issue up no more.
func TestRemove_LeavesNoTicketThatHoldsItsIssueUp(t *testing.T) {
	s := open(t)
	s.make(1)
	if _, err := s.Alerting.MakeTicket(t.Context(), s.Issue(1), "second", false, maren, alerting.ReaderOf(s.Units)); err != nil {
		t.Fatal(err)
	}
	if err := s.Alerting.RemoveDestination(t.Context(), "second"); err != nil {
		t.Fatal(err)
	}
	s.board.set(1, "done")
	s.hour()
	s.want(1, issue.Fixed)
	if got := s.tickets(1)[1]; !got.Gone || !strings.Contains(got.Trouble, "removed") {
		t.Errorf("%+v", got)
	}
}
