package firethorn

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// TestMain lets the tests run themselves as a program that comes to grief.
func TestMain(m *testing.M) {
	if how := os.Getenv("FIRETHORN_PROBE"); how != "" {
		probe(how)
		return
	}
	os.Exit(m.Run())
}

// standIn takes what clients send, as the service does.
type standIn struct {
	*httptest.Server
	mu       sync.Mutex
	events   []map[string]any
	sessions []map[string]any
	dropped  map[string]float64
	requests int
	answer   func(n int) int // status to answer with; 202 takes it
}

func newStandIn(t *testing.T) *standIn {
	s := &standIn{}
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		z, err := gzip.NewReader(r.Body)
		if err != nil {
			t.Error(err)
			return
		}
		raw, err := io.ReadAll(z)
		var env struct {
			Resource         map[string]any
			Events, Sessions []map[string]any
			Dropped          map[string]float64
		}
		if err != nil || json.Unmarshal(raw, &env) != nil || r.Header.Get("Authorization") != "Bearer in-key" {
			t.Errorf("unreadable: %s %v", raw, err)
		}
		s.mu.Lock()
		defer s.mu.Unlock()
		s.requests++
		if s.answer != nil {
			if status := s.answer(s.requests); status != http.StatusAccepted {
				w.WriteHeader(status)
				return
			}
		}
		for _, e := range env.Events {
			if e["resource"] == nil {
				e["resource"] = env.Resource
			}
			s.events = append(s.events, e)
		}
		s.sessions = append(s.sessions, env.Sessions...)
		for k, n := range env.Dropped {
			if s.dropped == nil {
				s.dropped = map[string]float64{}
			}
			s.dropped[k] += n
		}
		w.WriteHeader(http.StatusAccepted)
	}))
	t.Cleanup(s.Close)
	return s
}

func (s *standIn) got() []map[string]any {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]map[string]any{}, s.events...)
}

func (s *standIn) start(t *testing.T, o Options) context.Context {
	t.Helper()
	o.Server, o.Key = s.URL, "in-key"
	if o.Dir == "" {
		o.Dir = t.TempDir()
	}
	if o.Sessions == "" {
		o.Sessions = "off"
	}
	t.Cleanup(Start(o))
	return t.Context()
}

func drained(t *testing.T) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if !Drain(ctx) {
		t.Error("not all was stored")
	}
}

// holds fails unless all of want is in got.
func holds(t *testing.T, where string, want, got any) {
	t.Helper()
	switch w := want.(type) {
	case map[string]any:
		g, _ := got.(map[string]any)
		for k, v := range w {
			holds(t, where+"."+k, v, g[k])
		}
	case []any:
		g, _ := got.([]any)
		if len(g) != len(w) {
			t.Errorf("%s has %d, want %d: %v", where, len(g), len(w), got)
			return
		}
		for i := range w {
			holds(t, fmt.Sprint(where, "[", i, "]"), w[i], g[i])
		}
	default:
		if fmt.Sprint(want) != fmt.Sprint(got) {
			t.Errorf("%s = %v, want %v", where, got, want)
		}
	}
}

type errorVector struct {
	Message string
	Cause   *errorVector
	Members []*errorVector
}

type chained struct {
	words string
	inner error
}

func (c *chained) Error() string { return c.words }
func (c *chained) Unwrap() error { return c.inner }

func (v *errorVector) make() error {
	switch {
	case v.Members != nil:
		var list []error
		for _, m := range v.Members {
			list = append(list, m.make())
		}
		return errors.Join(list...)
	case v.Cause != nil:
		return &chained{v.Message, v.Cause.make()}
	}
	return errors.New(v.Message)
}

