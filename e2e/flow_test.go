package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"firethorn/demo/replay"
)

func TestSendAndTriage_AtTheCommandLine(t *testing.T) {
	t.Parallel()
	s := shared
	s.project(t, "harbour")
	if out, _ := s.run(t, 0, "issue", "list", "--project", "harbour"); !strings.Contains(out, "firethorn send") {
		t.Errorf("an empty list does not say what comes next: %s", out)
	}
	out, _ := s.run(t, 0, "send", "--project", "harbour", "--user", "p-1", "--release", "1.0.0")
	if !strings.Contains(out, "processed as harbour/1") || !strings.Contains(out, "/p/harbour/issues/1") {
		t.Errorf("send prints %s", out)
	}
	s.run(t, 0, "person", "add", "Maren Holt", "maren@marrowsound.example", "--role", "member")
	s.run(t, 0, "issue", "assign", "harbour/1", "--to", "Maren Holt") // flags behind arguments
	if i := s.issues(t, "harbour")[0]; i.State != "accepted" || i.Owner == nil || *i.Owner != "Maren Holt" || i.Users != 1 {
		t.Errorf("assigned: %+v", i)
	}
	s.run(t, 0, "issue", "fix", "--in", "4.2.0", "harbour/1") // and before them
	s.run(t, 0, "send", "--project", "harbour", "--release", "4.1.9")
	if i := s.issues(t, "harbour")[0]; i.State != "fixed" {
		t.Errorf("after 4.1.9: %s", i.State)
	}
	s.run(t, 0, "send", "--project", "harbour", "--release", "4.2.1")
	if i := s.issues(t, "harbour")[0]; i.State != "regressed" || i.Events != 3 {
		t.Errorf("after 4.2.1: %+v", i)
	}
	out, _ = s.run(t, 0, "issue", "show", "1", "--project", "harbour")
	for _, want := range []string{"regressed, was fixed in 4.2.0", "seen in 4.1.9, which is older than the fix", "came back in 4.2.1", "impact", "▶ send"} {
		if !strings.Contains(out, want) {
			t.Errorf("issue show lacks %q:\n%s", want, out)
		}
	}
	s.run(t, 0, "issue", "dismiss", "harbour/1")
	s.run(t, 0, "issue", "undo", "harbour/1")
	s.run(t, 0, "issue", "accept", "harbour/1")
	s.run(t, 1, "issue", "reopen", "harbour/1")
	s.recounted(t)
}

func TestCommandLine_SaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	s := shared
	s.project(t, "wrong")
	for _, c := range []struct {
		code int
		want string
		args []string
	}{
		{2, "did you mean issue", []string{"isue", "list"}},
		{2, "issue list --help", []string{"issue", "list", "--limt", "3"}},
		{2, "does not know what to do with", []string{"status", "now"}},
		{2, "which project?", []string{"issue", "list"}},
		{2, "needs ID", []string{"issue", "show"}},
		{2, "is no issue", []string{"issue", "show", "wrong/x"}},
		{2, "--format is text or json", []string{"status", "--format", "xml"}},
		{1, "there is no issue wrong/99", []string{"issue", "show", "wrong/99"}},
		{1, "there is no project", []string{"project", "show", "nowhere"}},
		{1, "lower-case letters", []string{"project", "create", "No Good"}},
		{1, "there is a project wrong already", []string{"project", "create", "wrong"}},
		{3, "this token is not known", []string{"status", "--token", "bad"}},
		{3, "does not answer", []string{"status", "--server", "http://127.0.0.1:1"}},
		{1, "no source map and no JavaScript file with one", []string{"symbols", "push", "-p", "wrong", "--release", "1", t.TempDir()}},
	} {
		if _, errs := s.run(t, c.code, c.args...); !strings.Contains(errs, c.want) {
			t.Errorf("firethorn %s says %q, want %q", strings.Join(c.args, " "), errs, c.want)
		}
	}
}

