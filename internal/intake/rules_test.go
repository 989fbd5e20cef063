package intake

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/rules"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
)

func post(in *Intake, key, body string) (int, string, http.Header) {
	res, text := call{body: []byte(body), query: "?key=" + key}.do(serving(in))
	return res.StatusCode, text, res.Header
}

func TestEvents_ScrubsByTheProjectsRules(t *testing.T) {
	set, problems := rules.Read("scrub:\n- {name: passes, match: 'MSF-\\d{6}'}\n- {name: gates, names: [gate.token], do: keep}\n")
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	m := &memory{rules: set}
	in, _ := newIntake(m)
	post(in, "good", `{"resource":{"pass":"MSF-999999"},"events":[{"message":"clean"},{"message":"pass MSF-123456, password=hunter2","attributes":{"gate.token":"open"}}]}`)
	if len(m.batches) != 1 || len(m.batches[0].Events) != 2 {
		t.Fatalf("%d batches", len(m.batches))
	}
	b := m.batches[0]
	if got := string(b.Events[1]); got != `{"message":"pass [scrubbed], password=[scrubbed]","attributes":{"gate.token":"open"}}` {
		t.Errorf("stored %s", got)
	}
	if string(b.Resource) != `{"pass":"[scrubbed]"}` {
		t.Errorf("the resource is %s", b.Resource)
	}
	if len(b.Scrubbed) != 2 || len(b.Scrubbed[0]) != 1 || b.Scrubbed[0][0].Where != "resource.pass" || len(b.Scrubbed[1]) != 3 || b.Scrubbed[1][0].Rule != "passes" || b.Scrubbed[1][1].Rule != "named" {
		t.Errorf("the reports are %v", b.Scrubbed)
	}
}

func TestEvents_Allowance(t *testing.T) {
	m := &memory{allowed: projects.Allowance{Minute: 100, Day: 150}}
	in, w := newIntake(m)
	now := time.Date(2026, 11, 23, 9, 0, 50, 0, time.UTC)
	in.now = func() time.Time { return now }
	one := `{"message":"m"},`
	send := func(n int, extra string) (int, string, http.Header) {
		return post(in, "good", "["+strings.TrimSuffix(strings.Repeat(one, n)+extra, ",")+"]")
	}
	if code, text, _ := send(60, ""); code != 202 {
		t.Fatalf("60 of 100: %d %s", code, text)
	}
	if code, text, h := send(41, ""); code != 429 || h.Get("Retry-After") != "10" || !strings.Contains(text, "100 events a minute") {
		t.Errorf("101 of 100: %d %s, Retry-After %s", code, text, h.Get("Retry-After"))
	}
	if code, _, _ := send(39, `{"message":"many","stands_for":30}`); code != 202 {
		t.Errorf("60 + 40 of 100, and 29 that one stands for: %d", code)
	}
	if code, _, _ := send(1, ""); code != 429 {
		t.Errorf("the allowance is used up, yet %d", code)
	}
	if code, _, _ := send(3, ""); code != 429 { // now it is known without asking
		t.Errorf("the allowance is used up, yet %d", code)
	}
	now = now.Add(time.Minute)
	if code, text, _ := send(51, ""); code != 429 || !strings.Contains(text, "150 events a day") {
		t.Errorf("151 of 150 a day: %d %s", code, text)
	}
	if code, _, _ := send(50, ""); code != 202 {
		t.Errorf("the last 50 of the day: %d", code)
	}
	if code, text, _ := send(0, `{"message":"many","stands_for":1000000}`); code != 400 || !strings.Contains(text, "takes 9999 of the allowance") {
		t.Errorf("more than the whole allowance: %d %s", code, text)
	}
	if len(m.events()) != 60+40+50 || len(w.away) != 4 {
		t.Errorf("%d stored, turned away %v", len(m.events()), w.away)
	}
	if err := in.Flush(t.Context()); err != nil || len(m.tallies) != 1 || m.tallies[0] != "1 refused unreadable, 45 over_allowance events a minute, 51 over_allowance events a day" {
		t.Errorf("counted %v, %v", m.tallies, err)
	}
}

