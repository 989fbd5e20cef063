package client

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"firethorn/internal/core/problem"
)

func local(server string, answers bool) Local {
	return Local{Server: server, Answers: func(context.Context) bool { return answers }, Token: func() (string, error) { return "token of " + server, nil }}
}

// Whom a command line calls, with what: each line is a way in which people work.
func TestChoose(t *testing.T) {
	const far, near, other = "https://firethorn.example", "http://127.0.0.1:7420", "http://127.0.0.1:7421"
	login := Login{Server: far + "/", Token: "remembered", Project: "gangway"}
	for name, c := range map[string]struct {
		by                     Choice
		locals                 []Local
		server, token, project string
		told                   string
	}{
		"flags alone":                             {Choice{Server: far, Token: "flag", Project: "quayside", Login: login}, []Local{local(near, true)}, far, "flag", "quayside", ""},
		"what login remembered":                   {Choice{Login: login}, []Local{local(near, true)}, far, "remembered", "gangway", ""},
		"another server, no token remembered":     {Choice{Server: other, Login: login}, nil, other, "", "gangway", ""},
		"the same server, named with a slash":     {Choice{Server: far + "/", Login: login}, nil, far, "remembered", "gangway", ""},
		"a service on this machine":               {Choice{}, []Local{local(near, true)}, near, "token of " + near, "", ""},
		"one of them does not answer":             {Choice{}, []Local{local(near, false), local(other, true)}, other, "token of " + other, "", ""},
		"two answer":                              {Choice{}, []Local{local(near, true), local(other, true)}, near, "token of " + near, "", near + " not " + other},
		"none answers: the error will name it":    {Choice{}, []Local{local(near, false)}, near, "", "", ""},
		"a local one by its address":              {Choice{Server: other, Login: login}, []Local{local(near, true), local(other, true)}, other, "token of " + other, "gangway", ""},
		"a token of one's own for a local one":    {Choice{Token: "flag"}, []Local{local(near, true)}, near, "flag", "", ""},
		"a remembered token goes nowhere else":    {Choice{Server: near, Login: login}, []Local{local(near, true)}, near, "token of " + near, "gangway", ""},
		"a remembered project beside a flag":      {Choice{Server: far, Token: "flag", Login: login}, nil, far, "flag", "gangway", ""},
		"a remembered server without its project": {Choice{Login: Login{Server: far, Token: "x"}}, nil, far, "x", "", ""},
	} {
		told := ""
		c.by.Locals = func() []Local { return c.locals }
		c.by.Others = func(taken string, others []string) { told = taken + " not " + strings.Join(others, ", ") }
		got, err := Choose(t.Context(), c.by)
		if err != nil || got.Server != c.server || got.Token != c.token || got.Project != c.project || told != c.told {
			t.Errorf("%s: %+v, told %q, %v; want %q %q %q, told %q", name, got, told, err, c.server, c.token, c.project, c.told)
		}
	}
	if _, err := Choose(t.Context(), Choice{}); !is(err, problem.NoServer) {
		t.Errorf("nothing at all: %v", err)
	}
}

func is(err error, code problem.Code) bool {
	f, ok := errors.AsType[*problem.Error](err)
	return ok && f.Code == code
}

func TestLogin_IsForItsOwnerAlone(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	if got := Remembered(); got != (Login{}) {
		t.Errorf("nothing is remembered yet: %+v", got)
	}
	want := Login{Server: "https://firethorn.example", Token: "secret", Project: "quayside"}
	if err := want.Remember(); err != nil {
		t.Fatal(err)
	}
	if got := Remembered(); got != want {
		t.Errorf("remembered %+v, want %+v", got, want)
	}
	file, err := LoginFile()
	if err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", info.Mode(), err)
	}
	if err := os.WriteFile(file, []byte(`{"server":`), 0o600); err != nil {
		t.Fatal(err)
	}
	if got := Remembered(); got != (Login{}) {
		t.Errorf("a file cut off is as none: %+v", got)
	}
}