func TestAPI_LetsNobodyInWithoutAToken(t *testing.T) {
	t.Parallel()
	get := func(path string, headers ...string) (int, http.Header) {
		req, _ := http.NewRequest(http.MethodGet, shared.url+path, nil)
		for i := 0; i < len(headers); i += 2 {
			if headers[i] == "Host" {
				req.Host = headers[i+1]
			}
			req.Header.Set(headers[i], headers[i+1])
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode, res.Header
	}
	for _, path := range []string{"/api/projects", "/api/me", "/api/openapi.json", "/api/live", "/api/recount"} {
		if code, h := get(path); code != 401 || h.Get("X-Content-Type-Options") != "nosniff" {
			t.Errorf("GET %s = %d", path, code)
		}
	}
	if code, _ := get("/healthz"); code != 200 {
		t.Errorf("GET /healthz = %d", code)
	}
	key := shared.project(t, "rights")
	if code, _ := get("/api/projects", "Authorization", "Bearer "+key); code != 401 {
		t.Errorf("an ingest key reads projects: %d", code)
	}
	token, _ := shared.run(t, 0, "token", "create", "ci", "--scope", "build", "--project", "rights")
	bearer := "Bearer " + strings.TrimSpace(token)
	if code, _ := get("/api/projects/rights/issues", "Authorization", bearer); code != 403 {
		t.Errorf("a build token reads issues: %d", code)
	}
	admin, err := os.ReadFile(filepath.Join(shared.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	bearer = "Bearer " + strings.TrimSpace(string(admin))
	if code, _ := get("/api/openapi.json", "Authorization", bearer); code != 200 {
		t.Errorf("the API's document: %d", code)
	}
	if code, _ := get("/api/me", "Authorization", bearer, "Host", "evil.example"); code != 403 {
		t.Errorf("a foreign host name: %d", code)
	}
	if info, err := os.Stat(filepath.Join(shared.dir, "admin-token")); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the admin token's file: %v, %v", info.Mode(), err)
	}
}

// The demo's recording: real errors of real builds.
func TestRecording_BecomesAFewReadableIssues(t *testing.T) {
	t.Parallel()
	s := shared
	lines, err := replay.Load("../demo/recording/recording.ndjson")
	if err != nil {
		t.Fatal(err)
	}
	keys := map[string]string{"quayside": s.project(t, "quayside"), "gangway": s.project(t, "gangway")}
	for _, r := range []string{"4.2.0", "4.2.1"} {
		needBuild(t, "../demo/quayside/build/symbols-"+r)
		s.run(t, 0, "symbols", "push", "--project", "quayside", "--release", r, "--served-at", "https://quayside.example/", "../demo/quayside/build/symbols-"+r)
	}
	for _, r := range []string{"2.8.0", "2.9.0"} {
		s.run(t, 0, "symbols", "push", "--project", "gangway", "--release", r, "../demo/gangway/build/"+r)
	}
	if out, _ := s.run(t, 0, "symbols", "push", "--project", "gangway", "--release", "2.9.0", "../demo/gangway/build/2.9.0"); !strings.Contains(out, "0 files new, 1 file there already") {
		t.Errorf("pushing again prints %s", out)
	}
	for app, key := range keys {
		var body []string
		for _, newer := range []bool{false, true} {
			for _, e := range replay.Traffic(lines, app, newer, time.Now()) {
				body = append(body, string(e))
			}
		}
		if code, answer := s.post(t, key, strings.Join(body, "\n")); code != 202 {
			t.Fatalf("%d %s", code, answer)
		}
	}
	s.settle(t)
	want := map[string]string{
		"TypeError in tideAt": "src/timetable/tides.ts:17", "TypeError in placeBerths": "src/berths/map.ts:", "HttpError in loadDepartures": "src/net/departures.ts:11",
		"RangeError in format": "src/timetable/fares.ts:15", "Error in findSailing": "src/timetable/sailings.ts:18", "Error in zoneOf": "src/search/harbours.ts:6", "AssertionError in berthOf": "src/berths/map.ts:",
		"TicketError in readTicket": "src/tickets.ts:27", "GateError in openGate": "src/gates.ts:7", "Error in findBerth": "src/berths.ts:5",
	}
	all := append(s.issues(t, "quayside"), s.issues(t, "gangway")...)
	if len(all) < 15 || len(all) > 20 {
		t.Errorf("%d issues", len(all))
	}
	for headline, place := range want {
		n := 0
		for _, i := range all {
			if i.Headline == headline {
				n++
				if !strings.HasPrefix(i.Place, place) {
					t.Errorf("%s is at %s, want %s", headline, i.Place, place)
				}
			}
		}
		if n != 1 {
			t.Errorf("%d issues are called %s, want 1", n, headline)
		}
	}
	s.recounted(t)
	t.Run("event", func(t *testing.T) { readableEvent(t, s) })
}

func needBuild(t *testing.T, dir string) {
	t.Helper()
	if _, err := os.Stat(dir); err != nil {
		if os.Getenv("FIRETHORN_CONSOLE") != "required" {
			t.Skip("not built: make test builds it")
		}
		t.Fatalf("the demo's applications are not built (make test builds them): %v", err)
	}
}

// readableEvent checks one event as the API answers it.
func readableEvent(t *testing.T, s *service) {
	found := s.issues(t, "quayside", "--text", "tideAt")
	if len(found) != 1 {
		t.Fatalf("%d issues with tideAt", len(found))
	}
	var list struct {
		Events []struct {
			ID string `json:"id"`
		} `json:"events"`
	}
	s.json(t, &list, "event", "list", "--issue", found[0].ID, "--kept", "--limit", "1")
	var e struct {
		Exceptions []struct {
			Frames []struct {
				Function, File, Kind string
				Line                 int
				Origin               bool
				Raw                  struct {
					File string
					Line int
				}
				SourceLines []struct {
					Line int
					Text string
				} `json:"source_lines"`
			}
		}
		Symbols []struct {
			DebugID string `json:"debug_id"`
		}
		Breadcrumbs []any
	}
	s.json(t, &e, "event", "show", list.Events[0].ID, "--project", "quayside")
	if len(e.Symbols) != 1 || e.Symbols[0].DebugID == "" || len(e.Breadcrumbs) == 0 {
		t.Errorf("symbols %+v, %d breadcrumbs", e.Symbols, len(e.Breadcrumbs))
	}
	last := e.Exceptions[len(e.Exceptions)-1]
	f := last.Frames[0]
	if f.Function != "tideAt" || f.File != "src/timetable/tides.ts" || f.Kind != "own" || !f.Origin || f.Raw.Line == 17 || f.Raw.Line == 0 || !strings.Contains(f.Raw.File, "quayside.example/assets/") {
		t.Errorf("innermost frame: %+v", f)
	}
	if len(f.SourceLines) != 15 || f.SourceLines[7].Line != 17 || !strings.Contains(f.SourceLines[7].Text, "table[hour % 24]") {
		t.Errorf("source lines: %+v", f.SourceLines)
	}
}

func TestUnresolved_SaysWhy(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "unmapped")
	id := "0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01"
	body := `{"id":"` + id + `","exceptions":[{"type":"TypeError","message":"<img src=x onerror=alert(1)>\u001b[31m","stack":"TypeError: x\n    at Kt (https://a.example/app.js:1:48211)"}],"resource":{"service.version":"7.0.0"}}`
	if code, answer := s.post(t, key, body); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	out, _ := s.run(t, 0, "event", "show", id, "--project", "unmapped")
	if !strings.Contains(out, "not resolved: no symbols were pushed for release 7.0.0; push them: firethorn symbols push --project unmapped --release 7.0.0 DIR") {
		t.Errorf("event show prints\n%s", out)
	}
	if strings.Contains(out, "\x1b") {
		t.Error("a message takes over the terminal")
	}
	dir := t.TempDir()
	for name, text := range map[string]string{"a.js": "f()", "a.js.map": `{"version":3,"sources":["a"],"names":[],"mappings":"AA!A"}`} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if _, errs := s.run(t, 1, "symbols", "push", "-p", "unmapped", "--release", "7.0.0", dir); !strings.Contains(errs, "a.js.map is no good source map: mappings, byte 2") {
		t.Errorf("a broken map: %s", errs)
	}
}

func TestPeople_WeighMoreThanRepetitions(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "weights")
	event := func(function, user string) string {
		return fmt.Sprintf(`{"exceptions":[{"type":"E","frames":[{"function":%q,"file":"src/a.ts","line":1}]}],"attributes":{"user.id":%q}}`, function, user)
	}
	var crowd []string
	for i := range 500 {
		crowd = append(crowd, event("crowd", fmt.Sprint("p-", i)))
	}
	loop := strings.TrimSuffix(strings.Repeat(`{"exceptions":[{"type":"E","frames":[{"function":"loop","file":"src/a.ts","line":1}]}],"attributes":{"user.id":"p-1"},"stands_for":10}`+"\n", 1000), "\n")
	for _, body := range []string{strings.Join(crowd, "\n"), loop} {
		if code, answer := s.post(t, key, body); code != 202 {
			t.Fatalf("%d %s", code, answer)
		}
	}
	s.settle(t)
	list := s.issues(t, "weights")
	if len(list) != 2 || list[0].Origin.Function != "crowd" || list[0].Users != 500 || list[1].Events != 10_000 || list[1].Users != 1 {
		t.Errorf("%+v", list)
	}
}

