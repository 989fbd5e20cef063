package e2e

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// lossy stands before the service: of the first request to each path the
// answer is lost, and the sender is told to come again.
type lossy struct {
	to   string
	mu   sync.Mutex
	lost map[string]bool
	got  map[string][][]byte
}

func (l *lossy) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	raw, err := io.ReadAll(r.Body)
	if err != nil {
		return
	}
	req, err := http.NewRequestWithContext(r.Context(), r.Method, l.to+r.URL.Path, bytes.NewReader(raw))
	if err != nil {
		return
	}
	req.Header = r.Header.Clone()
	res, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		w.WriteHeader(http.StatusBadGateway)
		return
	}
	defer res.Body.Close()
	l.mu.Lock()
	first := !l.lost[r.URL.Path]
	l.lost[r.URL.Path] = true
	l.got[r.URL.Path] = append(l.got[r.URL.Path], raw)
	l.mu.Unlock()
	if first {
		w.Header().Set("Retry-After", "1")
		w.WriteHeader(http.StatusServiceUnavailable)
		return
	}
	for name, v := range res.Header {
		w.Header()[name] = v
	}
	w.WriteHeader(res.StatusCode)
	_, _ = io.Copy(w, res.Body)
}

func (l *lossy) repeats(path string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	seen := map[string]bool{}
	for _, raw := range l.got[path] {
		if seen[string(raw)] {
			return true
		}
		seen[string(raw)] = true
	}
	return false
}

func loseAnswers(t *testing.T, s *service) (*lossy, string) {
	l := &lossy{to: s.url, lost: map[string]bool{}, got: map[string][][]byte{}}
	site := httptest.NewServer(l)
	t.Cleanup(site.Close)
	return l, site.URL
}

// causes counts what came in by cause.
func causes(t *testing.T, s *service, project string) map[string]int64 {
	t.Helper()
	var r struct {
		Causes []struct {
			Cause  string
			Events int64
		}
	}
	s.json(t, &r, "received", "--project", project)
	out := map[string]int64{}
	for _, c := range r.Causes {
		out[c.Cause] += c.Events
	}
	return out
}

func otelEnv(at, key string) []string {
	return append(os.Environ(), "OTEL_EXPORTER_OTLP_ENDPOINT="+at, "OTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%20"+key, "OTEL_BSP_SCHEDULE_DELAY=100", "OTEL_BLRP_SCHEDULE_DELAY=150")
}

// A Node server whose exceptions are on two spans and in the log: each counts
// once, also when the answer to a batch is lost; what is too large is refused
// alone.
func TestOpenTelemetry_NodeServer(t *testing.T) {
	t.Parallel()
	needBuild(t, "../node_modules/@opentelemetry")
	for _, form := range []string{"json", "proto"} {
		t.Run(form, func(t *testing.T) {
			s, p := shared, "otel-node-"+form
			key := s.project(t, p)
			proxy, at := loseAnswers(t, s)
			cmd := exec.CommandContext(t.Context(), "node", "testdata/otel/server.mjs", form)
			cmd.Env, cmd.Stderr = otelEnv(at, key), os.Stderr
			pipe, err := cmd.StdoutPipe()
			if err == nil {
				err = cmd.Start()
			}
			if err != nil {
				t.Fatal(err)
			}
			out := bufio.NewReader(pipe)
			port, err := out.ReadString('\n')
			if err != nil {
				t.Fatal(err)
			}
			for i, query := range []string{"", "", "", "&huge", "&long"} {
				req, err := http.NewRequest(http.MethodGet, fmt.Sprintf("http://127.0.0.1:%s/scan?ticket=MSF-%d%s", strings.TrimSpace(port), 1000+i, query), nil)
				if err != nil {
					t.Fatal(err)
				}
				req.Header.Set("X-Gate", fmt.Sprintf("gate-%d", i%2))
				res, err := http.DefaultClient.Do(req)
				if err != nil {
					t.Fatal(err)
				}
				res.Body.Close()
			}
			if err := cmd.Process.Signal(syscall.SIGTERM); err != nil {
				t.Fatal(err)
			}
			said, _ := io.ReadAll(out)
			if err := cmd.Wait(); err != nil {
				t.Fatal(err)
			}
			s.settle(t)
			if !strings.Contains(string(said), "Partial Success") || !strings.Contains(string(said), "2097152 are the most") {
				t.Errorf("the SDK says %.500s", said)
			}
			if !proxy.repeats("/v1/traces") || !proxy.repeats("/v1/logs") {
				t.Error("no batch was sent twice")
			}
			list := s.issues(t, p)
			if len(list) != 1 || list[0].Events != 5 || list[0].Users != 2 || !strings.HasPrefix(list[0].Headline, "ScanError in scan") || !strings.HasSuffix(list[0].Place, "testdata/otel/server.mjs:32") {
				t.Fatalf("%+v, %v", list, causes(t, s, p))
			}
			if c := causes(t, s, p); c["joined"] != 9 || c["repeat"] == 0 {
				t.Errorf("received %v", c)
			}
			var e struct {
				Log        struct{ Text string }
				Span       struct{ Name string }
				Trace_ID   string
				Scope      string
				Attributes map[string]any
			}
			var rows struct{ Events []struct{ ID string } }
			s.json(t, &rows, "event", "list", "--project", p)
			s.json(t, &e, "event", "show", "--project", p, rows.Events[len(rows.Events)-1].ID)
			if e.Log.Text != "the gate stays shut" || e.Span.Name == "" || len(e.Trace_ID) != 32 || e.Scope != "gates" || fmt.Sprint(e.Attributes["lane"]) != "3" || e.Attributes["http.request.method"] != "GET" || e.Attributes["enduser.id"] != "gate-0" {
				t.Errorf("event %+v", e)
			}
			if text, _ := s.run(t, 0, "event", "list", "--trace", strings.ToUpper(e.Trace_ID)); strings.Count(text, p+"/1") != 1 {
				t.Errorf("the trace:\n%s", text)
			}
		})
	}
}

