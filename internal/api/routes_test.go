package api

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/api/calls"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
)

// quay stands in for all stores: its one project is there, tokens are the
// permissions they have, and everything else fails.
type quay struct{ failing }

func (q *quay) GrantOfToken(_ context.Context, text, _ string) (*accounts.Grant, error) {
	if text == "stranger" {
		return nil, problem.New(problem.Unauthorized, "this token is not known")
	}
	text, project, of := strings.Cut(text, "@")
	g := &accounts.Grant{TokenID: 7, Label: "test", Limited: of}
	g.Caller = access.Caller{Token: true, Given: []access.Permission{access.Permission(text)}}
	if of && project != "quayside" {
		g.TokenID = 8
	}
	return g, nil
}

// TokenWithin says that token 7 is good for project 7.
func (q *quay) TokenWithin(_ context.Context, token, project int64) (bool, error) {
	return token == project, nil
}

// tokenFor is a token that has a permission, and as little else as can be.
func tokenFor(need calls.Action) string {
	if of := access.OfToken(need); of == need || access.LeastRole(need) != access.Maintainer {
		return string(of)
	}
	return string(access.Administer)
}

func (q *quay) Project(_ context.Context, name string) (*projects.Project, error) {
	if name != "quayside" {
		return nil, problem.New(problem.NotFound, "there is no project %s", name)
	}
	p := &projects.Project{}
	p.ID, p.Name = 7, name
	return p, q.err
}

// pier is a quay whose projects are found whatever else fails.
type pier struct{ quay }

func (q *pier) Project(ctx context.Context, name string) (*projects.Project, error) {
	return (&quay{}).Project(ctx, name)
}

// serving is the API before stores.
func serving(t *testing.T, s calls.Stores) string {
	t.Helper()
	public, err := url.Parse("http://localhost")
	if err != nil {
		t.Fatal(err)
	}
	r := chi.NewRouter()
	if _, err := New(r, Options{Store: s, Log: slog.New(slog.DiscardHandler), PublicURL: public}); err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(r)
	t.Cleanup(server.Close)
	return server.URL
}

func (q *quay) served(t *testing.T) string {
	t.Helper()
	s := q.stores()
	s.Accounts, s.Projects = q, q
	return serving(t, s)
}

func (q *pier) served(t *testing.T) string {
	t.Helper()
	s := q.stores()
	s.Accounts, s.Projects = q, q
	return serving(t, s)
}

// filled is a route's path with values in the place of its parameters.
func filled(path, project string) string {
	path = strings.ReplaceAll(path, "{project}", project)
	path = strings.ReplaceAll(path, "{number}", "3")
	return regexp.MustCompile(`\{\w+\}`).ReplaceAllString(path, "5")
}

// asked sends a request and reads the problem it is answered with, if it is one.
func asked(t *testing.T, r calls.Route, url, token, body string) (status int, problem map[string]any, header http.Header) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), r.Method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	_ = json.NewDecoder(res.Body).Decode(&problem) // not every answer is JSON
	return res.StatusCode, problem, res.Header
}

// A caller without a token gets 401 from every call, one without the permission 403 with
// the permission's name.
func TestRoutes_AskForTheirPermission(t *testing.T) {
	h := (&quay{}).served(t)
	for _, r := range append(calls.Routes(), calls.Streams()...) {
		path := filled(r.Path, "quayside") + queries[r.ID]
		if r.Need != calls.SignIn {
			if status, p, _ := asked(t, r, h+path, "", "{}"); status != http.StatusUnauthorized || text(p, "detail") == "" {
				t.Errorf("%s without a token: %d %v", r.ID, status, p)
			}
		}
		if r.Need == calls.Anyone || r.Need == calls.SignIn {
			continue
		}
		if status, p, _ := asked(t, r, h+path, "nothing", bodies[r.ID]); status != http.StatusForbidden ||
			!strings.Contains(text(p, "detail"), string(access.OfToken(r.Need))) {
			t.Errorf("%s without %s: %d %v", r.ID, r.Need, status, p)
		}
	}
}

