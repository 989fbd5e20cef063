package api

import (
	"net/http"
	"strings"
	"testing"

	"firethorn/internal/core/access"
	"firethorn/internal/store/accounts"
)

// No way round the reason leads to a role: not a team, not being somebody else.
func TestOperators_HaveNoWayRoundTheReason(t *testing.T) {
	c := newCrew(t)
	ask := func(method, path, body string, want int, says string) {
		t.Helper()
		if status, text := c.asks("operator", method, path, body); status != want || !strings.Contains(text, says) {
			t.Errorf("%s %s %s: %d, want %d: %s", method, path, body, status, want, text)
		}
	}
	ask("POST", "/api/teams", `{"name":"Harbour Crew","members":["Ines Brandt"]}`, 200, "harbour-crew")
	ask("PUT", "/api/projects/quayside/members", `{"who":"@harbour-crew","role":"viewer"}`, 400, "say why")
	ask("PATCH", "/api/teams/Harbour%20Crew", `{"remove":["Ines Brandt"]}`, 200, "")
	ask("PUT", "/api/projects/quayside/members", `{"who":"@harbour-crew","role":"viewer"}`, 200, "")
	ask("PATCH", "/api/teams/Harbour%20Crew", `{"add":["Tor Aasen","Ines Brandt"]}`, 403, "with a reason")
	ask("PATCH", "/api/teams/Harbour%20Crew", `{"add":["Signe Dahl"]}`, 200, "Signe Dahl")
	ask("POST", "/api/people/Oke%20Farrow/merge", `{"into":"Ines Brandt"}`, 403, "another operator")
	ask("PUT", "/api/people/Ines%20Brandt/role", `{"role":"viewer"}`, 400, "say why")
	if status, _ := c.asks("operator", "GET", "/api/issues/quayside/1", ""); status != http.StatusForbidden {
		t.Errorf("an operator reads an issue: %d", status)
	}
}

// A token that may less than its person makes no session of theirs, and sees none.
func TestLinkForMe_NeedsAWholeToken(t *testing.T) {
	c := newCrew(t)
	maren, err := c.Accounts.FindPerson(t.Context(), "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	c.callers["her reader"] = c.token(accounts.NewToken{Label: "x", Scope: "read", Kind: access.KindRead, Given: access.KindRead.Usual(), Person: maren.ID})
	c.callers["hers of one project"] = c.token(accounts.NewToken{Label: "x", Scope: "person", Kind: access.KindPerson, Given: access.KindPerson.Usual(), Person: maren.ID, Projects: []int64{c.Project.ID}})
	c.session(maren)()
	for caller, want := range map[string]int{"person token": 200, "her reader": 403, "hers of one project": 403, "member": 403, "read token": 403} {
		if status, text := c.asks(caller, "POST", "/api/me/link", ""); status != want || (want == 200) != strings.Contains(text, "sign_in_link") {
			t.Errorf("%s: %d %s", caller, status, text)
		}
	}
	for caller, sees := range map[string]bool{"person token": true, "her reader": false, "hers of one project": false} {
		if _, text := c.asks(caller, "GET", "/api/me/sessions", ""); strings.Contains(text, `"id"`) != sees {
			t.Errorf("%s: %s", caller, text)
		}
	}
}

// A build is told no count of what was reported.
func TestAnnounce_HidesCountsFromBuilds(t *testing.T) {
	c := newCrew(t)
	for caller, want := range map[string]bool{"build token": false, "member": true} {
		for path, body := range map[string]string{"/api/projects/quayside/releases": `{"version":"4.2.0"}`,
			"/api/projects/quayside/release/deploys?version=4.2.0": `{"environment":"production"}`} {
			status, text := c.asks(caller, "POST", path, body)
			if status != http.StatusOK || strings.Contains(text, `"events":0`) == want || strings.Contains(text, `"issues":0`) == want {
				t.Errorf("%s %s: %d %s", caller, path, status, text)
			}
		}
	}
}
