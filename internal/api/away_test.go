package api

import (
	"bufio"
	"context"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/triage"

	coreaudit "firethorn/internal/core/audit"
)

// lines reads the lines of a live stream as they come.
func (c *crew) lines(caller string) (<-chan string, func()) {
	c.T.Helper()
	ctx, stop := context.WithCancel(c.T.Context())
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.url+"/api/live", nil)
	if err != nil {
		c.T.Fatal(err)
	}
	req.Header.Set(c.callers[caller]())
	res, err := http.DefaultClient.Do(req)
	if err != nil || res.StatusCode != http.StatusOK {
		c.T.Fatal(res, err)
	}
	out := make(chan string, 100)
	go func() {
		defer res.Body.Close()
		defer close(out)
		for in := bufio.NewScanner(res.Body); in.Scan(); {
			if strings.HasPrefix(in.Text(), "data:") {
				out <- in.Text()
			}
		}
	}()
	return out, stop
}

// heard is what a stream says within a time, or until it says some words.
func heard(lines <-chan string, within time.Duration, words string) string {
	var all []string
	for end := time.After(within); ; {
		if said := strings.Join(all, " "); words != "" && strings.Contains(said, words) {
			return said
		}
		select {
		case l, ok := <-lines:
			if !ok {
				return strings.Join(append(all, "the end"), " ")
			}
			all = append(all, l)
		case <-end:
			return strings.Join(all, " ")
		}
	}
}

// A live stream says what happens in the projects that who listens sees, from moment
// to moment: a role that is taken away ends that.
func TestLive_SendsOnlyVisibleProjects(t *testing.T) {
	c := newCrew(t)
	viewer, stop := c.lines("viewer")
	defer stop()
	other, stop := c.lines("member of another")
	defer stop()
	heard(viewer, time.Second, "") // what changed before
	heard(other, time.Millisecond, "")
	c.In("priceOf", "4.2.0")
	if got := heard(viewer, 30*time.Second, "quayside/2"); !strings.Contains(got, "quayside/2") {
		t.Errorf("a viewer hears %q", got)
	}
	if got := heard(other, time.Second, ""); got != "" {
		t.Errorf("somebody of another project hears %q", got)
	}
	vera, err := c.Accounts.FindPerson(t.Context(), "Vera Lund")
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Accounts.SetRole(t.Context(), vera, accounts.NewRole{Project: c.Project.ID, Role: access.None}); err != nil {
		t.Fatal(err)
	}
	c.In("stepZoom", "4.2.0")
	if got := heard(viewer, 2*time.Second, ""); strings.Contains(got, "quayside") {
		t.Errorf("a viewer no more hears %q", got)
	}
	if _, err := c.Accounts.SignOutPerson(t.Context(), vera.ID); err != nil {
		t.Fatal(err)
	}
	c.In("greet", "4.2.0")
	if got := heard(viewer, 30*time.Second, ""); got != "the end" {
		t.Errorf("signed out, the stream says %q", got)
	}
}

// Who loses their role while they decide about many issues decides about no more of
// them, and is told so; what they decided before stays.
func TestActMany_EndsWithTheRole(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	numbers := map[int64]int64{}
	for i, f := range []string{"tideAt", "priceOf", "zoom", "draw", "greet", "berthOf"} {
		b.In(f, "4.2.0")
		numbers[int64(i+1)] = 0
	}
	left := 3
	still := func(context.Context) error {
		if left--; left < 0 {
			return problem.New(problem.Forbidden, "not any more")
		}
		return nil
	}
	who := accounts.Actor{Kind: "person", ID: 1, Name: "Maren Holt"}
	done, err := b.Triage.ActMany(t.Context(), b.Project, triage.Many{Numbers: numbers, Still: still}, issue.Action{Verb: issue.Accept}, "", who)
	if err != nil || len(done.Done) != 3 || len(done.Refused) != 3 || !strings.Contains(done.Refused[5], "taken away meanwhile") {
		t.Fatalf("%+v, %v", done, err)
	}
	for n, want := range map[int64]issue.State{3: issue.Accepted, 4: issue.New} {
		b.State(n, want)
	}
	left = 1
	if done, err = b.Triage.UndoMany(t.Context(), b.Project, done.Bulk, who, still); err != nil || len(done.Done) != 1 || len(done.Refused) != 2 {
		t.Errorf("taken back: %+v, %v", done, err)
	}
}

