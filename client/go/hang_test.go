package firethorn

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"
)

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

// await waits until the stand-in has events that represent so many.
func (s *standIn) await(t *testing.T, n float64) []map[string]any {
	t.Helper()
	total := 0.0
	for until := time.Now().Add(20 * time.Second); time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		total = 0
		for _, e := range s.got() {
			total += standsFor(e)
		}
		if total >= n {
			break
		}
	}
	if total != n {
		t.Fatalf("%v are told of, want %v", total, n)
	}
	return s.got()
}

func standsFor(e map[string]any) float64 {
	if n, ok := e["stands_for"].(float64); ok {
		return n
	}
	return 1
}

func TestWatch_AThousandHangsAreOneLook(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	release := make(chan struct{})
	var begun, ended sync.WaitGroup
	for range 1000 {
		begun.Add(1)
		ended.Add(1)
		go func() {
			defer ended.Done()
			defer Watch(ctx, "the request", time.Second).Done()
			begun.Done()
			<-release
		}()
	}
	defer ended.Wait()
	defer close(release)
	begun.Wait()
	time.Sleep(2 * time.Second)
	drained(t)
	looks := 0
	for _, e := range s.await(t, 1000) {
		if e["threads"] != nil {
			looks++
		}
		if stack := fmt.Sprint(e["exceptions"].([]any)[0].(map[string]any)["stack"]); !strings.Contains(
			stack,
			"AThousandHangs",
		) {
			t.Errorf("a hang without the stack it hangs at: %s", stack)
		}
	}
	if looks != 1 {
		t.Errorf("all goroutines were looked at %d times", looks)
	}
}

func TestWatch_TheBlamedIsAmongAllGoroutines(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	release := make(chan struct{})
	defer close(release)
	for range 4000 {
		go func() { waitDeep(30, release) }()
	}
	time.Sleep(100 * time.Millisecond)
	go func() { // the last of all
		defer Watch(ctx, "the crew plan", 200*time.Millisecond).Done()
		<-release
	}()
	e := s.await(t, 1)[0]
	threads := e["threads"].([]any)
	x := e["exceptions"].([]any)[0].(map[string]any)
	if threads[0].(map[string]any)["blamed"] != true || threads[0].(map[string]any)["thread.id"] != x["thread.id"] ||
		!strings.Contains(fmt.Sprint(x["stack"]), "TheBlamedIsAmong") {
		t.Errorf("of %d threads the first is %v; %v", len(threads), threads[0], x["stack"])
	}
}

func waitDeep(n int, release chan struct{}) {
	if n == 0 {
		<-release
		return
	}
	waitDeep(n-1, release)
}

func TestHandler_StreamsAreNoHangs(t *testing.T) {
	s := newStandIn(t)
	s.start(t, Options{Hangs: 150 * time.Millisecond})
	const quiet = 400 * time.Millisecond
	paths := map[string]func(w http.ResponseWriter){
		"/flushed": func(w http.ResponseWriter) { w.(http.Flusher).Flush(); time.Sleep(quiet) },
		"/events": func(w http.ResponseWriter) {
			w.Header().Set("Content-Type", "text/event-stream")
			w.WriteHeader(200)
			time.Sleep(quiet)
		},
		"/file": func(w http.ResponseWriter) { _, _ = io.Copy(w, &slowly{left: 8}) },
		"/written": func(w http.ResponseWriter) {
			for range 8 {
				_, _ = w.Write([]byte("x"))
				time.Sleep(50 * time.Millisecond)
			}
		},
		"/taken-over": func(w http.ResponseWriter) {
			conn, _, err := w.(http.Hijacker).Hijack()
			if err != nil {
				t.Error(err)
				return
			}
			time.Sleep(quiet)
			conn.Close()
		},
		"/hangs": func(http.ResponseWriter) { time.Sleep(quiet) },
	}
	host := httptest.NewServer(
		Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { paths[r.URL.Path](w) })),
	)
	defer host.Close()
	var all sync.WaitGroup
	for path := range paths {
		all.Add(1)
		go func() {
			defer all.Done()
			if res, err := http.Get(host.URL + path); err == nil {
				_, _ = io.Copy(io.Discard, res.Body)
				res.Body.Close()
			}
		}()
	}
	all.Wait()
	drained(t)
	if got := s.got(); len(got) != 1 || got[0]["attributes"].(map[string]any)["url.path"] != "/hangs" {
		t.Errorf("%d hangs: %v", len(got), got)
	}
}

type slowly struct{ left int }

func (s *slowly) Read(b []byte) (int, error) {
	if s.left--; s.left < 0 {
		return 0, io.EOF
	}
	time.Sleep(50 * time.Millisecond)
	return copy(b, "x"), nil
}
