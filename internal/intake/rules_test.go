package intake

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/rules"
	"firethorn/internal/mariadb"
	"firethorn/internal/pipeline"
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
	m := &memory{allowed: mariadb.Allowance{Minute: 100, Day: 150}}
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
	if code, _, _ := send(10, `{"message":"many","stands_for":30}`); code != 202 {
		t.Errorf("60 + 10 + 30 of 100: %d", code)
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
	if code, text, _ := send(0, `{"message":"many","stands_for":1000000}`); code != 400 || !strings.Contains(text, "stands for 10000 events") {
		t.Errorf("more than the whole allowance: %d %s", code, text)
	}
	if len(m.events()) != 60+11+50 || len(w.away) != 4 {
		t.Errorf("%d stored, turned away %v", len(m.events()), w.away)
	}
	if err := in.Flush(t.Context()); err != nil || len(m.tallies) != 1 || m.tallies[0] != "1 refused unreadable, 45 over_allowance minute, 51 over_allowance day" {
		t.Errorf("counted %v, %v", m.tallies, err)
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
	examples.add(1, time.Now(), mariadb.CauseRefused, "unreadable", 1, "cannot unmarshal number 4111111111111111.5 with password=hunter2")
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

// People are told apart although who they are is scrubbed.
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
	if len(u) != 5 || u[0].Known || !u[1].Known || !u[2].Known || u[1].Hash == u[2].Hash || u[4].Known {
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
