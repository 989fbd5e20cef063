package e2e

import (
	"bytes"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"firethorn/internal/contract"
)

const crawlerRules = `intake:
  - name: crawlers
    when: crawler(attr("user_agent.original"))
    do: drop
scrub:
  - name: boarding passes
    match: 'MSF-\d{6}'
`

func rulesFile(t *testing.T, text string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "rules.yaml")
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

func TestRules_FromAFileToReceived(t *testing.T) {
	t.Parallel()
	s, p := shared, "ruled"
	key := s.project(t, p)
	noise := `{"message":"berth map gone","attributes":{"user_agent.original":"Tidebot/2.1"}}`
	s.post(t, key, "["+noise+`,{"message":"pass MSF-204811 was not read"}]`)
	s.settle(t)
	good := rulesFile(t, crawlerRules)
	if out, _ := s.run(t, 0, "rules", "check", good); !strings.Contains(out, "1 intake rule, 1 scrub rule") {
		t.Errorf("check says %s", out)
	}
	out, _ := s.run(t, 0, "rules", "try", "-p", p, good)
	for _, want := range []string{"2 stored events", "1 would be accepted, 1 dropped", "crawlers", "- pass MSF-204811 was not read", "+ pass [scrubbed] was not read"} {
		if !strings.Contains(out, want) {
			t.Errorf("try does not say %q:\n%s", want, out)
		}
	}
	if _, errs := s.run(t, 1, "rules", "try", "-p", p, "--most-dropped", "40", good); !strings.Contains(errs, "50.0 % of the events would be dropped") {
		t.Errorf("try --most-dropped says %s", errs)
	}
	if out, _ := s.run(t, 1, "rules", "try", "-p", p, "--most-dropped", "40", "--format", "json", good); !strings.Contains(out, `"events":2`) {
		t.Errorf("try --format json says %s", out)
	}
	if out, _ := s.run(t, 0, "rules", "push", "-p", p, "--note", "crawlers go", good); !strings.Contains(out, "version 1") {
		t.Errorf("push says %s", out)
	}
	if out, _ := s.run(t, 0, "rules", "pull", "-p", p); out != crawlerRules {
		t.Errorf("pulled %q", out)
	}
	if out, _ := s.run(t, 0, "rules", "history", "-p", p); !strings.Contains(out, "crawlers go") {
		t.Errorf("history says %s", out)
	}
	time.Sleep(3500 * time.Millisecond) // what was asked of the database is believed for 3 s
	s.post(t, key, "["+noise+","+noise+`,{"message":"pass MSF-204812 was not read"},{"no":"thing"}]`)
	s.settle(t)
	var v struct {
		Sum    struct{ Stored, Dropped, Refused, Scrubbed int }
		Causes []struct {
			Cause, Rule string
			Events      int
			Examples    []struct{ Words string }
		}
	}
	for range 30 { // what was refused is counted once a second
		s.json(t, &v, "received", "-p", p)
		if v.Sum.Refused == 1 {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if v.Sum.Stored != 3 || v.Sum.Dropped != 2 || v.Sum.Refused != 1 || v.Sum.Scrubbed != 1 {
		t.Errorf("received: %+v", v.Sum)
	}
	if len(v.Causes) == 0 || v.Causes[0].Cause != "dropped" || v.Causes[0].Rule != "crawlers" || v.Causes[0].Events != 2 || len(v.Causes[0].Examples) != 1 || !strings.Contains(v.Causes[0].Examples[0].Words, "Tidebot") {
		t.Errorf("causes: %+v", v.Causes)
	}
	if e := newest(t, s, p); text(e, "message") != "pass [scrubbed] was not read" || text(e, "scrubbed", "0", "rule") != "boarding passes" {
		t.Errorf("the event is %v, scrubbed %v", e["message"], e["scrubbed"])
	}
	var last struct{ Events []struct{ ID string } }
	s.json(t, &last, "event", "list", "-p", p, "--limit", "1")
	if out, _ := s.run(t, 0, "event", "show", last.Events[0].ID, "-p", p); !strings.Contains(out, "scrubbed: message, by boarding passes") {
		t.Errorf("event show says %s", out)
	}
	if out, _ := s.run(t, 0, "received", "-p", p, "--examples"); !strings.Contains(out, "2 dropped by rules") || !strings.Contains(out, "Tidebot") {
		t.Errorf("received says %s", out)
	}
}

func TestRules_ABadFileIsRefused(t *testing.T) {
	t.Parallel()
	s, p := shared, "badly-ruled"
	s.project(t, p)
	bad := rulesFile(t, strings.ReplaceAll(crawlerRules, "crawler(attr", "crawlr(attr"))
	out, _ := s.run(t, 1, "rules", "check", bad)
	if !strings.Contains(out, `:3:11: intake rule "crawlers": there is no crawlr; did you mean crawler?`) || !strings.Contains(out, "\n              ^\n") {
		t.Errorf("check says\n%s", out)
	}
	if out, _ := s.run(t, 1, "rules", "check", "--format", "json", bad); !strings.Contains(out, `"good":false`) || !strings.Contains(out, `"suggestion":"crawler"`) {
		t.Errorf("check --format json says %s", out)
	}
	for _, verb := range []string{"try", "push"} {
		if _, errs := s.run(t, 1, "rules", verb, "-p", p, bad); !strings.Contains(errs, "did you mean crawler?") {
			t.Errorf("%s says %s", verb, errs)
		}
	}
	good := rulesFile(t, crawlerRules)
	s.run(t, 0, "rules", "push", "-p", p, "--onto", "0", good)
	if _, errs := s.run(t, 1, "rules", "push", "-p", p, "--onto", "0", rulesFile(t, "intake: []\n")); !strings.Contains(errs, "at version 1 by now, and yours were made from version 0") {
		t.Errorf("push onto an old version says %s", errs)
	}
	s.run(t, 2, "rules", "check", filepath.Join(t.TempDir(), "none.yaml"))
	// The API refuses a bad file itself.
	code, answer := s.send(t, http.MethodPut, "/api/projects/"+p+"/rules", `{"text":"intake:\n- {name: x, wen: y}"}`)
	if code != 400 || !strings.Contains(answer, `"suggestion":"when"`) {
		t.Errorf("PUT of a bad file: %d %s", code, answer)
	}
}

// send calls the API as the admin.
func (s *service) send(t *testing.T, method, path, body string) (int, string) {
	t.Helper()
	token, err := os.ReadFile(filepath.Join(s.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequestWithContext(t.Context(), method, s.url+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var b bytes.Buffer
	_, err = b.ReadFrom(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, b.String()
}

// A build checks rules, and pushes them where it was made for that; what is
// stored is closed to it, also by way of a trial.
func TestRules_ABuildSeesNoEvents(t *testing.T) {
	t.Parallel()
	s, p := shared, "built"
	key := s.project(t, p)
	s.post(t, key, `{"message":"berth map gone","attributes":{"user_agent.original":"Tidebot/2.1"}}`)
	s.settle(t)
	good := rulesFile(t, crawlerRules)
	plain, errs := s.run(t, 0, "token", "create", "ci", "--scope", "build", "--project", p)
	saysAll(t, errs, `"ci": it expires on`, "firethorn token revoke")
	plain = strings.TrimSpace(plain)
	if _, errs := s.run(t, 3, "rules", "try", "-p", p, "--token", plain, good); !strings.Contains(errs, "events:read") {
		t.Errorf("a trial by a build token: %s", errs)
	}
	if _, errs := s.run(t, 3, "rules", "push", "-p", p, "--token", plain, good); !strings.Contains(errs, "rules:push") {
		t.Errorf("a push by a build token: %s", errs)
	}
	out, _ := s.run(t, 0, "token", "create", "ci with rules", "--scope", "build", "--permission", "rules:push", "--project", p)
	file := filepath.Join(t.TempDir(), "token")
	if err := os.WriteFile(file, []byte(out), 0o600); err != nil {
		t.Fatal(err)
	}
	s.run(t, 0, "rules", "push", "-p", p, "--token-file", file, good)
	s.run(t, 3, "event", "list", "-p", p, "--token-file", file)
	var list contract.Tokens
	s.json(t, &list, "token", "list")
	i := slices.IndexFunc(list.Tokens, func(t contract.TokenInfo) bool { return t.Label == "ci with rules" })
	if i < 0 || list.Tokens[i].Warning == "" || list.Tokens[i].LastUsed == nil || list.Tokens[i].Expires == nil {
		t.Fatalf("listed: %+v", list)
	}
	s.run(t, 0, "token", "revoke", strconv.FormatInt(list.Tokens[i].ID, 10))
	s.run(t, 3, "rules", "pull", "-p", p, "--token-file", file, filepath.Join(t.TempDir(), "pulled.yaml"))
}

func TestProject_ChangesAllowanceOriginsAndKeys(t *testing.T) {
	t.Parallel()
	s, p := shared, "allowed"
	key := s.project(t, p)
	s.run(t, 0, "project", "change", p, "--allowance-minute", "3", "--origin", "https://quayside.example")
	if out, _ := s.run(t, 0, "project", "show", p); !strings.Contains(out, "3 events a minute") || !strings.Contains(out, "https://quayside.example") {
		t.Errorf("show says %s", out)
	}
	s.run(t, 1, "project", "change", p, "--origin", "https://quayside.example/path")
	s.run(t, 2, "project", "change", p)
	if code, _ := s.post(t, key, `[{"message":"a"},{"message":"b"},{"message":"c"}]`); code != 202 {
		t.Errorf("three of three: %d", code)
	}
	if code, answer := s.post(t, key, `{"message":"d"}`); code != 429 && time.Now().Second() > 2 {
		t.Errorf("four of three: %d %s", code, answer)
	}
	out, _ := s.run(t, 0, "project", "keys", p, "--rotate", key, "--overlap", "1")
	fresh := strings.TrimSpace(out)
	if out, _ := s.run(t, 0, "project", "keys", p); !regexp.MustCompile(key+`.*until`).MatchString(out) || !regexp.MustCompile(fresh+`.*never +yes`).MatchString(out) {
		t.Errorf("keys are\n%s", out)
	}
	if out, _ := s.run(t, 0, "project", "show", p); !strings.Contains(out, fresh) {
		t.Errorf("show gives not the new key:\n%s", out)
	}
	s.run(t, 0, "project", "keys", p, "--revoke", fresh)
	if code, _ := s.post(t, fresh, `{"message":"e"}`); code != 401 {
		t.Errorf("a revoked key: %d", code)
	}
}
