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
			ctx := s.start(
				t,
				Options{
					Service:     v.Start.Service,
					Release:     v.Start.Release,
					Environment: v.Start.Environment,
					Attributes:  v.Start.Attributes,
				},
			)
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
					Report(
						ctx,
						e.make(),
						Details{
							Handled:    True,
							Severity:   details.Severity,
							Message:    details.Message,
							Attributes: details.Attributes,
							Extend:     details.Extend,
						},
					)
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
	if len(stacks) != 2 || !strings.Contains(stacks[0], "client.readTide(...)") ||
		!strings.HasPrefix(
			strings.SplitN(stacks[1], "\n", 3)[1],
			"firethorn.example/client.TestReport_CarriesTheStack",
		) {
		t.Errorf("%s", strings.Join(stacks, "\n\n"))
	}
}

func readTide() error { return Here(errors.New("no tide")) }

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
			h.ServeHTTP(
				httptest.NewRecorder(),
				httptest.NewRequest("GET", fmt.Sprintf("/berth-%c?token=s3cret", 'a'+i), nil),
			)
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
		if a["user.id"] != a["url.path"] || len(crumbs) != 1 ||
			crumbs[0].(map[string]any)["message"] != fmt.Sprint("at ", a["url.path"]) {
			t.Errorf("%v of %v after %v", x["message"], a["user.id"], crumbs)
		}
		if a["url.path"] == "/panic" &&
			(e["handled"] != false || !strings.Contains(fmt.Sprint(x["stack"]), "TestFlows_AreKeptApart") || strings.Contains(fmt.Sprint(x["stack"]), "debug.Stack")) {
			t.Errorf("%v\n%s", e["handled"], x["stack"])
		}
	}
}

func TestLogHandler_ReportsErrorsAndLeavesTheRestAsBreadcrumbs(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	var printed bytes.Buffer
	log := slog.New(NewLogHandler(slog.NewTextHandler(&printed, nil), slog.LevelError)).
		With("ship", "Eider").
		WithGroup("crew")
	log.InfoContext(ctx, "asked", "rank", "mate")
	log.ErrorContext(ctx, "plan failed", "err", readTide(), slog.Group("watch", "name", "night"))
	log.ErrorContext(ctx, "no more ships")
	drained(t)
	got := s.got()
	if len(got) != 2 || strings.Count(printed.String(), "\n") != 3 {
		t.Fatalf("%d events; printed %s", len(got), &printed)
	}
	holds(
		t,
		"error",
		map[string]any{
			"message":    "plan failed",
			"severity":   "error",
			"attributes": map[string]any{"ship": "Eider", "crew.watch.name": "night", "crew.err": "no tide"},
			"breadcrumbs": []any{
				map[string]any{
					"kind":       "log",
					"message":    "asked",
					"severity":   "info",
					"attributes": map[string]any{"crew.rank": "mate"},
				},
			},
		},
		got[0],
	)
	if stack := fmt.Sprint(got[0]["exceptions"].([]any)[0].(map[string]any)["stack"]); !strings.Contains(
		stack,
		"readTide",
	) {
		t.Error(stack)
	}
	holds(
		t,
		"message",
		map[string]any{"message": "no more ships", "attributes": map[string]any{"ship": "Eider"}},
		got[1],
	)
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
