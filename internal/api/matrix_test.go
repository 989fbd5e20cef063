package api

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/api/calls"
	"firethorn/internal/core/access"
	"firethorn/internal/git"
	"firethorn/internal/records"
	"firethorn/internal/repository"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/testbed"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// crew is a service with two projects and callers of all sorts.
type crew struct {
	*testbed.Bench
	url     string
	other   *projects.Project // gangway
	callers map[string]func() (header, value string)

	strangers atomic.Int64
}

// whole gives calls what they work with, from a real database.
func whole(r *records.Records) calls.Stores {
	return calls.Stores{Accounts: r.Accounts, Alerting: r.Alerting, Tickets: r.Tickets, Audit: r.Audit, DB: r.DB, Events: r.Events, Find: r.Find, Health: r.Health, Inbox: r.Inbox, Ingest: r.Ingest, Issues: r.Issues,
		Moves: r.Moves, Overview: r.Overview, Projects: r.Projects, Regrouping: r.Regrouping, Releases: r.Releases, Retention: r.Retention,
		Schema: r.Schema, Scoring: r.Scoring, Similar: r.Similar, Status: r.Status, Symbols: r.Symbols, Trails: r.Trails, Triage: r.Triage}
}

// served starts the API over a real database.
func served(t *testing.T, b *testbed.Bench) string {
	t.Helper()
	public, err := url.Parse("http://localhost")
	if err != nil {
		t.Fatal(err)
	}
	log := slog.New(slog.DiscardHandler)
	r := chi.NewRouter()
	a, err := New(r, Options{Store: whole(b.Records), Code: repository.New(t.TempDir(), b.Records, log, git.Hosts{}), Units: b.Units, Log: log,
		PublicURL: public, Metrics: http.NotFoundHandler()})
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = a.Run(t.Context()) }()
	server := httptest.NewServer(r)
	t.Cleanup(server.CloseClientConnections)
	t.Cleanup(server.Close)
	return server.URL
}

// person adds somebody with roles by the names of projects; "" is everywhere.
func (c *crew) person(name string, operator bool, roles map[string]access.Role) *accounts.Person {
	c.T.Helper()
	p, err := c.Accounts.AddPerson(c.T.Context(), name, strings.ToLower(strings.ReplaceAll(name, " ", "."))+"@marrowsound.example", operator)
	if err != nil {
		c.T.Fatal(err)
	}
	for project, role := range roles {
		n := accounts.NewRole{Role: role, ProjectName: project}
		for _, x := range []*projects.Project{c.Project, c.other} {
			if x.Name == project {
				n.Project = x.ID
			}
		}
		if err := c.Accounts.SetRole(c.T.Context(), p, n); err != nil {
			c.T.Fatal(err)
		}
	}
	return p
}

// session signs somebody in, again each time: some calls end sessions.
func (c *crew) session(p *accounts.Person) func() (string, string) {
	return func() (string, string) {
		c.T.Helper()
		link, err := c.Accounts.NewSignInLink(c.T.Context(), p.ID, time.Minute)
		if err != nil {
			c.T.Fatal(err)
		}
		secret, err := c.Accounts.SignIn(c.T.Context(), accounts.Opening{Link: link})
		if err != nil {
			c.T.Fatal(err)
		}
		return "Cookie", calls.PlainSessionCookie + "=" + secret
	}
}

// token makes a token.
func (c *crew) token(n accounts.NewToken) func() (string, string) {
	c.T.Helper()
	_, text, err := c.Accounts.CreateToken(c.T.Context(), n)
	if err != nil {
		c.T.Fatal(err)
	}
	return func() (string, string) { return "Authorization", "Bearer " + text }
}

