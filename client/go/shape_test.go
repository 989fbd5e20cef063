package firethorn

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strings"
	"testing"
)

// optional lists the optional methods of a writer.
func optional(w http.ResponseWriter) string {
	var out []string
	for name, has := range map[string]func() bool{
		"Flush":    func() bool { _, ok := w.(http.Flusher); return ok },
		"Hijack":   func() bool { _, ok := w.(http.Hijacker); return ok },
		"ReadFrom": func() bool { _, ok := w.(io.ReaderFrom); return ok },
		"Push":     func() bool { _, ok := w.(http.Pusher); return ok },
	} {
		if has() {
			out = append(out, name)
		}
	}
	return fmt.Sprint(len(out), strings.Join(sorted(out), " "))
}

func sorted(list []string) []string {
	for i := range list {
		for j := range i {
			if list[i] < list[j] {
				list[i], list[j] = list[j], list[i]
			}
		}
	}
	return list
}

type plainWriter struct{ http.ResponseWriter }

type (
	canFlush  struct{ http.Flusher }
	canHijack struct{ http.Hijacker }
	canRead   struct{ io.ReaderFrom }
	canPush   struct{ http.Pusher }
)

func TestHandler_TheWriterKeepsWhatItHad(t *testing.T) {
	s := newStandIn(t)
	s.start(t, Options{Sessions: "request"})
	var inside http.ResponseWriter
	h := Handler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { inside = w }))
	p := plainWriter{httptest.NewRecorder()}
	for _, w := range []http.ResponseWriter{
		p, httptest.NewRecorder(),
		struct {
			plainWriter
			canFlush
			canHijack
			canRead
		}{plainWriter: p},
		struct {
			plainWriter
			canFlush
			canPush
		}{plainWriter: p},
		struct {
			plainWriter
			canRead
		}{plainWriter: p},
		struct {
			plainWriter
			canHijack
			canPush
		}{plainWriter: p},
		struct {
			plainWriter
			canFlush
			canHijack
			canRead
			canPush
		}{plainWriter: p},
	} {
		h.ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
		if got, want := optional(inside), optional(w); got != want {
			t.Errorf("the handler sees %s, it had %s", got, want)
		}
	}
	answers := make(chan error, 1)
	host := httptest.NewServer(Handler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		rc := http.NewResponseController(w)
		answers <- errors.Join(rc.EnableFullDuplex(), rc.Flush())
	})))
	defer host.Close()
	if res, err := http.Get(host.URL); err != nil {
		t.Error(err)
	} else {
		res.Body.Close()
	}
	if err := <-answers; err != nil {
		t.Error(err)
	}
}

func TestHandler_CountsTheRequestsOfAMinute(t *testing.T) {
	s := newStandIn(t)
	s.start(t, Options{Sessions: "request"})
	h := Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/odd" {
			Report(r.Context(), errors.New("weather"))
		}
		if r.URL.Path == "/bad" {
			w.WriteHeader(500)
		}
	}))
	for i := range 1000 {
		h.ServeHTTP(
			httptest.NewRecorder(),
			httptest.NewRequest("GET", []string{"/", "/", "/bad", "/odd"}[min(3, i%250)], nil),
		)
	}
	drained(t)
	s.mu.Lock()
	defer s.mu.Unlock()
	counted, told := map[string]float64{}, 0
	for _, m := range s.sessions {
		if m["counts"] == nil {
			told++
			continue
		}
		for outcome, n := range m["counts"].(map[string]any) {
			counted[outcome] += n.(float64)
		}
		if q := m["duration_ms"].(map[string]any); q["p50"].(float64) < 1 || q["p95"].(float64) < q["p50"].(float64) {
			t.Errorf("durations: %v", q)
		}
	}
	// A request with an event is told of by itself: most were held back.
	if sum := counted["clean"] + counted["faulty"] + float64(told); sum != 1000 || told < 1 || counted["clean"] != 8 {
		t.Errorf("counted %v, told of %d", counted, told)
	}
	if len(s.sessions) > 20 {
		t.Errorf("%d messages of 1,000 requests", len(s.sessions))
	}
}

