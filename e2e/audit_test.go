package e2e

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"
)

// Who did what stands in the audit, refusals among it, and can be listed, exported and
// checked at the command line.
func TestAudit(t *testing.T) {
	t.Parallel()
	s, name := shared, "audited"
	s.project(t, name)
	s.run(t, 0, "project", "change", "--log-messages", "error", name)
	var token struct {
		ID    int64
		Token string
	}
	s.json(t, &token, "token", "create", "audited-build", "--scope", "build")
	out, _ := s.run(t, 0, "audit", "list", "--project", name)
	for _, want := range []string{"project created", "project changed", "127.0.0.1"} {
		if !strings.Contains(out, want) {
			t.Errorf("the project's entries lack %q:\n%s", want, out)
		}
	}
	if strings.Contains(out, "token created") {
		t.Errorf("what is about no project stands there:\n%s", out)
	}
	out, _ = s.run(t, 0, "audit", "list", "--limit", "500")
	if !strings.Contains(out, "(audited-build)") || strings.Contains(out, token.Token) {
		t.Errorf("all entries:\n%s", out)
	}
	req, err := http.NewRequest(http.MethodGet, s.url+"/api/me", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer tide")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	until(t, "the refusal is written down", func() bool {
		out, _ := s.run(t, 0, "audit", "list", "--limit", "500")
		return strings.Contains(out, "a wrong token")
	})
	if out, _ := s.run(t, 0, "audit", "verify"); !strings.Contains(out, "as they were written; the newest is ") {
		t.Errorf("verify: %s", out)
	}
	out, _ = s.run(t, 0, "audit", "export")
	for line := range strings.Lines(out) {
		var e struct {
			ID   int64
			Hash string
		}
		if err := json.Unmarshal([]byte(line), &e); err != nil || e.ID == 0 || len(e.Hash) != 64 {
			t.Fatalf("%v: %s", err, line)
		}
	}
	if !strings.Contains(out, `"action":"audit exported"`) {
		t.Error("that it was exported is not in the export")
	}
	if _, errs := s.run(t, 2, "audit", "list", "--since", "yesterday"); !strings.Contains(errs, "is no time") {
		t.Error(errs)
	}
}
