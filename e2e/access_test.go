package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// The planted project: nothing of it may reach a token of another project.
const (
	planted        = "planted-side"
	marker         = "zqplanted"
	plantedTrace   = "4bf92f3577b34da6a3ce929d0e0e4736"
	plantedEventID = "0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e77"
)

// plant makes a project in which everything that has a text says the marker.
func plant(t *testing.T, s *service) {
	t.Helper()
	key := s.project(t, planted)
	s.run(t, 0, "person", "add", "Ottilie "+marker, "ottilie@"+marker+".example", "--role", "member", "--project", planted)
	s.run(t, 0, "person", "add", "Maren Holt", "maren@marrowsound.example", "--role", "member", "--project", planted)
	body := fmt.Sprintf(`{"id":%q,"message":"%[2]s message","trace_id":%[3]q,"exceptions":[{"type":"Zqplanted","message":"%[2]s message","frames":[{"function":"%[2]sFunction","file":"%[2]s.ts","line":1}]}],`+
		`"resource":{"service.version":"%[2]s-1","deployment.environment.name":"%[2]s-env"},"attributes":{"user.id":"%[2]s-user","session.id":"%[2]s-session","%[2]s.attribute":"x"},"breadcrumbs":[{"message":"%[2]s crumb"}]}`, plantedEventID, marker, plantedTrace)
	if code, answer := s.post(t, key, body+"\n"+likeOwn("look at "+marker)); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	if code, answer := s.postTo(t, "/v1/sessions", key, fmt.Sprintf(`{"id":"%s-session","sequence":1,"outcome":"crashed"}`, marker)); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	if code, answer := s.postTo(t, "/v1/feedback", key, fmt.Sprintf(`{"text":"%s said","event":%q}`, marker, plantedEventID)); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	s.run(t, 0, "issue", "comment", planted+"/1", "@maren look: "+marker)
	s.run(t, 0, "issue", "assign", planted+"/1", "--to", "Maren Holt", "--why", marker)
	rules := filepath.Join(t.TempDir(), "rules.yaml")
	if err := os.WriteFile(rules, []byte("scrub:\n- {name: "+marker+", names: ["+marker+".name], do: remove}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.run(t, 0, "rules", "push", "--project", planted, rules)
}

// likeOwn is an event of one trace and one fingerprint, whatever project it is in.
func likeOwn(message string) string {
	return fmt.Sprintf(`{"trace_id":%q,"exceptions":[{"type":"TypeError","message":%q,"frames":[{"function":"tideAt","file":"src/tides.ts","line":17}]}],"attributes":{"user.id":"p-1"}}`,
		plantedTrace, message)
}

// operation is one call of the OpenAPI document.
type operation struct {
	method, path, permission string
	body                     *schema
	query                    []string
}

type schema struct {
	Ref        string             `json:"$ref"`
	Type       any                `json:"type"`
	Enum       []any              `json:"enum"`
	Items      *schema            `json:"items"`
	Properties map[string]*schema `json:"properties"`
	Required   []string           `json:"required"`
	Format     string             `json:"format"`
}

type document struct {
	Paths map[string]map[string]struct {
		Permission string `json:"x-permission"`
		Parameters []struct {
			Name     string `json:"name"`
			In       string `json:"in"`
			Required bool   `json:"required"`
		} `json:"parameters"`
		RequestBody struct {
			Content map[string]struct {
				Schema *schema `json:"schema"`
			} `json:"content"`
		} `json:"requestBody"`
	} `json:"paths"`
	Components struct {
		Schemas map[string]*schema `json:"schemas"`
	} `json:"components"`
}

func readDocument(t *testing.T) (d document) {
	t.Helper()
	raw, err := os.ReadFile("../docs/openapi.json")
	if err == nil {
		err = json.Unmarshal(raw, &d)
	}
	if err != nil || len(d.Paths) < 60 {
		t.Fatalf("%d paths, %v", len(d.Paths), err)
	}
	return d
}

func (d *document) operations() (all []operation) {
	for path, methods := range d.Paths {
		for method, o := range methods {
			op := operation{method: strings.ToUpper(method), path: path, permission: o.Permission, body: o.RequestBody.Content["application/json"].Schema}
			for _, p := range o.Parameters {
				if p.In == "query" {
					op.query = append(op.query, p.Name)
				}
			}
			all = append(all, op)
		}
	}
	slices.SortFunc(all, func(a, b operation) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	return all
}

// example is a value that fits a schema and points at the planted project.
func (d *document) example(name string, s *schema) any {
	if s.Ref != "" {
		s = d.Components.Schemas[s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]]
	}
	kind := fmt.Sprint(s.Type)
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case len(s.Properties) > 0:
		out := map[string]any{}
		for n, p := range s.Properties {
			if n != "$schema" && (slices.Contains(s.Required, n) || n == "issues" || n == "into") {
				out[n] = d.example(n, p)
			}
		}
		return out
	case strings.Contains(kind, "array"):
		return []any{d.example(name, s.Items)}
	case strings.Contains(kind, "integer"), strings.Contains(kind, "number"):
		return 1
	case strings.Contains(kind, "boolean"):
		return false
	case strings.Contains(kind, "object"):
		return map[string]any{}
	case name == "issues" || name == "into" || name == "issue":
		return planted + "/1"
	case s.Format == "date-time":
		return "2026-11-23T04:39:02Z"
	}
	return strings.Repeat("x", 24)
}

// ask makes a call by a token and gives the answer.
func (s *service) ask(t *testing.T, token, method, path string, body any) (int, string) {
	t.Helper()
	var in io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		in = bytes.NewReader(raw)
	}
	req, err := http.NewRequest(method, s.url+path, in)
	if err != nil {
		t.Fatal(err)
	}
	if cookie, ok := strings.CutPrefix(token, "session "); ok {
		req.Header.Set("Cookie", cookie)
	} else if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(raw)
}