// A token that is good for one project may call what is about that project, and
// nothing else.
func TestRoutes_KeepTokensToTheirProject(t *testing.T) {
	h := (&pier{quay{failing{problem.New(problem.Conflict, "it got through")}}}).served(t)
	of := map[string]string{"show-round": "?project=quayside", "begin-round": "?project=quayside"}
	refused := func(p map[string]any) bool {
		return strings.Contains(text(p, "detail"), "is good for some only") || strings.Contains(text(p, "detail"), `there is no project "quayside"`)
	}
	for _, r := range calls.Routes() {
		if r.Need == calls.Anyone || r.Need == calls.SignIn {
			continue
		}
		path := filled(r.Path, "quayside") + queries[r.ID] + of[r.ID]
		about := strings.Contains(r.Path, "{project}") || of[r.ID] != ""
		filtered := !about && access.LeastRole(r.Need) > access.None && access.LeastRole(r.Need) < access.Nobody
		_, own, _ := asked(t, r, h+path, tokenFor(r.Need)+"@quayside", bodies[r.ID])
		if refused(own) == (about || filtered) {
			t.Errorf("%s, asked with a token of its project: %v", r.ID, own)
		}
		if _, other, _ := asked(t, r, h+path, tokenFor(r.Need)+"@gangway", bodies[r.ID]); refused(other) == filtered {
			t.Errorf("%s, asked with a token of another project: %v", r.ID, other)
		}
	}
	for _, r := range calls.Streams() {
		if r.Need == calls.Anyone || r.ID == "live" {
			continue
		}
		if _, other, _ := asked(t, r, h+filled(r.Path, "quayside"), tokenFor(r.Need)+"@gangway", "{}"); !refused(other) {
			t.Errorf("%s, asked with a token of another project: %v", r.ID, other)
		}
	}
}

// text is a field of a problem.
func text(p map[string]any, field string) string {
	s, _ := p[field].(string)
	return s
}

// queries are those that calls do not do without.
var queries = map[string]string{"unlink-ticket": "?key=41", "delete-issue": "?events=3", "show-release": "?version=4.2.0", "show-quality": "?version=4.2.0", "show-devices": "?version=4.2.0", "list-release-issues": "?version=4.2.0", "check-release": "?version=4.2.0", "compare-releases": "?a=4.2.0&b=4.3.0", "order-releases": "?a=4.2.0&b=4.3.0",
	"mark-deployed": "?version=4.2.0", "why-grouped": "?event=5", "who-changed-line": "?release=1&source=src/tides.ts&line=3"}

// bodies are the least bodies that calls take.
var bodies = map[string]string{
	"change-attribute": `{"name":"plan","dropped":true}`,
	"pause-alert":      `{"rule":"new, back or surging","until":"2030-01-01T00:00:00Z"}`, "resume-alert": `{"rule":"x"}`,
	"create-destination": `{"name":"harbour chat","kind":"chat","url":"https://chat.example/hook"}`, "change-destination": `{"receiver":"x"}`, "change-notice-settings": `{}`,
	"save-search": `{"search":"plan:gold"}`,
	"make-ticket": `{"in":"board"}`, "write-comment": `{"text":"a"}`, "change-comment": `{"text":"a"}`, "merge-issue": `{"into":4}`, "split-issue": `{"by":"message","value":"x"}`,
	"assign-issue": `{"to":"Maren Holt"}`, "fix-issue": `{"next":true}`, "park-issue": `{"park":{"events":5}}`, "severity-issue": `{"severity":"warning"}`,
	"act-on-many": `{"verb":"accept","issues":[{"number":1}]}`, "undo-many": `{"bulk":4}`, "see-notices": `{"up_to":4}`,
	"hand-over": `{"from":"a","to":"b"}`, "sign-in": `{"link":"x"}`, "add-person": `{"name":"Maren Holt","email":"m.holt@marrowsound.example"}`,
	"create-team": `{"name":"Harbour Office","members":[]}`, "change-team": `{"add":["Maren Holt"]}`, "create-token": `{"label":"ci","scope":"build"}`,
	"create-project": `{"name":"bosun"}`, "change-project": `{"keep_days":30}`, "create-key": `{"label":"x"}`, "rotate-key": `{"overlap_hours":1}`,
	"push-rules": `{"text":""}`, "check-rules": `{"text":""}`, "try-rules": `{}`, "watch-rules-trial": `{}`, "adopt-grouping": `{"grouping_version":5}`,
	"announce-release": `{"version":"4.2.0"}`, "mark-deployed": `{"environment":"production"}`, "missing-symbols": `{"hashes":[]}`,
	"push-symbols": `{"release":"4.2.0","files":[]}`, "erase-user": `{"user":"p-7"}`, "try-scoring": `{"weights":{}}`, "change-scoring": `{"weights":{}}`,
	"pass-in-round": `{"issues":["quayside/1"]}`, "set-member": `{"who":"Maren Holt","role":"member"}`, "set-role-everywhere": `{"role":"viewer"}`,
	"set-operator": `{"operator":true}`, "merge-people": `{"into":"Maren Holt"}`, "rotate-token": `{}`,
}