func TestCall_SaysWhatWentWrong(t *testing.T) {
	for name, c := range map[string]struct {
		answer func(w http.ResponseWriter)
		code   problem.Code
		says   string
	}{
		"a problem": {func(w http.ResponseWriter) {
			w.WriteHeader(http.StatusNotFound)
			io.WriteString(w, `{"detail":"there is no issue quayside/9","code":"not_found"}`)
		}, problem.NotFound, "there is no issue quayside/9"},
		"a proxy's page": {func(w http.ResponseWriter) {
			w.WriteHeader(http.StatusBadGateway)
			io.WriteString(w, "<html>")
		}, problem.Internal, "answered 502"},
		"something else": {func(w http.ResponseWriter) { io.WriteString(w, "hello") }, problem.NoServer, "does not answer like Firethorn"},
		"an answer that breaks off": {func(w http.ResponseWriter) {
			w.Header().Set("Content-Length", "500")
			io.WriteString(w, `{"issues":[`)
		}, problem.NoServer, "broke off"},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Header.Get("Authorization") != "Bearer secret" || r.URL.Path != "/api/issues/quayside/9" {
				t.Errorf("%s: asked %s with %q", name, r.URL.Path, r.Header.Get("Authorization"))
			}
			c.answer(w)
		}))
		cl := &Client{Server: server.URL, Token: "secret", Project: "quayside", HTTP: server.Client()}
		path, err := cl.IssuePath("9")
		if err != nil {
			t.Fatal(err)
		}
		var out struct{}
		if _, err := cl.Call(t.Context(), http.MethodGet, path, nil, &out); !is(err, c.code) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
		server.Close()
		if _, err := cl.Call(t.Context(), http.MethodGet, path, nil, nil); !is(err, problem.NoServer) || !strings.Contains(err.Error(), "is it running?") {
			t.Errorf("%s, nobody listens: %v", name, err)
		}
	}
	if _, err := (&Client{Server: "http://a b", HTTP: http.DefaultClient}).Call(t.Context(), http.MethodGet, "/", nil, nil); !is(err, problem.WrongUse) {
		t.Errorf("a server that is no URL: %v", err)
	}
}

func TestMatch_SendsTheVersionThatWasSeen(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if r.Header.Get("If-Match") != `"4"` || string(body) != `{"to":"Maren Holt"}` || r.Header.Get("Content-Type") != "application/json" {
			t.Errorf("%v %s", r.Header, body)
		}
		io.WriteString(w, `{"state":"accepted"}`)
	}))
	defer server.Close()
	var out struct{ State string }
	c := &Client{Server: server.URL, HTTP: server.Client()}
	if err := c.Match(t.Context(), "/api/issues/quayside/9/assign", 4, map[string]string{"to": "Maren Holt"}, &out); err != nil || out.State != "accepted" {
		t.Errorf("%+v, %v", out, err)
	}
}

func TestIssue_IsNamedWithOrWithoutItsProject(t *testing.T) {
	c := &Client{Project: "gangway"}
	for id, want := range map[string]string{"quayside/12": "/api/issues/quayside/12", "12": "/api/issues/gangway/12", "a b/3": "/api/issues/a%20b/3"} {
		if got, err := c.IssuePath(id); err != nil || got != want {
			t.Errorf("%s: %s, %v", id, got, err)
		}
	}
	for _, id := range []string{"", "quayside/", "quayside/0", "quayside/-1", "tide", "quayside/12/3"} {
		if _, err := c.IssuePath(id); !is(err, problem.WrongUse) {
			t.Errorf("%q: %v", id, err)
		}
	}
	c.Project = ""
	if _, err := c.IssuePath("12"); !is(err, problem.WrongUse) {
		t.Errorf("no project: %v", err)
	}
	if _, err := c.ProjectPath("/issues"); !is(err, problem.WrongUse) {
		t.Errorf("no project: %v", err)
	}
}

func TestStream_HandsOnEventsAndSaysWhatWentWrong(t *testing.T) {
	answer := func(w http.ResponseWriter) {
		io.WriteString(w, "event: step\ndata: {\"n\":1}\n\n: a comment\nevent: done\ndata: {\"n\":2}\n\n")
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer secret" {
			t.Errorf("asked as %q", r.Header.Get("Authorization"))
		}
		answer(w)
	}))
	defer server.Close()
	c := &Client{Server: server.URL, Token: "secret", HTTP: server.Client()}
	var got []string
	take := func(event string, data []byte) error {
		got = append(got, event+" "+string(data))
		return nil
	}
	if err := c.Stream(t.Context(), "/x", nil, take); err != nil || strings.Join(got, ", ") != `step {"n":1}, done {"n":2}` {
		t.Errorf("%v, %v", got, err)
	}
	if err := c.Stream(t.Context(), "/x", nil, func(string, []byte) error { return io.ErrShortWrite }); !errors.Is(err, io.ErrShortWrite) {
		t.Errorf("what the taker says is not handed on: %v", err)
	}
	answer = func(w http.ResponseWriter) {
		w.WriteHeader(http.StatusBadGateway)
		io.WriteString(w, "<html>")
	}
	if err := c.Stream(t.Context(), "/x", nil, take); !is(err, problem.Internal) || !strings.Contains(err.Error(), "answered 502") {
		t.Errorf("a proxy's page: %v", err)
	}
}