// A few events that represent many use an allowance of their own, and one
// address may use a part of it only: the application still gets through.
func TestEvents_StandsForLocksNobodyOut(t *testing.T) {
	m := &memory{allowed: projects.Allowance{Minute: 100_000}}
	in, _ := newIntake(m)
	in.now = func() time.Time { return time.Date(2026, 11, 23, 9, 0, 50, 0, time.UTC) }
	send := func(address, body string) int {
		req := httptest.NewRequest("POST", "/v1/events", strings.NewReader(body))
		req.Header.Set("Authorization", "Bearer good")
		req.RemoteAddr = address
		w := httptest.NewRecorder()
		serving(in).ServeHTTP(w, req)
		return w.Code
	}
	const many, one = `{"message":"many","stands_for":10000}`, `{"message":"m"}`
	codes := map[string][]int{}
	for _, a := range []string{"203.0.113.7", "[2001:db8:1:2::1]", "[2001:db8:1:2:ffff::2]"} {
		for range 3 {
			codes[a] = append(codes[a], send(a+":5000", many))
		}
	}
	for a, want := range map[string][]int{"203.0.113.7": {202, 202, 429}, "[2001:db8:1:2::1]": {202, 202, 429}, "[2001:db8:1:2:ffff::2]": {429, 429, 429}} { // one network of IPv6 is one sender
		if !slices.Equal(codes[a], want) {
			t.Errorf("from %s: %v, want %v", a, codes[a], want)
		}
	}
	for i := range 40 {
		send(fmt.Sprintf("198.51.100.%d:1", i), many)
	}
	if code := send("203.0.113.9:1", one); code != 202 {
		t.Errorf("the application's own event: %d", code)
	}
	if err := in.Flush(t.Context()); err != nil || len(m.tallies) != 1 || !strings.Contains(m.tallies[0], "over_allowance events that others stand for a minute") || !strings.Contains(m.tallies[0], "over_allowance events that those of one address stand for a minute") {
		t.Errorf("counted %v, %v", m.tallies, err)
	}
	if !slices.ContainsFunc(m.examples, func(s string) bool { return strings.Contains(s, "used by 2001:db8:1:2::/64 19998, 203.0.113.7 19998") }) {
		t.Errorf("who used it up is not told: %q", m.examples)
	}
}

// Of a request that is refused nothing is used up.
func TestEvents_RefusedRequestsUseNothing(t *testing.T) {
	m := &memory{allowed: projects.Allowance{Minute: 100}}
	in, _ := newIntake(m)
	two := `[` + strings.TrimSuffix(strings.Repeat(`{"message":"m"},`, 60), ",") + `]`
	m.away = true
	if code, _, _ := post(in, "good", two); code != 503 {
		t.Fatalf("the store is away: %d", code)
	}
	m.away = false
	if code, text, _ := post(in, "good", two); code != 202 {
		t.Errorf("60 of 100, after 60 that were not stored: %d %s", code, text)
	}
	m.away = true
	rest := `[` + strings.TrimSuffix(strings.Repeat(`{"message":"m"},`, 40), ",") + `]`
	if code, _, _ := post(in, "good", rest); code != 503 {
		t.Fatalf("the store is away: %d", code)
	}
	p := &projects.Project{Project: pipeline.Project{ID: 1, Name: "quayside"}, Allowance: m.allowed}
	b := in.allowance.block(p, projects.Minute)
	b.empty = true // another request found nothing in between
	in.allowance.giveBack(p, limits(p, use{events: 1}), in.now(), use{events: 1})
	m.away = false
	if code, text, _ := post(in, "good", rest); code != 202 {
		t.Errorf("the last 40, which were returned: %d %s", code, text)
	}
}

// A key that routes must not reach a project whose own origins refuse the page.
func TestEvents_RoutesAskTheTarget(t *testing.T) {
	m := &memory{}
	in, _ := newIntake(m)
	send := func(path, body string) (int, string) {
		req := httptest.NewRequest("POST", path, strings.NewReader(body))
		req.Header.Set("Authorization", "Bearer routes")
		req.Header.Set("Origin", "https://elsewhere.example")
		w := httptest.NewRecorder()
		serving(in).ServeHTTP(w, req)
		return w.Code, w.Body.String()
	}
	for path, body := range map[string]string{
		"/v1/events":   `{"message":"m","resource":{"service.name":"narrow"}}`,
		"/v1/sessions": `{"id":"s","sequence":1,"outcome":"clean","resource":{"service.name":"narrow"}}`,
	} {
		if code, text := send(path, body); code != 400 || !strings.Contains(text, "takes no reports from the origin") || len(m.to) != 0 {
			t.Errorf("%s to a project that refuses the origin: %d %s, stored in %v", path, code, text, m.to)
		}
		if code, text := send(path, strings.Replace(body, "narrow", "gangway", 1)); code != 202 {
			t.Errorf("%s to a project that takes any: %d %s", path, code, text)
		}
		m.to = nil
	}
	in.SetBacklog(Backlog{Events: 1500, ByProject: map[int64]int64{1: 10, 107: 1400}})
	if code, _ := send("/v1/events", `{"message":"m","resource":{"service.name":"gangway"}}`); code != 429 {
		t.Errorf("to a project whose events wait: %d", code)
	}
}