func TestRepeats_CountOnceThroughTheNetwork(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "repeats")
	body := `{"id":"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e02","time":"` + time.Now().UTC().Format(time.RFC3339) + `","message":"once"}`
	for range 3 {
		s.post(t, key, body)
	}
	s.settle(t)
	s.post(t, key, body)
	s.settle(t)
	if list := s.issues(t, "repeats"); len(list) != 1 || list[0].Events != 1 {
		t.Errorf("%+v", list)
	}
	deep := `{"exceptions":[{"type":"RangeError","message":"deep","stack":"RangeError: deep` + strings.Repeat(`\n    at f (https://a.example/b.js:1:2)`, 10_000) + `"}]}`
	if code, answer := s.post(t, key, deep); code != 202 {
		t.Errorf("10,000 frames: %d %s", code, answer)
	}
	s.settle(t)
	s.recounted(t)
}

func TestStack_ReadsATraceOffline(t *testing.T) {
	t.Parallel()
	needBuild(t, "../demo/quayside/build/symbols-4.2.0")
	lines, err := replay.Load("../demo/recording/recording.ndjson")
	if err != nil {
		t.Fatal(err)
	}
	x := lines[0].Event["exceptions"].([]any)[0].(map[string]any)["stack"].(string)
	out, _ := shared.runIn(t, x, 0, "stack", "--maps", "../demo/quayside/build/symbols-4.2.0")
	if !strings.Contains(out, "▶ tideAt  src/timetable/tides.ts:17") {
		t.Errorf("stack prints\n%s", out)
	}
	out, _ = shared.runIn(t, x, 0, "stack", "--format", "json")
	var a struct {
		Language   string
		Exceptions []struct {
			Type   string
			Parent *int
			Frames []struct{ Raw struct{ Line int } }
		}
	}
	if err := json.Unmarshal([]byte(out), &a); err != nil || a.Language != "javascript" || len(a.Exceptions) != 1 || a.Exceptions[0].Type != "TypeError" || a.Exceptions[0].Parent != nil || len(a.Exceptions[0].Frames) < 5 || a.Exceptions[0].Frames[0].Raw.Line == 0 {
		t.Errorf("as JSON: %v\n%s", err, out)
	}
}