func TestRecover_WithoutAClientThePanicGoesOn(t *testing.T) {
	for name, protected := range map[string]func(){
		"Recover": func() { defer Recover(context.Background()); panic("gate") },
		"Repanic": func() { defer Repanic(context.Background()); panic("gate") },
		"method":  func() { var c *Client; defer c.Recover(context.Background()); panic("gate") },
	} {
		t.Run(name, func(t *testing.T) {
			defer func() {
				if v := recover(); v != "gate" {
					t.Errorf("the panic is swallowed: %v", v)
				}
			}()
			protected()
		})
	}
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	func() { defer Recover(ctx); panic("gate") }()
	drained(t)
	if len(s.got()) != 1 {
		t.Error("a client that has begun recovers and reports")
	}
}

func TestNew_MakesAClientThatReportsByItself(t *testing.T) {
	one, two := newStandIn(t), newStandIn(t)
	a := New(Options{Server: one.URL, Key: "in-key", Dir: "-"})
	b := New(Options{Server: two.URL, Key: "in-key", Dir: "-"})
	ctx := b.With(a.With(t.Context()))
	a.User(ctx, Identity{ID: "p-1"})
	b.User(ctx, Identity{ID: "p-2"})
	a.Note(ctx, "app", "asked")
	a.Report(ctx, errors.New("sunk"))
	b.Message(ctx, "low water")
	slog.New(b.NewLogHandler(slog.NewTextHandler(io.Discard, nil), slog.LevelError)).ErrorContext(ctx, "no more ships")
	func() { defer a.Recover(ctx); panic("gate") }()
	a.Handler(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {})).
		ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("GET", "/", nil))
	a.Close()
	b.Close()
	if len(one.got()) != 2 || len(two.got()) != 2 || len(one.sessions) != 0 {
		t.Fatalf("%d and %d events, %d sessions", len(one.got()), len(two.got()), len(one.sessions))
	}
	holds(
		t,
		"a",
		map[string]any{
			"attributes":  map[string]any{"user.id": "p-1"},
			"breadcrumbs": []any{map[string]any{"message": "asked"}},
		},
		one.got()[0],
	)
	holds(t, "b", map[string]any{"message": "low water", "attributes": map[string]any{"user.id": "p-2"}}, two.got()[0])
	if stack := fmt.Sprint(one.got()[0]["exceptions"].([]any)[0].(map[string]any)["stack"]); !strings.HasPrefix(
		strings.SplitN(stack, "\n", 3)[1],
		"firethorn.example/client.TestNew_MakesAClient",
	) {
		t.Error(stack)
	}
}

// counters is what some error types call their stack.
type counters []frame
type frame uintptr

type withTrace struct {
	error
	trace counters
}

func (w withTrace) StackTrace() counters { return w.trace }

type withCallers struct {
	error
	pcs []uintptr
}

func (w withCallers) Callers() []uintptr { return w.pcs }

func readLedger() []uintptr {
	pcs := make([]uintptr, 16)
	return pcs[:runtime.Callers(1, pcs)]
}

func TestReport_TakesTheStackThatAnErrorCarries(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	pcs := readLedger()
	trace := counters{}
	for _, pc := range pcs {
		trace = append(trace, frame(pc))
	}
	Report(ctx, fmt.Errorf("one: %w", withTrace{errors.New("no page"), trace}))
	Report(ctx, fmt.Errorf("two: %w", withCallers{errors.New("no page"), pcs}))
	drained(t)
	for _, e := range s.got() {
		list := e["exceptions"].([]any)
		for i := range 2 {
			if stack := fmt.Sprint(list[i].(map[string]any)["stack"]); !strings.Contains(
				stack,
				"client.readLedger(...)\n\t",
			) {
				t.Errorf("%v of %v: %s", i, list[0].(map[string]any)["message"], stack)
			}
		}
	}
	if len(s.got()) != 2 {
		t.Errorf("%d events", len(s.got()))
	}
}