// Still asks again who it is: a role, a session and a token that are gone are gone at
// once.
func TestActMany_AsksAgainWhoItIs(t *testing.T) {
	c := newCrew(t)
	oke, err := c.Accounts.FindPerson(t.Context(), "Oke Farrow")
	if err != nil {
		t.Fatal(err)
	}
	header, value := c.callers["maintainer"]()
	c.callers["once"] = func() (string, string) { return header, value }
	const many = `{"verb":"accept","issues":[{"number":1}]}`
	if status, text := c.asks("once", "POST", "/api/projects/quayside/issues/act", many); status != http.StatusOK || !strings.Contains(text, `"done":["quayside/1"]`) {
		t.Fatalf("%d %s", status, text)
	}
	if err := c.Accounts.SetRole(t.Context(), oke, accounts.NewRole{Project: c.Project.ID, Role: access.Viewer}); err != nil {
		t.Fatal(err)
	}
	if status, text := c.asks("once", "POST", "/api/projects/quayside/issues/act", many); status != http.StatusForbidden || !strings.Contains(text, "the role member has; yours there is viewer") {
		t.Errorf("%d %s", status, text)
	}
}

// vanishing is an audit of many pages, whose reader loses the right to read after the
// first.
type vanishing struct {
	breaking
	asked int
}

func (v *vanishing) GrantOfToken(ctx context.Context, text, address string) (*accounts.Grant, error) {
	if v.asked++; v.asked > 2 {
		return nil, problem.New(problem.Unauthorized, "this token is not known")
	}
	return v.breaking.GrantOfToken(ctx, text, address)
}

func (v *vanishing) List(context.Context, audit.Query) ([]coreaudit.Entry, int64, error) {
	page := make([]coreaudit.Entry, 500) // more than is held back before it is sent
	for i := range page {
		page[i] = coreaudit.Entry{ID: int64(900 - i), Kind: "service", Action: "project created", Target: "quayside"}
	}
	return page, 400, nil
}

func TestExportAudit_EndsWithTheRight(t *testing.T) {
	v := &vanishing{}
	s := v.stores()
	s.Accounts, s.Projects, s.Audit = v, v, v
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, serving(t, s)+"/api/audit/export", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer admin")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	entries := 0
	in := bufio.NewReader(res.Body)
	for {
		if _, err = in.ReadString('\n'); err != nil {
			break
		}
		entries++
	}
	if entries == 0 || entries > 500 || err.Error() == "EOF" {
		t.Errorf("%d entries, then %v: it must break off", entries, errors.Unwrap(err))
	}
}

// What cannot be undone, or changes who may do what, wants a sign-in of the last ten
// minutes, of browsers alone.
func TestFreshSignIn(t *testing.T) {
	c := newCrew(t)
	header, value := c.callers["operator"]()
	c.callers["once"] = func() (string, string) { return header, value }
	const role = `{"who":"Signe Dahl","role":"viewer"}`
	put := func(caller string) (int, string) {
		t.Helper()
		return c.asks(caller, "PUT", "/api/projects/quayside/members", role)
	}
	if status, text := put("once"); status != http.StatusOK {
		t.Fatalf("at once: %d %s", status, text)
	}
	c.Now = c.Now.Add(10*time.Minute + time.Second)
	if status, text := put("once"); status != http.StatusForbidden || !strings.Contains(text, `"code":"fresh_sign_in"`) || !strings.Contains(text, "sign in again") {
		t.Errorf("after ten minutes: %d %s", status, text)
	}
	if status, text := c.asks("once", "GET", "/api/projects/quayside/members", ""); status != http.StatusOK {
		t.Errorf("reading: %d %s", status, text)
	}
	if status, text := put("token of all"); status != http.StatusOK {
		t.Errorf("by a token: %d %s", status, text)
	}
	if status, text := put("operator"); status != http.StatusOK { // signs in again
		t.Errorf("signed in again: %d %s", status, text)
	}
	if status, text := c.asks("viewer", "PUT", "/api/projects/quayside/members", role); status != http.StatusForbidden || strings.Contains(text, "fresh_sign_in") {
		t.Errorf("who may not is told that: %d %s", status, text)
	}
}