func TestLocate_AnswersALineForEachPosition(t *testing.T) {
	t.Parallel()
	const m = "../internal/core/symbolicate/testdata/quayside.js.map"
	out, _ := shared.run(t, 0, "locate", "--map", m, "--format", "json", "1:1", "2:400", "99999:1")
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if len(lines) != 3 {
		t.Fatalf("%d lines:\n%s", len(lines), out)
	}
	for i, l := range lines {
		var a map[string]any
		if err := json.Unmarshal([]byte(l), &a); err != nil || len(a) != 7 {
			t.Errorf("line %d is %s, %v", i, l, err)
		}
	}
	if !strings.Contains(lines[2], `"line":99999,"column":1,"source":null,"source_line":null,"source_column":null,"name":null,"function":null`) {
		t.Errorf("past the end: %s", lines[2])
	}
	if !strings.Contains(lines[1], `"source":"`) || !strings.Contains(lines[1], `"source_line":`) {
		t.Errorf("within: %s", lines[1])
	}
	in, _ := shared.runIn(t, "2:400\n\n1:1\n", 0, "locate", "--map", m, "--format", "json")
	if in != lines[1]+"\n"+lines[0]+"\n" {
		t.Errorf("from standard input: %s", in)
	}
	shared.run(t, 2, "locate", "--map", m, "0:1")
	broken := filepath.Join(t.TempDir(), "a.js.map")
	if err := os.WriteFile(broken, []byte(`{"version":3,"sources":["a"],"names":[],"mappings":"AA!A"}`), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, errs := shared.run(t, 1, "locate", "--map", broken, "1:1"); !strings.Contains(errs, "mappings, byte 2") {
		t.Errorf("a broken map: %s", errs)
	}
}

// Text as a runtime prints it is enough: the causes in it are blamed.
func TestTraces_OfOtherLanguages(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "languages")
	for file, headline := range map[string]string{
		"Crew.java": "java.lang.ArrayIndexOutOfBoundsException in Crew.find", "crew.py.cause": "KeyError in find", "crew.go.panic": "panic in main.(*roster).assign",
		"crew.rb": "KeyError in find", "crew.php": "OutOfBoundsException in Roster->find", "crew.rs": "panic in Roster::assign", "crew.cs": "System.Collections.Generic.KeyNotFoundException in Crew.Find",
	} {
		raw, err := os.ReadFile("../internal/core/stacktrace/testdata/printed/" + file + ".txt")
		if err != nil {
			t.Fatal(err)
		}
		body, err := json.Marshal(map[string]any{"exceptions": []any{map[string]any{"stack": string(raw)}}})
		if err != nil {
			t.Fatal(err)
		}
		if code, answer := shared.post(t, key, string(body)); code != 202 {
			t.Fatalf("%s: %d %s", file, code, answer)
		}
		shared.settle(t)
		e := newest(t, shared, "languages")
		if text(e, "headline") != headline {
			t.Errorf("%s: the headline is %q, want %q", file, text(e, "headline"), headline)
		}
	}
}

func TestHostileBodies_AreAnswered(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "hostile")
	var bomb bytes.Buffer
	z := gzip.NewWriter(&bomb)
	for range 64 {
		_, _ = z.Write(bytes.Repeat([]byte(" "), 1<<20)) // into memory
	}
	_ = z.Close()
	req, _ := http.NewRequest(http.MethodPost, shared.url+"/v1/events?key="+key, &bomb)
	req.Header.Set("Content-Encoding", "gzip")
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusRequestEntityTooLarge {
		t.Errorf("a gzip bomb: %d", res.StatusCode)
	}
	if code, _ := shared.post(t, "wrong", `{"message":"m"}`); code != 401 {
		t.Errorf("a wrong key: %d", code)
	}
	shared.run(t, 0, "send", "--project", "hostile") // all goes on
}
