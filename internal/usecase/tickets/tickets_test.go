package tickets_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/alerting"
)

// A ticket is made with all that is needed, and the two follow each other both ways.
func TestTickets_FollowEachOther(t *testing.T) {
	s := open(t)
	if row := s.make(1); row.State != deliveries.Sent || row.Type != "firethorn.ticket.create" {
		t.Fatalf("%+v", row)
	}
	c := s.board.cards[0]
	if !strings.Contains(c.Title, s.Issue(1).Headline) || !strings.Contains(c.Text, "tideAt") ||
		!strings.Contains(c.Text, "https://firethorn.example/p/quayside/issues/1") || !strings.Contains(c.Text, "made by Maren Holt") {
		t.Errorf("%s\n%s", c.Title, c.Text)
	}
	got := s.tickets(1)
	if len(got) != 1 || got[0].Key != "1" || got[0].Link != "https://board.example/t/1" || got[0].Tracker != "board" || !s.InHistory(1, "ticket 1 was made in board") {
		t.Fatalf("%+v", got)
	}
	s.fix(1)
	s.step()
	s.want(1, issue.Fixed, "done")
	if n := c.notes; len(n) != 1 || !strings.Contains(n[0].Text, "The issue was fixed: ") {
		t.Errorf("%+v", n)
	}
	s.Now = s.Now.Add(time.Minute)
	s.File(testbed.Event{Function: "tideAt", User: "p-2", Release: "4.2.0", At: s.Now, Env: "production"})
	s.step()
	s.want(1, issue.Regressed, "todo")
	if n := c.notes; len(n) != 2 || !strings.HasPrefix(n[1].Text, "The issue came back in 4.2.0") {
		t.Errorf("%+v", n)
	}
	s.board.set(1, "rejected")
	s.hour()
	s.want(1, issue.Fixed, "rejected")
	if !s.InHistory(1, "fixed in the next release after 4.2.0") {
		t.Error("the history does not say that it was fixed")
	}
	s.board.set(1, "doing")
	s.hour()
	s.want(1, issue.Accepted, "doing")
	if got := s.comments(1); len(got) != 0 {
		t.Errorf("an echo of our own comments: %q", got)
	}
	c.notes = append(c.notes, note{"x", "The tide tables are *late*.", "Ines Prado"})
	s.hour()
	s.hour()
	if got := s.comments(1); len(got) != 1 || !strings.Contains(got[0], "Ines Prado wrote in ticket 1:") || !strings.Contains(got[0], "*late*") {
		t.Errorf("%q", got)
	}
	if writes := strings.Join(s.board.writes, ", "); writes != "POST tickets, POST tickets/comments, PATCH tickets, POST tickets/comments, PATCH tickets" {
		t.Errorf("the board was written to: %s", writes)
	}
}

// Closed in the tracker, an issue is fixed in the version that the ticket names.
func TestTickets_FixInTheVersionThatTheTicketNames(t *testing.T) {
	s := open(t)
	s.make(1)
	s.board.cards[0].FixedIn = "4.3.0"
	s.board.set(1, "done")
	s.hour()
	if got := s.Issue(1); got.State != issue.Fixed || got.FixedIn != "4.3.0" {
		t.Errorf("%s in %q", got.State, got.FixedIn)
	}
}

func TestTickets_AnIssueWithSeveralIsFixedWhenAllAreClosed(t *testing.T) {
	s := open(t)
	s.make(1)
	if _, err := s.Alerting.MakeTicket(t.Context(), s.Issue(1), "second", false, maren, alerting.ReaderOf(s.Units)); err != nil {
		t.Fatal(err)
	}
	s.board.set(1, "done")
	s.hour()
	s.want(1, issue.New, "done", "todo")
	s.board.set(2, "done")
	s.hour()
	s.want(1, issue.Fixed, "done", "done")
	before := len(s.board.writes)
	s.board.set(1, "doing") // reopened in one tracker: it does not go on to the other
	s.hour()
	s.hour()
	s.want(1, issue.Accepted, "doing", "done")
	if len(s.board.writes) != before {
		t.Errorf("written to the other tracker: %v", s.board.writes[before:])
	}
	s.fix(1)
	s.step()
	s.want(1, issue.Fixed, "done", "done")
}