func TestVectors(t *testing.T) {
	raw, err := os.ReadFile("../vectors.json")
	var vectors []struct {
		Name  string
		Start struct {
			Service, Release, Environment string
			Attributes                    map[string]any
		}
		Do   [][]json.RawMessage
		Wire map[string]any
	}
	if err == nil {
		err = json.Unmarshal(raw, &vectors)
	}
	if err != nil || len(vectors) < 5 {
		t.Fatal(len(vectors), err)
	}
	for _, v := range vectors {
		t.Run(v.Name, func(t *testing.T) {
			s := newStandIn(t)
			ctx := s.start(t, Options{Service: v.Start.Service, Release: v.Start.Release, Environment: v.Start.Environment, Attributes: v.Start.Attributes})
			for _, step := range v.Do {
				args := step[1:]
				read := func(i int, into any) {
					if i < len(args) {
						if err := json.Unmarshal(args[i], into); err != nil {
							t.Fatal(err)
						}
					}
				}
				var words string
				values := map[string]any{}
				var details struct {
					Severity, Message string
					Attributes        map[string]any
					Extend            []string
				}
				switch strings.Trim(string(step[0]), `"`) {
				case "user":
					var id Identity
					read(0, &id)
					User(ctx, id)
				case "attributes":
					read(0, &values)
					Attributes(ctx, values)
				case "note":
					var kind string
					read(0, &kind)
					read(1, &words)
					read(2, &values)
					Note(ctx, kind, words, values)
				case "snapshot":
					read(0, &values)
					Snapshot(func() any { return values })
				case "report":
					var e errorVector
					read(0, &e)
					read(1, &details)
					Report(ctx, e.make(), Details{Handled: True, Severity: details.Severity, Message: details.Message, Attributes: details.Attributes, Extend: details.Extend})
				case "message":
					read(0, &words)
					read(1, &details)
					Message(ctx, words, Details{Severity: details.Severity, Attributes: details.Attributes})
				default:
					t.Fatalf("what is %s?", step[0])
				}
			}
			drained(t)
			if got := s.got(); len(got) != 1 {
				t.Fatalf("%d events", len(got))
			}
			holds(t, "wire", v.Wire, s.got()[0])
		})
	}
}

func TestReport_CarriesTheStackOfWhereItWentWrong(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	Report(ctx, fmt.Errorf("plan: %w", readTide()))
	Report(ctx, errors.New("here"))
	drained(t)
	stacks := []string{}
	for _, e := range s.got() {
		stacks = append(stacks, fmt.Sprint(e["exceptions"].([]any)[0].(map[string]any)["stack"]))
	}
	if len(stacks) != 2 || !strings.Contains(stacks[0], "client.readTide(...)") || !strings.HasPrefix(strings.SplitN(stacks[1], "\n", 3)[1], "firethorn.example/client.TestReport_CarriesTheStack") {
		t.Errorf("%s", strings.Join(stacks, "\n\n"))
	}
}

func readTide() error { return Here(errors.New("no tide")) }

func TestOutbox_SendsAgainWhatWasNotTaken(t *testing.T) {
	for name, first := range map[string]int{"a sign-in page": 200, "away": 503, "too many": 429} {
		t.Run(name, func(t *testing.T) {
			s := newStandIn(t)
			s.answer = func(n int) int {
				if n == 1 {
					return first
				}
				return 202
			}
			ctx := s.start(t, Options{})
			Report(ctx, errors.New("sunk"))
			drained(t)
			if got := s.got(); len(got) != 1 || s.requests < 2 {
				t.Errorf("%d events in %d requests", len(got), s.requests)
			}
		})
	}
}

func TestOutbox_TellsWhatItLost(t *testing.T) {
	s := newStandIn(t)
	s.answer = func(n int) int {
		if n == 1 {
			return 400
		}
		return 202
	}
	ctx := s.start(t, Options{})
	Report(ctx, errors.New("refused"))
	drained(t)
	for i := range 90 {
		Message(ctx, strings.Repeat("x", i))
	}
	drained(t)
	if n := len(s.got()); n < 60 || n > 90 || s.dropped["refused"] != 1 {
		t.Errorf("%d events, dropped %v", n, s.dropped)
	}
}

func TestKinds_CountRight(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	for i := range 25_000 {
		Report(ctx, fmt.Errorf("tide %d", i))
	}
	drained(t)
	total := 0.0
	for _, e := range s.got() {
		n, ok := e["stands_for"].(float64)
		if !ok {
			n = 1
		}
		total += n
	}
	if total != 25_000 || len(s.got()) > 20 {
		t.Errorf("%v counted in %d events", total, len(s.got()))
	}
}

func TestShare_ThoseThatAreSentStandForTheOthers(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{Share: 0.000001})
	for range 4 { // no flood: a few of a kind
		Report(ctx, errors.New("sunk"))
	}
	std.Load().kinds.release(true)
	for until := time.Now().Add(5 * time.Second); len(s.got()) == 0 && time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
	}
	time.Sleep(100 * time.Millisecond)
	if n := len(s.got()); n != 1 {
		t.Errorf("%d sent: the first alone should be", n)
	}
	drained(t)
	if got := s.got(); len(got) != 2 || got[1]["stands_for"] != 3.0 {
		t.Errorf("at the end one stands for the three: %v", got)
	}
}

