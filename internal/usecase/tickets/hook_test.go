package tickets_test

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"strconv"
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
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
func TestHear(t *testing.T) {
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
		want           fault.Code
	}{
		{"signed by somebody else", "board", body, signed("whsec_x", "d-1", body, s.Now), fault.Unauthorized},
		{"for another tracker", "second", body, good, fault.Unauthorized},
		{"for no tracker", "nowhere", body, good, fault.Unauthorized},
		{"changed on the way", "board", `{"ticket":{"number":2}}`, good, fault.Unauthorized},
		{"old", "board", body, signed(d.HookSecret, "d-0", body, s.Now.Add(-time.Hour)), fault.BadInput},
		{"of no ticket", "board", `{}`, signed(d.HookSecret, "d-0", `{}`, s.Now), fault.BadInput},
	} {
		if err := s.Tickets.Hear(t.Context(), c.to, c.header, []byte(c.body)); testbed.Code(err) != c.want {
			t.Errorf("%s: %v", c.name, err)
		}
		s.step()
		s.want(1, issue.New)
	}
	if err := s.Tickets.Hear(t.Context(), "board", good, []byte(body)); err != nil {
		t.Fatal(err)
	}
	s.step()
	s.want(1, issue.Fixed)
	if err := s.Tickets.Hear(t.Context(), "board", good, []byte(body)); testbed.Code(err) != fault.Conflict {
		t.Errorf("a replay: %v", err)
	}
	const other = `{"ticket":{"number":77}}`
	if err := s.Tickets.Hear(t.Context(), "board", signed(d.HookSecret, "d-2", other, s.Now), []byte(other)); err != nil {
		t.Errorf("of a ticket that nobody tied: %v", err)
	}
	s.Now = s.Now.AddDate(0, 0, 8)
	if err := s.Tickets.Forget(t.Context()); err != nil || s.One("SELECT COUNT(*) FROM ticket_hook") != 0 {
		t.Errorf("old webhooks are kept: %v", err)
	}
}