// A ticket of two issues is closed when both are, and fixes both.
func TestTickets_OneForSeveralIssues(t *testing.T) {
	s := open(t)
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.make(1)
	if err := s.Tickets.Link(t.Context(), s.Issue(2), "board", "1", maren); err != nil {
		t.Fatal(err)
	}
	s.fix(1)
	s.step()
	s.want(1, issue.Fixed, "todo")
	s.fix(2)
	s.step()
	s.want(2, issue.Fixed, "done")
	s.board.set(1, "todo")
	s.hour()
	s.want(1, issue.Accepted)
	s.want(2, issue.Accepted)
	s.board.set(1, "done")
	s.hour()
	s.want(1, issue.Fixed)
	s.want(2, issue.Fixed)
}

// What an outage delays is made up for, once.
func TestTickets_MakeUpForAnOutage(t *testing.T) {
	s := open(t)
	s.board.fail = func(string) int { return 500 }
	if row := s.make(1); row.State != deliveries.Waiting {
		t.Fatalf("%s", row.State)
	}
	if _, err := s.Alerting.MakeTicket(t.Context(), s.Issue(1), "board", false, maren, alerting.ReaderOf(s.Units)); testbed.Code(err) != problem.Conflict {
		t.Errorf("a second one while the first is being made: %v", err)
	}
	s.board.fail = nil
	lost := 0
	s.board.lose = func(call string) bool { lost++; return call == "POST tickets" } // made, and the answer is lost
	s.Now = s.Now.Add(2 * time.Minute)
	s.step()
	s.board.lose = nil
	s.hour()
	if len(s.board.cards) != 1 || len(s.tickets(1)) != 1 || lost == 0 {
		t.Fatalf("%d tickets there, %d known", len(s.board.cards), len(s.tickets(1)))
	}
	s.fix(1)
	comments := 0
	s.board.lose = func(call string) bool { // the comment arrives, and its answer does not
		if call == "POST tickets/comments" {
			comments++
		}
		return call == "POST tickets/comments" && comments == 1
	}
	s.step()
	s.hour()
	s.want(1, issue.Fixed, "done")
	if n := s.board.cards[0].notes; len(n) != 1 {
		t.Errorf("%d comments", len(n))
	}
}

func TestTickets_GoneOrRefusingOnesAreReported(t *testing.T) {
	s := open(t)
	s.make(1)
	s.board.fail = func(call string) int { return map[bool]int{true: 422}[call == "PATCH tickets"] }
	s.fix(1)
	for range 5 {
		s.hour()
	}
	got := s.tickets(1)[0]
	patched := 0
	for _, w := range s.deliveries() {
		if w.State == deliveries.Failed {
			patched++
		}
	}
	if patched != 1 || !strings.Contains(got.Trouble, "422") || !s.InHistory(1, "board did not let ticket 1 follow") {
		t.Errorf("%d refused, trouble %q", patched, got.Trouble)
	}
	s.board.fail = nil
	s.board.cards[0].gone = true
	s.hour()
	if got := s.tickets(1)[0]; !got.Gone || !strings.Contains(got.Trouble, "does not show the ticket any more") || !s.InHistory(1, "ticket 1 is gone from board, or may not be seen") {
		t.Errorf("%+v", got)
	}
	reads := 0
	s.board.fail = func(string) int { reads++; return 0 }
	s.hour()
	s.Act(1, issue.Action{Verb: issue.Reopen})
	s.hour()
	if reads != 0 {
		t.Errorf("the ticket was asked for %d times", reads)
	}
	s.make(1)
	if len(s.tickets(1)) != 2 {
		t.Error("no new ticket can be made")
	}
}

// A ticket that is moved, and has another key since, is followed.
func TestTickets_FollowAMove(t *testing.T) {
	s := open(t)
	s.make(1)
	s.board.cards[0].was, s.board.cards[0].Number = 1, 900
	s.hour()
	if got := s.tickets(1)[0]; got.Key != "900" || !s.InHistory(1, "ticket 1 is 900 now in board") {
		t.Errorf("%+v", got)
	}
	s.fix(1)
	s.step()
	s.want(1, issue.Fixed, "done")
}

// A tracker that answers nothing is asked once in a while, not once for each ticket. Tickets
// that have long been closed are read seldom.
func TestRead_AsksForLittle(t *testing.T) {
	s := open(t)
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.make(1)
	s.make(2)
	asked := 0
	s.board.fail = func(string) int { asked++; return 503 }
	s.Now = s.Now.Add(61 * time.Minute)
	s.step()
	s.step()
	if got := s.tickets(1)[0]; asked != 1 || !strings.Contains(got.Trouble, "answered 503") {
		t.Errorf("asked %d times, trouble %q", asked, got.Trouble)
	}
	s.board.fail = nil
	s.hour()
	if got := s.tickets(1)[0]; got.Trouble != "" {
		t.Errorf("it answers again, and the trouble stays: %s", got.Trouble)
	}
	s.fix(1)
	s.step()
	s.Now = s.Now.AddDate(0, 0, 8)
	s.step()
	reads := map[int]int{}
	for range 20 {
		s.hour()
		for i := range 2 {
			if got := s.tickets(int64(i) + 1)[0]; got.Read.Equal(s.Now) {
				reads[i]++
			}
		}
	}
	if reads[0] > 1 || reads[1] != 20 {
		t.Errorf("read in 20 hours: closed %d, open %d times", reads[0], reads[1])
	}
}