func TestClose_DoesNotWaitForASlowService(t *testing.T) {
	s := newStandIn(t)
	s.answer = func(int) int {
		time.Sleep(3 * time.Second)
		return 202
	}
	ctx := s.start(t, Options{})
	Report(ctx, errors.New("sunk"))
	began := time.Now()
	short, cancel := context.WithTimeout(ctx, 100*time.Millisecond)
	defer cancel()
	if Drain(short) || time.Since(began) > 2*time.Second {
		t.Errorf("it waited %s", time.Since(began))
	}
}

func TestFlows_AreKeptApart(t *testing.T) {
	s := newStandIn(t)
	root := s.start(t, Options{})
	h := Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		User(r.Context(), Identity{ID: r.URL.Path})
		Note(r.Context(), "app", "at "+r.URL.Path)
		if r.URL.Path == "/panic" {
			panic("gate")
		}
		Report(r.Context(), errors.New("at "+r.URL.Path))
	}))
	var wg sync.WaitGroup
	for i := range 20 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("GET", fmt.Sprintf("/berth-%c?token=s3cret", 'a'+i), nil))
		}()
	}
	wg.Wait()
	func() {
		defer func() {
			if r := recover(); r != "gate" {
				t.Errorf("the panic does not go on: %v", r)
			}
		}()
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("GET", "/panic", nil))
	}()
	Report(root, errors.New("outside"))
	drained(t)
	if n := len(s.got()); n != 22 {
		t.Errorf("%d events", n)
	}
	for _, e := range s.got() {
		a := e["attributes"].(map[string]any)
		x := e["exceptions"].([]any)[0].(map[string]any)
		if x["message"] == "outside" {
			if a["user.id"] != nil {
				t.Error("the user of a request is everybody's")
			}
			continue
		}
		crumbs := e["breadcrumbs"].([]any)
		if a["user.id"] != a["url.path"] || len(crumbs) != 1 || crumbs[0].(map[string]any)["message"] != fmt.Sprint("at ", a["url.path"]) {
			t.Errorf("%v of %v after %v", x["message"], a["user.id"], crumbs)
		}
		if a["url.path"] == "/panic" && (e["handled"] != false || !strings.Contains(fmt.Sprint(x["stack"]), "TestFlows_AreKeptApart") || strings.Contains(fmt.Sprint(x["stack"]), "debug.Stack")) {
			t.Errorf("%v\n%s", e["handled"], x["stack"])
		}
	}
}

func TestLogHandler_ReportsErrorsAndLeavesTheRestAsBreadcrumbs(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	var printed bytes.Buffer
	log := slog.New(NewLogHandler(slog.NewTextHandler(&printed, nil), slog.LevelError)).With("ship", "Eider").WithGroup("crew")
	log.InfoContext(ctx, "asked", "rank", "mate")
	log.ErrorContext(ctx, "plan failed", "err", readTide(), slog.Group("watch", "name", "night"))
	log.ErrorContext(ctx, "no more ships")
	drained(t)
	got := s.got()
	if len(got) != 2 || strings.Count(printed.String(), "\n") != 3 {
		t.Fatalf("%d events; printed %s", len(got), &printed)
	}
	holds(t, "error", map[string]any{"message": "plan failed", "severity": "error", "attributes": map[string]any{"ship": "Eider", "crew.watch.name": "night", "crew.err": "no tide"},
		"breadcrumbs": []any{map[string]any{"kind": "log", "message": "asked", "severity": "info", "attributes": map[string]any{"crew.rank": "mate"}}}}, got[0])
	if stack := fmt.Sprint(got[0]["exceptions"].([]any)[0].(map[string]any)["stack"]); !strings.Contains(stack, "readTide") {
		t.Error(stack)
	}
	holds(t, "message", map[string]any{"message": "no more ships", "attributes": map[string]any{"ship": "Eider"}}, got[1])
}

func TestClient_NeverPanicsIntoTheProgram(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{Edit: func(e *Event) *Event {
		if e.Message == "drop" {
			return nil
		}
		if e.Message == "odd" {
			e.Attributes["f"] = func() {}
			return e
		}
		panic("edit")
	}})
	Snapshot(func() any { panic("snapshot") })
	Attributes(ctx, map[string]any{"f": func() {}, "c": make(chan int), "err": (*chained)(nil), "nan": 0.0})
	Report(ctx, (*chained)(nil))
	var none context.Context
	Report(none, errors.New("no context"))
	Report(ctx, nil)
	Message(ctx, "drop")
	Message(ctx, "odd")
	drained(t)
	for _, e := range s.got() {
		if a := e["attributes"].(map[string]any); a["firethorn.edit_failed"] == nil || len(a) != 1 {
			t.Errorf("what Edit would have hidden leaves: %v", a)
		}
	}
	if n := len(s.got()); n != 3 {
		t.Errorf("%d events", n)
	}
}

