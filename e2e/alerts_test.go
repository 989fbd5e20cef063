package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"firethorn/internal/core/alert"
)

// hook receives webhooks.
type hook struct {
	*httptest.Server
	mu   sync.Mutex
	got  []alert.Envelope
	good int // with a signature that fits
}

func newHook(t *testing.T, secret *string) *hook {
	h := &hook{}
	h.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		var e alert.Envelope
		_ = json.Unmarshal(raw, &e) // a test looks at what came
		h.mu.Lock()
		defer h.mu.Unlock()
		h.got = append(h.got, e)
		if alert.Verify(*secret, alert.Signed{ID: r.Header.Get("webhook-id"), Timestamp: r.Header.Get("webhook-timestamp"), Signatures: r.Header.Get("webhook-signature"), Body: raw}, time.Now()) == nil {
			h.good++
		}
	}))
	t.Cleanup(h.Close)
	return h
}

// types waits for so many messages and gives their types.
func (h *hook) types(t *testing.T, n int) string {
	t.Helper()
	for until := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		h.mu.Lock()
		var types []string
		for _, e := range h.got {
			types = append(types, strings.TrimPrefix(e.Type, "firethorn."))
		}
		h.mu.Unlock()
		if len(types) >= n || time.Now().After(until) {
			return strings.Join(types, " ")
		}
	}
}

// An operator makes a destination, a maintainer pushes rules, an error comes: a signed webhook
// arrives. The page shows why, a pause keeps the next one back, and is said on every page.
func TestAlerts_FromRuleToWebhook(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "ferry-alerts")
	var made struct{ Name, Kind, Secret string }
	h := newHook(t, &made.Secret)
	s.json(t, &made, "destination", "create", "operations", "--kind", "webhook", "--url", h.URL, "--allow-inside")
	if made.Kind != "webhook" || !strings.HasPrefix(made.Secret, "whsec_") {
		t.Fatalf("%+v", made)
	}
	if out, _ := s.run(t, 0, "destination", "show", "operations"); strings.Contains(out, "whsec_") {
		t.Error("the secret is shown a second time")
	}
	s.run(t, 0, "destination", "test", "operations")
	file := filepath.Join(t.TempDir(), "rules.yaml")
	if err := os.WriteFile(file, []byte("alerts:\n  - {name: fresh, when: 'became(\"new\")', to: [operations]}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.run(t, 0, "rules", "push", "--project", "ferry-alerts", file)
	time.Sleep(6 * time.Second) // every process looks at rules after five
	if code, answer := s.post(t, key, event("tideAt", "p-1", "4.2.0")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	if got := h.types(t, 2); got != "test issue.new" {
		t.Fatal(got)
	}
	if e := h.got[1]; e.Subject != "ferry-alerts/1" || e.Source != "/projects/ferry-alerts" || e.Data.Alert.Name != "fresh" || e.Data.Issue == nil || e.Data.Event == nil || h.good != 2 {
		t.Errorf("%+v, %d well signed", e, h.good)
	}
	var list struct {
		Deliveries []struct{ ID, Destination, Type, Subject, State string }
	}
	soon(t, "what arrived is noted as sent", func() bool { // the receiver has it a moment before
		s.json(t, &list, "delivery", "list", "--issue", "ferry-alerts/1")
		return len(list.Deliveries) == 1 && list.Deliveries[0].State == "sent"
	})
	if len(list.Deliveries) != 1 || list.Deliveries[0].State != "sent" || list.Deliveries[0].ID != h.got[1].ID {
		t.Errorf("%+v", list)
	}
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/ferry-alerts/alerts")
	eventually(t, tab, "the alert", `document.querySelector('main').innerText.includes('sent to operations by fresh')`)
	s.run(t, 0, "alert", "pause", "fresh", "--until", "2h", "--project", "ferry-alerts")
	if code, answer := s.post(t, key, event("zoneOf", "p-1", "4.2.0")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	for until := time.Now().Add(20 * time.Second); time.Now().Before(until); time.Sleep(50 * time.Millisecond) {
		if out, _ := s.run(t, 0, "alert", "list", "--project", "ferry-alerts"); strings.Contains(out, "not sent") {
			break
		}
	}
	open(t, tab, s.url+"/p/ferry-alerts/issues")
	eventually(t, tab, "the pause on every page", `document.querySelector('main').innerText.includes('The alert fresh is paused until')`)
	if got := h.types(t, 2); got != "test issue.new" {
		t.Errorf("a paused rule sent: %s", got)
	}
	s.run(t, 0, "alert", "resume", "fresh", "--project", "ferry-alerts")
	s.run(t, 1, "destination", "test", "nowhere")
	check()
}