func TestRule_MakesOneTicketForAnIssue(t *testing.T) {
	s := open(t)
	s.alertTo(`became("new") || became("regressed")`)
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.step()
	if len(s.board.cards) != 1 || len(s.tickets(2)) != 1 || !s.InHistory(2, "ticket 1 was made in board") {
		list, err := s.Alerting.Alerts(t.Context(), s.Project, s.Issue(2).ID, 0, 10)
		t.Fatalf("%d tickets; %v, alerts %+v", len(s.board.cards), err, list)
	}
	s.fix(2)
	s.step()
	s.Now = s.Now.Add(time.Minute)
	s.File(testbed.Event{Function: "zoneOf", User: "p-2", Release: "4.2.0", At: s.Now, Env: "production"})
	s.step()
	s.hour()
	s.want(2, issue.Regressed, "todo")
	if len(s.board.cards) != 1 {
		t.Errorf("%d tickets for one issue", len(s.board.cards))
	}
	p, err := s.Projects.ProjectByID(t.Context(), s.Project.ID)
	if err != nil {
		t.Fatal(err)
	}
	list, err := s.Alerting.Alerts(t.Context(), p, s.Issue(2).ID, 0, 10)
	if err != nil || !strings.Contains(fmt.Sprint(list[0].Outcome), "the issue has the open ticket 1") {
		t.Errorf("%v %+v", err, list[0].Outcome)
	}
}

func TestLink_AndUnlink(t *testing.T) {
	s := open(t)
	s.board.cards = []*card{{Number: 1, State: "todo", Changed: s.Now, notes: []note{{"1", "old", "Ines Prado"}}}, {Number: 2, State: "done", Changed: s.Now}}
	for name, c := range map[string]struct {
		in, key string
		want    problem.Code
	}{
		"no such ticket":            {"board", "77", problem.NotFound},
		"no such tracker":           {"bored", "1", problem.NotFound},
		"closed, of an open issue":  {"board", "2", problem.Conflict},
		"an empty key":              {"board", " ", problem.BadInput},
		"a key that is no key here": {"board", "../../x", problem.NotFound},
	} {
		if err := s.Tickets.Link(t.Context(), s.Issue(1), c.in, c.key, maren); testbed.Code(err) != c.want {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := s.Tickets.Link(t.Context(), s.Issue(1), "board", "1", maren); err != nil {
		t.Fatal(err)
	}
	if err := s.Tickets.Link(t.Context(), s.Issue(1), "board", "1", maren); testbed.Code(err) != problem.Conflict {
		t.Errorf("linked twice: %v", err)
	}
	s.hour()
	if got := s.comments(1); len(got) != 0 {
		t.Errorf("comments from before were taken over: %q", got)
	}
	if err := s.Tickets.Unlink(t.Context(), s.Issue(1), "", "1", maren); err != nil || len(s.tickets(1)) != 0 {
		t.Errorf("unlink: %v", err)
	}
	if err := s.Tickets.Unlink(t.Context(), s.Issue(1), "", "1", maren); testbed.Code(err) != problem.NotFound {
		t.Errorf("unlinked twice: %v", err)
	}
	if n := s.One("SELECT (SELECT COUNT(*) FROM ticket)+(SELECT COUNT(*) FROM ticket_comment)"); n != 0 {
		t.Errorf("%d rows are left of a ticket that stands for nothing", n)
	}
}

// Merged issues share their tickets.
func TestTickets_FollowAMerge(t *testing.T) {
	s := open(t)
	s.File(testbed.Event{Function: "zoneOf", User: "p-1", Release: "4.2.0", At: s.Now, Env: "production"})
	s.make(2)
	s.Merge(1, 2)
	if got := s.tickets(1); len(got) != 1 {
		t.Fatalf("%d tickets", len(got))
	}
	s.fix(1)
	s.step()
	s.want(1, issue.Fixed, "done")
}