func TestWatch_ReportsADeadlockWithAllGoroutines(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	var one, two sync.Mutex
	var ready sync.WaitGroup
	ready.Add(2)
	lock := func(a, b *sync.Mutex, watch bool) {
		if watch {
			defer Watch(ctx, "the crew plan", 200*time.Millisecond).Done()
		}
		a.Lock()
		defer a.Unlock()
		ready.Done()
		ready.Wait()
		b.Lock()
		defer b.Unlock()
	}
	go lock(&one, &two, true)
	go lock(&two, &one, false)
	for until := time.Now().Add(5 * time.Second); len(s.got()) == 0 && time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
	}
	if len(s.got()) != 1 {
		t.Fatalf("%d events", len(s.got()))
	}
	e := s.got()[0]
	x := e["exceptions"].([]any)[0].(map[string]any)
	waiting := 0
	for _, th := range e["threads"].([]any) {
		if m := th.(map[string]any); strings.Contains(fmt.Sprint(m["waiting_on"]), "Lock") {
			waiting++
			if m["blamed"] == true && m["thread.id"] != x["thread.id"] {
				t.Error("another goroutine is blamed")
			}
		}
	}
	if x["type"] != "Hang" || !strings.Contains(fmt.Sprint(x["stack"]), "TestWatch_ReportsADeadlock") || waiting < 2 {
		t.Errorf("%v, %d wait for a lock", x, waiting)
	}
}

// probe is the program that comes to grief.
func probe(how string) {
	o := Options{Server: os.Getenv("PROBE_SERVER"), Key: "in-key", Service: "probe", Release: os.Getenv("PROBE_RELEASE"), Dir: os.Getenv("PROBE_DIR")}
	stop := Start(o)
	ctx := context.Background()
	Note(ctx, "app", "before the end")
	switch how {
	case "kill": // in the middle of its report: the service does not answer
		Report(ctx, errors.New("the last words"))
		_ = os.WriteFile(filepath.Join(o.Dir, "reported"), nil, 0o600)
		select {}
	case "panic":
		go func() { panic(fmt.Sprintf("no berth for %s", "Eider")) }()
		select {}
	case "fatal":
		m := map[int]int{}
		for range 8 {
			go func() {
				for {
					m[1]++
				}
			}()
		}
		select {}
	case "again":
	}
	stop()
}

func runProbe(t *testing.T, how, server, dir, release string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), "FIRETHORN_PROBE="+how, "PROBE_SERVER="+server, "PROBE_DIR="+dir, "PROBE_RELEASE="+release)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() }) // it has ended
	return cmd
}

func TestCrash_IsToldByTheNextStart(t *testing.T) {
	for how, words := range map[string][2]string{"kill": {"*errors.errorString", "the last words"}, "panic": {"panic", "no berth for Eider"}, "fatal": {"fatal error", "ended the program"}} {
		t.Run(how, func(t *testing.T) {
			dir := t.TempDir()
			first := runProbe(t, how, "http://127.0.0.1:1", dir, "1.0.0") // nobody answers there
			if how == "kill" {
				for until := time.Now().Add(10 * time.Second); time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
					if _, err := os.Stat(filepath.Join(dir, "reported")); err == nil {
						break
					}
				}
				if err := first.Process.Kill(); err != nil {
					t.Fatal(err)
				}
			}
			_ = first.Wait() // it fails, as it should
			s := newStandIn(t)
			for range 2 { // the second finds nothing any more
				if err := runProbe(t, "again", s.URL, dir, "2.0.0").Wait(); err != nil {
					t.Fatal(err)
				}
			}
			got := s.got()
			if len(got) != 1 {
				t.Fatalf("%d events", len(got))
			}
			x := got[0]["exceptions"].([]any)[0].(map[string]any)
			release := got[0]["resource"].(map[string]any)["service.version"]
			crumbs := got[0]["breadcrumbs"].([]any)
			if x["type"] != words[0] || !strings.Contains(fmt.Sprint(x["message"]), words[1]) || release != "1.0.0" || len(crumbs) != 1 || !strings.Contains(fmt.Sprint(x["stack"]), "client.probe") {
				t.Errorf("%v of %v after %v", x, release, crumbs)
			}
			worst := ""
			for _, m := range s.sessions {
				if m["outcome"] == "crashed" {
					worst = "crashed"
				}
			}
			if (how != "kill") != (worst == "crashed") {
				t.Errorf("sessions: %v", s.sessions)
			}
		})
	}
}