func newCrew(t *testing.T) *crew {
	t.Helper()
	c := &crew{Bench: testbed.Open(t, testbed.Noon)}
	var err error
	if c.other, _, err = c.Projects.CreateProject(t.Context(), projects.NewProject{Name: "gangway", KeepDays: 30}); err != nil {
		t.Fatal(err)
	}
	keys, err := c.Projects.AllKeys(t.Context(), sight.All)
	if err != nil {
		t.Fatal(err)
	}
	here := []int64{c.Project.ID}
	maren := c.person("Maren Holt", false, map[string]access.Role{"quayside": access.Member})
	c.callers = map[string]func() (string, string){
		"nobody":     func() (string, string) { return "X-Nobody", "1" },
		"ingest key": func() (string, string) { return "Authorization", "Bearer " + keys[c.Project.ID][0].Value },
		"build token": c.token(accounts.NewToken{Label: "build", Scope: "build", Kind: access.KindBuild, Given: access.KindBuild.Usual(),
			Projects: here, Life: time.Hour}),
		"read token": c.token(accounts.NewToken{Label: "read", Scope: "read", Kind: access.KindRead, Given: access.KindRead.Usual(),
			Projects: here, Life: time.Hour}),
		"service token": c.token(accounts.NewToken{Label: "service", Scope: "service", Kind: access.KindService,
			Given: []access.Permission{access.ReadIssues, access.TriageIssues}, Projects: here, Life: time.Hour}),
		"person token": c.token(accounts.NewToken{Label: "person", Scope: "person", Kind: access.KindPerson, Given: access.KindPerson.Usual(),
			Person: maren.ID, Life: time.Hour}),
		"token of all": c.token(accounts.NewToken{Label: "all", Scope: "admin", Kind: access.KindService, Given: []access.Permission{access.Administer}}),
		"viewer":       c.session(c.person("Vera Lund", false, map[string]access.Role{"quayside": access.Viewer})),
		"member":       c.session(maren),
		"maintainer":   c.session(c.person("Oke Farrow", false, map[string]access.Role{"quayside": access.Maintainer})),
		"operator":     c.session(c.person("Ines Brandt", true, nil)),
		"member of another": c.session(c.person("Tor Aasen", false,
			map[string]access.Role{"gangway": access.Maintainer})),
	}
	c.person("Signe Dahl", false, nil)
	c.In("tideAt", "4.2.0")
	c.url = served(t, c.Bench)
	return c
}

// asks sends a request as a caller, and gives the status with the text of the answer:
// of a stream what it begins with.
func (c *crew) asks(caller, method, path, body string) (int, string) {
	c.T.Helper()
	req, err := http.NewRequestWithContext(c.T.Context(), method, c.url+path, strings.NewReader(body))
	if err != nil {
		c.T.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	req.Header.Set(c.callers[caller]())
	client := http.DefaultClient
	if caller == "ingest key" { // wrong tokens of one address are slowed down: each comes from another one
		n := c.strangers.Add(1)
		from := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, byte(1+n/250), byte(1+n%250))}}
		client = &http.Client{Transport: &http.Transport{DialContext: from.DialContext, DisableKeepAlives: true}}
	}
	res, err := client.Do(req)
	if err != nil {
		c.T.Error(err)
		return 0, ""
	}
	defer res.Body.Close()
	var text strings.Builder
	stream := strings.HasPrefix(res.Header.Get("Content-Type"), "text/event-stream")
	for lines := bufio.NewReader(res.Body); ; {
		line, err := lines.ReadString('\n')
		text.WriteString(line)
		if err != nil || stream && strings.Contains(line, "retry") {
			return res.StatusCode, text.String()
		}
	}
}

// grants says who has which permission, and what the others are told: written down
// here a second time, by hand, from what people were promised. Callers that are in no
// list get 403; who belongs to another project is told that there is no such project.
var grants = map[access.Permission]string{
	access.ReadIssues:         "read token, service token, person token, token of all, viewer, member, maintainer",
	access.ReadEvents:         "read token, person token, token of all, viewer, member, maintainer",
	access.Comment:            "service token, person token, token of all, viewer, member, maintainer",
	access.TriageIssues:       "service token, person token, token of all, member, maintainer",
	access.PushSymbols:        "build token, person token, token of all, member, maintainer",
	access.AnnounceReleases:   "build token, person token, token of all, member, maintainer",
	access.CheckRules:         "build token, read token, person token, token of all, viewer, member, maintainer",
	access.PushRules:          "token of all, maintainer",
	access.DeleteIssues:       "token of all, maintainer",
	access.Regroup:            "token of all, maintainer",
	access.ChangeImpact:       "token of all, maintainer",
	access.EraseUsers:         "token of all, maintainer",
	access.ReadProject:        "read token, service token, person token, token of all, viewer, member, maintainer, operator",
	access.ChangeProject:      "token of all, maintainer, operator",
	access.ChangeMembers:      "token of all, maintainer, operator",
	access.ReadService:        "person token, token of all, viewer, member, maintainer, operator, member of another",
	access.ReadMetrics:        "token of all, operator",
	access.ReadPeople:         "person token, token of all, viewer, member, maintainer, operator, member of another",
	access.OwnTokens:          "token of all, viewer, member, maintainer, operator, member of another",
	access.CreateProjects:     "token of all, operator",
	access.ChangePeople:       "token of all, operator",
	access.ReadAudit:          "token of all, operator",
	access.WorkQueue:          "token of all, operator",
	access.ChangeDestinations: "token of all, operator",
	access.RepairCounters:     "token of all, operator",
}