// A call whose store is away is answered with 503 and when to come again; one about
// a project that is not there with 404; each with a problem (RFC 9457).
func TestRoutes_AnswerErrorsInOneWay(t *testing.T) {
	away := &quay{failing{&problem.Error{Code: problem.Unavailable, Pub: "the database does not answer", Retry: 5 * time.Second}}}
	h := away.served(t)
	there := (&quay{}).served(t)
	reached := 0
	for _, r := range calls.Routes() {
		if r.Need == calls.SignIn || r.ID == "list-rule-words" || r.ID == "me" || r.ID == "check-rules" || r.ID == "status" || r.ID == "list-sign-ins" || r.ID == "end-other-sign-ins" {
			continue // ask no store, or answer what it says of itself
		}
		query := queries[r.ID]
		token := tokenFor(r.Need)
		status, p, header := asked(t, r, h+filled(r.Path, "quayside")+query, token, bodies[r.ID])
		switch {
		case status == http.StatusServiceUnavailable && text(p, "detail") == "the database does not answer" && header.Get("Retry-After") == "5":
			reached++
		case status < 400 || status >= 500 || text(p, "detail") == "" || text(p, "code") == "":
			t.Errorf("%s with its store away: %d %v", r.ID, status, p)
		default:
			t.Logf("%s is refused before: %v", r.ID, p["detail"])
		}
		if strings.Contains(r.Path, "{project}") {
			if status, p, _ := asked(t, r, there+filled(r.Path, "nowhere")+query, token, bodies[r.ID]); status != http.StatusNotFound && status != http.StatusBadRequest {
				t.Errorf("%s of a project that is not there: %d %v", r.ID, status, p)
			}
		}
	}
	if reached < 90 {
		t.Errorf("%d calls reached their store: the bodies or queries of this test do not fit", reached)
	}
}

// Bodies that are cut off, name a field twice, have one that is not known or a wrong
// type within a list, are refused with what is wrong and where.
func TestRoutes_RefuseBrokenBodies(t *testing.T) {
	h := (&quay{failing{problem.New(problem.Conflict, "it got through")}}).served(t)
	rows := map[string]calls.Route{}
	for _, r := range calls.Routes() {
		rows[r.ID] = r
	}
	for id, body := range bodies {
		r := rows[id]
		path := filled(r.Path, "quayside") + queries[id]
		first := regexp.MustCompile(`"(\w+)":`).FindString(body)
		broken := map[string]string{"cut off": strings.TrimSuffix(body, "}"), "an unknown field": strings.Replace(body, "{", `{"tide":1,`, 1)}
		if body == "{}" {
			broken["an unknown field"] = `{"tide":1}`
		}
		if first != "" {
			value := strings.TrimPrefix(body, "{"+first)
			broken["a field twice"] = "{" + first + value[:len(value)-1] + "," + first + value
		}
		if i := strings.Index(body, "["); i >= 0 {
			broken["a wrong type within a list"] = body[:i+1] + `{"tide":{}}` + body[strings.Index(body, "]"):]
		}
		for what, text := range broken {
			status, p, _ := asked(t, r, h+path, tokenFor(r.Need), text)
			if status != http.StatusBadRequest || p["detail"] == "" || p["detail"] == nil {
				t.Errorf("%s, %s: %s is answered with %d %v", id, what, text, status, p)
			}
		}
	}
}