// A page with the SDK for browsers, from another origin.
func TestOpenTelemetry_BrowserPage(t *testing.T) {
	t.Parallel()
	needBuild(t, "../node_modules/@opentelemetry")
	s, p := shared, "otel-page"
	key := s.project(t, p)
	out := t.TempDir()
	if text, err := exec.CommandContext(t.Context(), "node", "testdata/otel/build.mjs", out).CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	site := httptest.NewServer(http.FileServer(http.Dir(out)))
	defer site.Close()
	tab := newTab(t)
	if err := chromedp.Do(tab, chromedp.Navigate(site.URL+"/?to="+s.url+"&key="+key), chromedp.Click(chromedp.ID("break")), chromedp.Click(chromedp.ID("break"))); err != nil {
		t.Fatal(err)
	}
	until(t, "the events", func() bool { l := s.issues(t, p); return len(l) == 1 && l[0].Events == 2 })
	if list := s.issues(t, p); list[0].Headline != "TypeError in index.js" || list[0].FirstRelease != "5.0.0" {
		t.Errorf("%+v", list)
	}
}

// The crew plans, with the SDK for Go: an error is recorded on a span, on the
// span of the request, and in the log.
func TestOpenTelemetry_GoProgram(t *testing.T) {
	t.Parallel()
	needBuild(t, "../bin/bosun")
	s, p := shared, "otel-go"
	key := s.project(t, p)
	proxy, at := loseAnswers(t, s)
	cmd := exec.CommandContext(t.Context(), "../bin/bosun", "-listen", "127.0.0.1:0", "-drive", "6", "-once")
	cmd.Env = otelEnv(at, key)
	if text, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	s.settle(t)
	if !proxy.repeats("/v1/traces") || !proxy.repeats("/v1/logs") {
		t.Error("no batch was sent twice")
	}
	var events, users int64
	list := s.issues(t, p)
	for _, is := range list {
		events, users = events+is.Events, max(users, is.Users)
	}
	if c := causes(t, s, p); len(list) != 3 || events != 18 || users != 6 || c["joined"] != 24 || c["repeat"] == 0 {
		t.Errorf("%d events and %d users in %+v; received %v", events, users, list, c)
	}
}

// The page of a trace leads to its events in all projects, and an event's page
// to its trace.
func TestConsole_ATraceAcrossProjects(t *testing.T) {
	t.Parallel()
	s := shared
	for i, p := range []string{"trace-one", "trace-two"} {
		s.post(t, s.project(t, p), fmt.Sprintf(`{"time":"2026-11-23T04:39:0%d.000Z","exceptions":[{"type":"Trace%d","message":"m"}],"trace_id":"0AF7651916CD43DD8448EB211C80319C","span_id":"b7ad6b7169203331","log":{"body":"the gate stays shut"}}`, i, i))
	}
	s.settle(t)
	tab, check := signedIn(t, s)
	defer check()
	open(t, tab, s.url+"/p/trace-two/issues/1")
	eventually(t, tab, "what the log says", `document.body.innerText.includes('the gate stays shut')`)
	eval[any](t, tab, `[...document.querySelectorAll('a')].find((a) => a.textContent === 'all its events').click();0`)
	eventually(t, tab, "both events", `document.querySelectorAll('tbody tr').length === 2 && document.querySelector('tbody').innerText.includes('trace-one')`)
	accessible(t, tab, "a trace")
	press(t, tab, kb.Escape)
	eventually(t, tab, "the issue again", `location.pathname === '/p/trace-two/issues/1'`)
}
