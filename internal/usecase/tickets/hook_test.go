package tickets_test

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"strconv"
	"testing"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/testbed"
)

// signed are the headers of a webhook of the board.
func signed(secret, id, body string, at time.Time) http.Header {
	sent := strconv.FormatInt(at.Unix(), 10)
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(sent + "." + body))
	h := http.Header{}
	h.Set("X-Board-Signature", "sha256="+hex.EncodeToString(mac.Sum(nil)))
	h.Set("X-Board-Time", sent)
	h.Set("X-Board-Delivery", id)
	return h
}

// A webhook lets its ticket be read at once. What is not signed, old or repeated does nothing.
func TestReceive(t *testing.T) {
	s := open(t)
	s.make(1)
	d, err := s.Alerting.Destination(t.Context(), "board")
	if err != nil {
		t.Fatal(err)
	}
	const body = `{"ticket":{"number":1}}`
	s.board.set(1, "done")
	s.step()
	s.want(1, issue.New)
	good := signed(d.HookSecret, "d-1", body, s.Now)
	for _, c := range []struct {
		name, to, body string
		header         http.Header
		want           problem.Code
	}{
		{"signed by somebody else", "board", body, signed("whsec_x", "d-1", body, s.Now), problem.Unauthorized},
		{"for another tracker", "second", body, good, problem.Unauthorized},
		{"for no tracker", "nowhere", body, good, problem.Unauthorized},
		{"changed on the way", "board", `{"ticket":{"number":2}}`, good, problem.Unauthorized},
		{"old", "board", body, signed(d.HookSecret, "d-0", body, s.Now.Add(-time.Hour)), problem.BadInput},
		{"of no ticket", "board", `{}`, signed(d.HookSecret, "d-0", `{}`, s.Now), problem.BadInput},
	} {
		if err := s.Tickets.Receive(t.Context(), c.to, c.header, []byte(c.body)); testbed.Code(err) != c.want {
			t.Errorf("%s: %v", c.name, err)
		}
		s.step()
		s.want(1, issue.New)
	}
	if err := s.Tickets.Receive(t.Context(), "board", good, []byte(body)); err != nil {
		t.Fatal(err)
	}
	s.step()
	s.want(1, issue.Fixed)
	if err := s.Tickets.Receive(t.Context(), "board", good, []byte(body)); testbed.Code(err) != problem.Conflict {
		t.Errorf("a replay: %v", err)
	}
	const other = `{"ticket":{"number":77}}`
	if err := s.Tickets.Receive(t.Context(), "board", signed(d.HookSecret, "d-2", other, s.Now), []byte(other)); err != nil {
		t.Errorf("of a ticket that nobody tied: %v", err)
	}
	s.Now = s.Now.AddDate(0, 0, 8)
	if err := s.Tickets.Forget(t.Context()); err != nil || s.One("SELECT COUNT(*) FROM ticket_hook") != 0 {
		t.Errorf("old webhooks are kept: %v", err)
	}
}

// A webhook that comes while its ticket is read is about a later change: the ticket is read again.
func TestReceive_WhileTheTicketIsRead(t *testing.T) {
	s := open(t)
	s.make(1)
	d, err := s.Alerting.Destination(t.Context(), "board")
	if err != nil {
		t.Fatal(err)
	}
	const body = `{"ticket":{"number":1}}`
	answered := 0
	s.board.lose = func(call string) bool {
		if call != "GET tickets" {
			return false
		}
		if answered++; answered > 1 {
			return false
		}
		c := s.board.cards[0] // the answer with its former state is on its way
		c.State, c.Changed, c.Revision = "done", s.board.now(), c.Revision+1
		if err := s.Tickets.Receive(t.Context(), "board", signed(d.HookSecret, "d-1", body, s.Now), []byte(body)); err != nil {
			t.Error(err)
		}
		return false
	}
	s.Now = s.Now.Add(time.Hour)
	s.step()
	if answered != 1 {
		t.Fatalf("the ticket was read %d times", answered)
	}
	s.step()
	s.want(1, issue.Fixed)
}