func TestReport_CarriesTheTraceOfTheContext(t *testing.T) {
	s := newStandIn(t)
	type key struct{}
	s.start(t, Options{Trace: func(ctx context.Context) (string, string) {
		id, _ := ctx.Value(key{}).(string)
		if id == "panic" {
			panic("no span")
		}
		return id, "b7ad6b7169203331"
	}})
	for _, id := range []string{"0af7651916cd43dd8448eb211c80319c", "not an id", "00000000000000000000000000000000", "panic"} {
		Report(context.WithValue(t.Context(), key{}, id), errors.New(id))
	}
	drained(t)
	got := s.got()
	if len(got) != 4 {
		t.Fatalf("%d events", len(got))
	}
	holds(
		t,
		"first",
		map[string]any{"trace_id": "0af7651916cd43dd8448eb211c80319c", "span_id": "b7ad6b7169203331"},
		got[0],
	)
	for _, e := range got[1:] {
		if e["trace_id"] != nil {
			t.Errorf("%v", e["trace_id"])
		}
	}
}

// TestReport_FromWithinAReport: what the program gives us may report itself.
func TestReport_FromWithinAReport(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{Edit: func(e *Event) *Event {
		if e.Message != "from Edit" {
			Message(context.Background(), "from Edit")
		}
		return e
	}})
	Snapshot(func() any { Note(ctx, "app", "asked"); Message(ctx, "from Snapshot"); return 1 })
	Attributes(ctx, map[string]any{"ship": reporting{ctx}})
	Note(ctx, "app", "boarded", map[string]any{"ship": reporting{ctx}})
	Message(ctx, "low water")
	drained(t)
	seen := map[string]bool{}
	for _, e := range s.got() {
		seen[fmt.Sprint(e["message"])] = true
	}
	for _, want := range []string{"low water", "from Edit", "from Snapshot", "from String"} {
		if !seen[want] {
			t.Errorf("%q is missing: %v", want, seen)
		}
	}
}

type reporting struct{ ctx context.Context }

func (r reporting) String() string { Message(r.ctx, "from String"); return "Eider" }

func TestNote_AllocatesNothing(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	for range 2 * maxBreadcrumbs {
		Note(ctx, "app", "asked for the tide table")
	}
	if n := testing.AllocsPerRun(1000, func() { Note(ctx, "app", "asked for the tide table") }); n != 0 {
		t.Errorf("%v allocations", n)
	}
}

func TestWarn_SaysOnceThatTheKeyIsWrong(t *testing.T) {
	s, w := newStandIn(t), &warnings{}
	s.answer = func(int) int { return 401 }
	ctx := s.start(t, Options{Warn: w.add})
	for i := range 3 {
		Report(ctx, fmt.Errorf("sunk %c", 'a'+i))
		drained(t)
	}
	if got := w.all(); strings.Count(got, "does not know the key (401)") != 1 || strings.Contains(got, "in-key") {
		t.Errorf("%q", got)
	}
}

func BenchmarkNote(b *testing.B) {
	c := build(Options{Server: "http://127.0.0.1:1", Key: "in-key", Dir: b.TempDir(), Sessions: "off"})
	c.begin(true)
	defer c.Close()
	ctx := context.Background()
	b.ReportAllocs()
	for b.Loop() {
		c.Note(ctx, "app", "asked for the tide table")
	}
}

func BenchmarkReport(b *testing.B) {
	c := build(Options{Server: "http://127.0.0.1:1", Key: "in-key", Dir: b.TempDir(), Sessions: "off"})
	c.begin(true)
	defer c.Close()
	ctx, err := context.Background(), errors.New("no tide table")
	for range maxBreadcrumbs {
		c.Note(ctx, "app", "asked for the tide table", map[string]any{"day": 366})
	}
	b.ReportAllocs()
	for b.Loop() {
		c.Report(ctx, err)
	}
}