func (s *service) newToken(t *testing.T, label string, args ...string) string {
	t.Helper()
	var token struct{ Token string }
	s.json(t, &token, append([]string{"token", "create", label}, args...)...)
	return token.Token
}

// session signs somebody in, and gives what ask takes for them.
func (s *service) session(t *testing.T, name string) string {
	t.Helper()
	var p struct {
		SignInLink string `json:"sign_in_link"`
	}
	s.json(t, &p, "person", "link", name)
	_, secret, _ := strings.Cut(p.SignInLink, "#")
	body, err := json.Marshal(map[string]string{"link": secret})
	if err != nil {
		t.Fatal(err)
	}
	res, err := http.Post(s.url+"/api/session", "application/json", bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if len(res.Cookies()) != 1 {
		t.Fatalf("%s is not signed in: %s", name, res.Status)
	}
	return "session " + res.Cookies()[0].Name + "=" + res.Cookies()[0].Value
}

// Whatever somebody of one project asks, no answer holds anything of another: not to
// tokens, not to people, not to one who was in the other project before, has an issue
// there and was mentioned; and to an operator nothing that was reported.
func TestAccess_WhoIsInAProjectSeesNoOther(t *testing.T) {
	t.Parallel()
	s := own(t)
	plant(t, s)
	if code, answer := s.post(t, s.project(t, "own-side"), likeOwn("no tides")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	d := readDocument(t)
	fill := map[string]string{"{number}": "1", "{event}": plantedEventID, "{id}": "1", "{trace}": plantedTrace, "{who}": "x", "{team}": "x", "{session}": marker + "-session", "{comment}": "1", "{key}": "1", "{verb}": "accept", "{finding}": "1", "{number2}": "1", "{hash}": strings.Repeat("ab", 32), "{name}": "x"}
	query := map[string]string{"project": planted, "held": planted + "/1", "event": plantedEventID, "release": marker + "-1", "user": marker + "-user", "text": marker, "q": marker, "with": planted + "/1", "other": "1", "limit": "50", "search": marker, "window": "all"}
	asked, refused := 0, 0
	callers := map[string]string{}
	for _, scope := range []string{"build", "read", "person", "admin"} {
		args := []string{"--project", "own-side", "--scope", scope}
		if scope == "person" {
			args = append(args, "--person", "Maren Holt")
		}
		callers[scope+" token"] = s.newToken(t, scope+" of own-side", args...)
	}
	s.run(t, 0, "member", "remove", "Maren Holt", "--project", planted)
	s.run(t, 0, "member", "set", "Maren Holt", "maintainer", "--project", "own-side")
	s.run(t, 0, "person", "add", "Vera Lund", "vera.lund@marrowsound.example", "--role", "viewer", "--project", "own-side")
	callers["maintainer"], callers["viewer"] = s.session(t, "Maren Holt"), s.session(t, "Vera Lund")
	for scope, token := range callers {
		for _, op := range d.operations() {
			for _, project := range []string{planted, "own-side"} {
				path := strings.ReplaceAll(op.path, "{project}", project)
				for k, v := range fill {
					path = strings.ReplaceAll(path, k, v)
				}
				if strings.Contains(path, "{") {
					t.Fatalf("no value for a parameter of %s", path)
				}
				asks := []string{path}
				var pairs []string
				for _, name := range op.query {
					if v := query[name]; v != "" {
						pairs = append(pairs, name+"="+v)
					}
				}
				if len(pairs) > 0 {
					asks = append(asks, path+"?"+strings.Join(pairs, "&"))
				}
				for _, at := range asks {
					var body any
					if op.body != nil {
						body = d.example("", op.body)
					}
					if strings.HasPrefix(token, "session") && strings.HasPrefix(op.path, "/api/session") || op.path == "/api/me/sessions" {
						continue // it would sign out
					}
					code, answer := s.ask(t, token, op.method, at, body)
					asked++
					if code >= 400 {
						refused++
					}
					said := strings.NewReplacer(marker+"-session", "", `"release":"`+marker+`-1"`, "").Replace(answer) // what was asked, said again
					asksOfIt := strings.Contains(at, planted) || strings.Contains(fmt.Sprint(body), planted)
					if strings.Contains(strings.ToLower(said), marker) || !asksOfIt && strings.Contains(said, planted) {
						t.Errorf("%s %s by a %s of another project: %d %.400s", op.method, at, scope, code, answer)
					}
					if project == planted && strings.Contains(op.path, "{project}") && code < 400 {
						t.Errorf("%s %s by a %s of another project: %d, want a refusal", op.method, at, scope, code)
					}
				}
			}
		}
	}
	// Nobody is found by the beginning of their name who is in another project alone.
	for _, op := range []struct {
		method, path string
		body         any
	}{
		{"POST", "/api/issues/own-side/1/assign", map[string]any{"to": "Ottilie"}},
		{"POST", "/api/owners/hand-over", map[string]any{"from": "Ottilie", "to": "Ottilie"}},
		{"PUT", "/api/projects/own-side/members", map[string]any{"who": "Ottilie", "role": "viewer"}},
		{"PUT", "/api/projects/own-side/rules", map[string]any{"text": "assign:\n- {name: a, when: 'true', to: Ottilie}\n"}},
		{"GET", "/api/notices", nil}, {"GET", "/api/round", nil}, {"GET", "/api/owners", nil}, {"GET", "/api/overview", nil},
	} {
		if _, answer := s.ask(t, callers["maintainer"], op.method, op.path, op.body); strings.Contains(strings.ToLower(answer), marker) || strings.Contains(answer, planted) {
			t.Errorf("%s %s: %.400s", op.method, op.path, answer)
		}
	}
	s.run(t, 0, "person", "add", "Ines Brandt", "ines.brandt@marrowsound.example", "--operator")
	operator := s.session(t, "Ines Brandt")
	for _, op := range d.operations() {
		if !strings.Contains(op.path, "{project}") || op.permission == "project:change" || op.permission == "members:change" || strings.HasSuffix(op.path, "/members") {
			continue // who is a member, operators may know
		}
		path := strings.ReplaceAll(op.path, "{project}", planted)
		for k, v := range fill {
			path = strings.ReplaceAll(path, k, v)
		}
		var body any
		if op.body != nil {
			body = d.example("", op.body)
		}
		code, answer := s.ask(t, operator, op.method, path, body)
		if asked++; strings.Contains(strings.ToLower(strings.ReplaceAll(answer, marker+"-session", "")), marker) {
			t.Errorf("%s %s by an operator: %d %.400s", op.method, path, code, answer)
		}
	}
	t.Logf("%d asked, %d refused", asked, refused)
	if asked < 500 || refused < asked/2 {
		t.Errorf("%d asked, %d refused: the test asks for nothing", asked, refused)
	}
}

// Deny by default: every call names the permission it needs.
func TestAccess_EveryCallNamesItsPermission(t *testing.T) {
	t.Parallel()
	d := readDocument(t)
	for _, op := range d.operations() {
		if op.permission == "" {
			t.Errorf("%s %s names no permission", op.method, op.path)
		}
	}
}

// A build token reads no event by any way, and switches no scrubbing off.
func TestAccess_BuildTokens(t *testing.T) {
	t.Parallel()
	s := own(t)
	plant(t, s)
	build := s.newToken(t, "ci", "--project", planted)
	try := map[string]any{"text": "intake:\n- {name: a, when: 'message.contains(\"" + marker + "\")', do: drop}\n"}
	for _, path := range []string{"/rules/try", "/rules/try/live", "/issues", "/received"} {
		method := http.MethodPost
		if !strings.HasPrefix(path, "/rules") {
			method = http.MethodGet
		}
		if code, answer := s.ask(t, build, method, "/api/projects/"+planted+path, try); code != 403 || strings.Contains(answer, marker) {
			t.Errorf("%s by a build token: %d %s", path, code, answer)
		}
	}
	if code, answer := s.ask(t, build, "POST", "/api/projects/"+planted+"/rules/check", map[string]any{"text": "intake: []"}); code != 200 {
		t.Errorf("a build token checks a file: %d %s", code, answer)
	}
	rules := "/api/projects/" + planted + "/rules"
	plain := map[string]any{"text": "scrub:\n- {name: berth, names: [berth.zone], do: remove}\n"}
	if code, _ := s.ask(t, build, "PUT", rules, plain); code != 403 {
		t.Errorf("a build token pushes rules: %d", code)
	}
	more := s.newToken(t, "ci with rules", "--project", planted, "--permission", "rules:push")
	if code, answer := s.ask(t, more, "PUT", rules, plain); code != 200 {
		t.Errorf("a build token that may pushes rules: %d %s", code, answer)
	}
	for _, off := range []string{"{name: k, kinds: [jwt, named], do: keep}", "{name: k, names: ['pass*'], do: keep}", "{name: k, names: [password], do: keep}", "{name: k, match: '[a-z]+', do: keep}"} {
		file := map[string]any{"text": "scrub:\n- " + off + "\n"}
		if code, answer := s.ask(t, more, "PUT", rules, file); code != 403 || !strings.Contains(answer, "only operators") {
			t.Errorf("%s is pushed: %d %s", off, code, answer)
		}
	}
	keep := map[string]any{"text": "scrub:\n- {name: k, names: [order.number], kinds: [card], do: keep}\n"}
	if code, answer := s.ask(t, more, "PUT", rules, keep); code != 200 {
		t.Errorf("a narrow exception: %d %s", code, answer)
	}
	admin, err := os.ReadFile(filepath.Join(s.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	wide := map[string]any{"text": "scrub:\n- {name: k, kinds: [jwt], do: keep}\n"}
	if code, answer := s.ask(t, strings.TrimSpace(string(admin)), "PUT", rules, wide); code != 200 {
		t.Errorf("an administrator switches a kind off: %d %s", code, answer)
	}
	if code, answer := s.ask(t, more, "PUT", rules, map[string]any{"text": wide["text"].(string) + "- {name: berth, names: [berth.zone], do: remove}\n"}); code != 200 {
		t.Errorf("what an administrator switched off may stay: %d %s", code, answer)
	}
}

// own starts a service for one test.
func own(t *testing.T) *service {
	t.Helper()
	s, err := start(filepath.Join(t.TempDir(), "data"), "127.0.0.1:0", "")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.stop(); err != nil {
			t.Error(err)
		}
	})
	return s
}