func TestEvents_Routes(t *testing.T) {
	m := &memory{}
	in, _ := newIntake(m)
	code, text, _ := post(in, "routes", `{"resource":{"service.name":"Gang Way"},"events":[{"message":"a"},{"message":"b","resource":{"service.name":"bosun"}},{"message":"c","resource":{"service.name":"one too many"}}]}`)
	if code != 202 || len(m.to) != 3 || m.to[0] != 108 || m.to[1] != 105 || m.to[2] != 1 {
		t.Errorf("%d %s, to %v", code, text, m.to)
	}
	if err := in.Flush(t.Context()); err != nil || len(m.tallies) != 1 || m.tallies[0] != "1 capped projects" {
		t.Errorf("counted %v, %v", m.tallies, err)
	}
	m.to = nil
	post(in, "good", `{"message":"a","resource":{"service.name":"bosun"}}`)
	if len(m.to) != 1 || m.to[0] != 1 {
		t.Errorf("a key that does not route led to %v", m.to)
	}
}

func TestEvents_ReasonsAreScrubbedBeforeTheyAreKept(t *testing.T) {
	var examples tallies
	examples.add(1, time.Now(), refusal{inbox.CauseRefused, "unreadable", 1, "cannot unmarshal number 4111111111111111.5 with password=hunter2"})
	if got := examples.take()[1].Examples(); len(got) != 1 || got[0] != "cannot unmarshal number [scrubbed].5 with password=[scrubbed]" {
		t.Errorf("kept %q", got)
	}
}

func TestEvents_CountsWhatIsRefused(t *testing.T) {
	m := &memory{}
	in, _ := newIntake(m)
	post(in, "good", `[{"message":"a"},{"no":"thing"},{"message":"b","id":"x"}]`)
	post(in, "good", `no JSON`)
	call{body: []byte(`{"message":"a"}`), query: "?key=narrow", headers: map[string]string{"Origin": "https://other.example"}}.do(serving(in))
	if err := in.Flush(t.Context()); err != nil {
		t.Fatal(err)
	}
	got := strings.Join(m.tallies, "; ")
	if !strings.Contains(got, "3 refused unreadable") || !strings.Contains(got, "1 refused origin") {
		t.Errorf("counted %s", got)
	}
	if err := in.Flush(t.Context()); err != nil || len(m.tallies) != 2 {
		t.Errorf("counted again: %v", m.tallies)
	}
}

// People are distinguished although who they are is scrubbed.
func TestEvents_CountsUsersWhoseAddressIsScrubbed(t *testing.T) {
	set, faults := rules.Read("scrub:\n- {name: mail, kinds: email, do: shorten}\n")
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	m := &memory{rules: set}
	in, _ := newIntake(m)
	post(in, "good", `[{"message":"nobody"},{"message":"a","attributes":{"user.email":"ines@ferries.example"}},{"message":"b","resource":{"user.email":"ida@ferries.example"}},{"message":"c","attributes":{"user.id":"7","user.email":"ida@ferries.example"}},{"message":"d"}]`)
	packed := pipeline.Pack(m.batches[0])
	list, err := pipeline.Unpack(packed, time.Now())
	if err != nil || len(list) != 1 {
		t.Fatalf("%d batches, %v", len(list), err)
	}
	u := list[0].Users
	if len(u) != 5 || u[0].Set || !u[1].Set || !u[2].Set || u[1].Hash == u[2].Hash || u[4].Set {
		t.Fatalf("users are %v", u)
	}
	if want := pipeline.UserHash(nil, "ines@ferries.example"); u[1].Hash != want {
		t.Errorf("the hash is %d, want that of the address as it was sent, %d", u[1].Hash, want)
	}
	if want := pipeline.UserHash(nil, "7"); u[3].Hash != want {
		t.Errorf("the hash is %d, want that of the id", u[3].Hash)
	}
	if raw := string(m.batches[0].Events[1]); strings.Contains(raw, "ines@") {
		t.Errorf("stored %s", raw)
	}
}