// Operators who give themselves a role say why; the failed events of a project they
// see without what was in them.
func TestOperators_TakeRolesWithAReason(t *testing.T) {
	c := newCrew(t)
	if _, err := c.DB.ExecContext(t.Context(), "INSERT INTO failed_event (id, project, received, error, body) VALUES (UNHEX(REPEAT('0',32)), ?, 1, 'spoilt', '')", c.Project.ID); err != nil {
		t.Fatal(err)
	}
	if status, text := c.asks("operator", "GET", "/api/queue", ""); status != http.StatusOK || !strings.Contains(text, "spoilt") || strings.Contains(text, `"body":`) {
		t.Errorf("the queue: %d %s", status, text)
	}
	if status, text := c.asks("operator", "GET", "/api/issues/quayside/1", ""); status != http.StatusForbidden || !strings.Contains(text, "an operator can take one with a reason") {
		t.Errorf("an issue: %d %s", status, text)
	}
	for body, want := range map[string]int{`{"who":"Ines Brandt","role":"viewer"}`: 400, `{"who":"Ines Brandt","role":"viewer","reason":"  "}`: 400} {
		if status, text := c.asks("operator", "PUT", "/api/projects/quayside/members", body); status != want || !strings.Contains(text, "say why") {
			t.Errorf("%s: %d %s", body, status, text)
		}
	}
	if status, text := c.asks("operator", "PUT", "/api/projects/quayside/members", `{"who":"Ines Brandt","role":"viewer","reason":"the storm"}`); status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	}
	if status, text := c.asks("operator", "GET", "/api/issues/quayside/1", ""); status != http.StatusOK {
		t.Errorf("an issue, as a viewer: %d %s", status, text)
	}
	if status, text := c.asks("operator", "GET", "/api/audit?project=quayside", ""); !strings.Contains(text, `"reason":"the storm"`) {
		t.Errorf("the audit: %d %s", status, text)
	}
}

// Nobody gives by a token what they do not have.
func TestCreateToken_GivesWhatOneHas(t *testing.T) {
	c := newCrew(t)
	for _, x := range []struct {
		caller, body string
		want         int
	}{
		{"viewer", `{"label":"mine","scope":"person"}`, 200},
		{"viewer", `{"label":"mine","scope":"person","projects":["quayside"]}`, 200},
		{"viewer", `{"label":"mine","scope":"person","projects":["gangway"]}`, 404},
		{"viewer", `{"label":"hers","scope":"person","person":"Maren Holt"}`, 403},
		{"viewer", `{"label":"ci","scope":"build","projects":["quayside"]}`, 403},
		{"member", `{"label":"ci","scope":"build","projects":["quayside"]}`, 403},
		{"maintainer", `{"label":"ci","scope":"build","projects":["quayside"]}`, 200},
		{"maintainer", `{"label":"ci","scope":"build"}`, 403},
		{"maintainer", `{"label":"r","scope":"read","projects":["quayside","gangway"]}`, 404},
		{"maintainer", `{"label":"r","scope":"read","projects":["quayside"]}`, 200},
		{"maintainer", `{"label":"a","scope":"admin","projects":["quayside"]}`, 403},
		{"maintainer", `{"label":"s","scope":"service","permissions":["issues:triage"],"projects":["quayside"]}`, 200},
		{"maintainer", `{"label":"s","scope":"service","projects":["quayside"]}`, 400},
		{"maintainer", `{"label":"s","scope":"service","permissions":["tides:turn"],"projects":["quayside"]}`, 400},
		{"operator", `{"label":"ci","scope":"build"}`, 200},
		{"operator", `{"label":"ci","scope":"build","projects":["quayside"]}`, 200},
		{"operator", `{"label":"r","scope":"read"}`, 403},
		{"operator", `{"label":"r","scope":"read","projects":["quayside"]}`, 403},
		{"operator", `{"label":"a","scope":"admin"}`, 403},
		{"operator", `{"label":"hers","scope":"person","person":"Maren Holt"}`, 403},
		{"operator", `{"label":"ci","scope":"build","permissions":["events:read"]}`, 403},
		{"token of all", `{"label":"hers","scope":"person","person":"Maren Holt"}`, 200},
		{"token of all", `{"label":"whose","scope":"person"}`, 400},
		{"token of all", `{"label":"ci","scope":"build","permissions":["events:read"]}`, 400},
		{"token of all", `{"label":"a","scope":"admin"}`, 200},
		{"person token", `{"label":"mine","scope":"person"}`, 403},
	} {
		if status, text := c.asks(x.caller, "POST", "/api/tokens", x.body); status != x.want {
			t.Errorf("%s, %s: %d, want %d: %s", x.caller, x.body, status, x.want, text)
		}
	}
	// Who rotates a token holds it: operators do not rotate what reads.
	var read int64
	if err := c.DB.QueryRowContext(t.Context(), "SELECT MIN(id) FROM token WHERE kind='read'").Scan(&read); err != nil {
		t.Fatal(err)
	}
	for caller, want := range map[string]int{"operator": 404, "member": 404, "maintainer": 200, "token of all": 200} {
		if status, text := c.asks(caller, "POST", "/api/tokens/"+strconv.FormatInt(read, 10)+"/rotate", `{}`); status != want {
			t.Errorf("%s rotates a token that reads: %d, want %d: %s", caller, status, want, text)
		}
	}
}