// ofNoProject are calls about no single project whose rows are filtered: who has the
// permission in any project, or in none yet, gets what they see of it.
func ofNoProject(r calls.Route, path string) bool {
	least := access.LeastRole(r.Need)
	return !strings.Contains(r.Path, "{project}") && !strings.Contains(path, "project=") && least > access.None && least < access.Nobody
}

// expected is what a caller is answered: 0 for what they asked for, or the status of
// the refusal.
func expected(r calls.Route, path, caller string) int {
	named := strings.Split(grants[r.Need], ", ")
	switch {
	case r.Need == calls.SignIn:
		return 0
	case caller == "nobody" || caller == "ingest key":
		return http.StatusUnauthorized
	case r.Need == calls.Anyone || slices.Contains(named, caller):
		return 0
	case ofNoProject(r, path) && !strings.Contains(caller, "token"):
		return 0 // people see those rows that are theirs
	case strings.Contains(r.Path, "{project}") && caller == "member of another":
		return http.StatusNotFound
	}
	return http.StatusForbidden
}

// Every route of the OpenAPI document, and every stream, asked by every kind of
// caller.
func TestRoutes_CheckPermissions(t *testing.T) {
	c := newCrew(t)
	raw, err := Document()
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths map[string]map[string]struct {
			OperationID string `json:"operationId"`
			Permission  string `json:"x-permission"`
		}
	}
	if err := json.Unmarshal(raw, &doc); err != nil {
		t.Fatal(err)
	}
	var all []calls.Route
	for path, methods := range doc.Paths {
		for method, op := range methods {
			if op.Permission == "" {
				t.Errorf("%s %s names no permission", method, path)
			}
			all = append(all, calls.Route{ID: op.OperationID, Method: strings.ToUpper(method), Path: path, Need: access.Permission(op.Permission)})
		}
	}
	all = append(all, calls.Streams()...)
	slices.SortFunc(all, func(a, b calls.Route) int { return strings.Compare(a.ID, b.ID) })
	counts := map[int]int{}
	var strangers sync.WaitGroup
	for _, r := range all {
		path := r.Path
		for from, to := range map[string]string{"{project}": "quayside", "{number}": "999", "{who}": "nobody-here", "{team}": "no-team", "{id}": "999999"} {
			path = strings.ReplaceAll(path, from, to)
		}
		path = filled(path, "quayside") + queries[r.ID]
		if r.ID == "live" {
			path = "/api/live"
		}
		for caller := range c.callers {
			want := expected(r, path, caller)
			counts[want]++
			if caller == "ingest key" { // its answers are held back: all at once
				strangers.Go(func() {
					if status, text := c.asks(caller, r.Method, path, bodies[r.ID]); status != want && r.Need != calls.SignIn {
						t.Errorf("%s as %s: %d %s", r.ID, caller, status, text)
					}
				})
				continue
			}
			body := bodies[r.ID]
			if r.ID == "create-token" { // of one's own, which everybody may make
				body = `{"label":"mine","scope":"person"}`
			}
			status, text := c.asks(caller, r.Method, path, body)
			got := 0
			hidden := status == http.StatusNotFound && strings.Contains(text, `there is no project \"quayside\"`)
			refusal := status == http.StatusForbidden && !strings.Contains(text, "of a person: sign in") && !strings.Contains(text, "for yourself") &&
				!strings.Contains(text, "token belongs to no person") && !strings.Contains(text, "browser cannot make a link")
			if status == http.StatusUnauthorized && r.Need != calls.SignIn || refusal || hidden {
				got = status
			}
			if got != want {
				t.Errorf("%s (%s) as %s: want %d, got %d (%d): %.200s", r.ID, r.Need, caller, want, got, status, text)
			}
		}
	}
	strangers.Wait()
	t.Logf("%d routes, %d callers, %d answers: %d allowed, %d not known (401), %d refused (403), %d not told of (404)", len(all), len(c.callers),
		len(all)*len(c.callers), counts[0], counts[401], counts[403], counts[404])
	if len(all) < 110 || counts[404] < 50 {
		t.Error(fmt.Sprint("the document has too few routes: ", len(all), counts))
	}
}
