package e2e

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// gate stands between a page and the service: it can be shut, answer in the
// service's place, and it keeps what came.
type gate struct {
	*httptest.Server
	mu     sync.Mutex
	shut   bool
	answer func(w http.ResponseWriter, body string) bool // true: it was answered
	bodies []string
}

func newGate(t *testing.T) *gate {
	t.Helper()
	to, err := url.Parse(shared.url)
	if err != nil {
		t.Fatal(err)
	}
	g := &gate{}
	proxy := httputil.NewSingleHostReverseProxy(to)
	g.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, err := io.ReadAll(r.Body)
		g.mu.Lock()
		shut, answer := g.shut, g.answer
		if err == nil && !shut {
			g.bodies = append(g.bodies, string(raw))
		}
		g.mu.Unlock()
		if shut {
			panic(http.ErrAbortHandler) // no answer at all
		}
		w.Header().Set("Access-Control-Allow-Origin", "*")
		if answer != nil && answer(w, string(raw)) {
			return
		}
		w.Header().Del("Access-Control-Allow-Origin")
		r.Body, r.Host = io.NopCloser(strings.NewReader(string(raw))), to.Host
		proxy.ServeHTTP(w, r)
	}))
	g.Server.Config.ErrorLog = nil
	t.Cleanup(g.Close)
	return g
}

func (g *gate) set(shut bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.shut = shut
}

func (g *gate) came() []string {
	g.mu.Lock()
	defer g.mu.Unlock()
	return slices.Clone(g.bodies)
}

// page serves the client library, and pages that begin with a script of a
// test; before runs before the client is there.
func page(t *testing.T, before, options, then string) *httptest.Server {
	t.Helper()
	needBuild(t, "../client/js/dist")
	files := http.StripPrefix("/client/", http.FileServer(http.Dir("../client/js/dist")))
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasPrefix(r.URL.Path, "/client/"):
			files.ServeHTTP(w, r)
		case r.URL.Path == "/app.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprintf(w, "import * as client from '/client/browser.js'\nimport * as feedback from '/client/feedback.js'\nObject.assign(window, client, feedback)\nclient.start({ service: 'quayside', release: '4.2.1', environment: 'test', %s })\n%s\nwindow.ready = true\n", options, then)
		case r.URL.Path == "/favicon.ico":
			w.WriteHeader(http.StatusNoContent)
		default:
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			if r.URL.Path == "/profiled" {
				w.Header().Set("Document-Policy", "js-profiling")
			}
			if r.URL.Path == "/strict" { // no worker from a blob
				w.Header().Set("Content-Security-Policy", "default-src 'self'; script-src 'self' 'unsafe-inline'; connect-src *")
			}
			fmt.Fprintf(w, "<!doctype html><html lang=en><title>Quayside</title><main><h1>Quayside</h1><button id=b>Departures</button></main><script>%s</script><script type=module src=/app.js></script>", before)
		}
	}))
	t.Cleanup(s.Close)
	return s
}

// compressed is how long something is as gzip.
func compressed(t *testing.T, raw []byte) int {
	t.Helper()
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := z.Write(raw); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Len()
}

// visit opens a page and waits until its script has run.
func visit(t *testing.T, tab context.Context, at string) {
	t.Helper()
	if err := chromedp.Do(tab, chromedp.Navigate(at)); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "the page's script runs", "window.ready === true")
	time.Sleep(200 * time.Millisecond) // what is loaded behind it
}

type storedEvent struct{ ID, Headline string }

// storedEvents lists the events of a project, oldest first.
func storedEvents(t *testing.T, project string) []storedEvent {
	t.Helper()
	shared.settle(t)
	var page struct{ Events []storedEvent }
	shared.json(t, &page, "event", "list", "--project", project, "--limit", "500")
	slices.Reverse(page.Events)
	return page.Events
}

// messages are the messages of a project's events in the order in which they
// were thrown.
func messages(t *testing.T, project string) []string {
	t.Helper()
	var out []string
	for _, row := range storedEvents(t, project) {
		var e map[string]any
		shared.json(t, &e, "event", "show", row.ID, "--project", project)
		out = append(out, text(e, "time")+" "+text(e, "exceptions", "0", "message"))
	}
	slices.Sort(out)
	for i := range out {
		_, out[i], _ = strings.Cut(out[i], " ")
	}
	return out
}

func TestPage_OfflineBrokenReloadedOnline(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-offline")
	g := newGate(t)
	site := page(t, "", fmt.Sprintf("server: %q, key: %q", g.URL, key), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	g.set(true)
	for _, what := range []string{"first", "second", "third"} {
		eval[any](t, tab, fmt.Sprintf("setTimeout(() => { throw new Error(%q) }); 0", what))
		time.Sleep(150 * time.Millisecond)
	}
	visit(t, tab, site.URL) // still offline: they are kept
	if n := eval[int](t, tab, "Object.keys(localStorage).filter((k) => k.includes('.events.')).length"); n != 3 {
		t.Errorf("%d events are kept over the reload, 3 should be", n)
	}
	g.set(false)
	eval[any](t, tab, "dispatchEvent(new Event('online')); 0")
	until(t, "all three arrive", func() bool { return len(storedEvents(t, "page-offline")) >= 3 })
	eventually(t, tab, "nothing is kept any more", "!Object.keys(localStorage).some((k) => k.includes('.events.'))")
	if got := fmt.Sprint(messages(t, "page-offline")); got != "[first second third]" {
		t.Error(got)
	}
	var list struct{ Received []any }
	shared.json(t, &list, "received", "--project", "page-offline")
	for _, r := range list.Received {
		if text(r, "cause") == "repeat" {
			t.Errorf("sent more than once: %v", r)
		}
	}
}

func TestPage_HandsOverAtMost60KBNewestFirst(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-hide")
	g := newGate(t)
	site := page(t, "", fmt.Sprintf("server: %q, key: %q, sessions: false", g.URL, key), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	// Ten events of some 12 kB: four fit; the next ones do without their breadcrumbs.
	eval[any](t, tab, `for (let i = 0; i < 10; i++) {
		for (let n = 0; n < 30; n++) note('app', 'step ' + n + ' ' + 'tide '.repeat(50))
		report(new Error('broken ' + 'abcdefghij'[i]))
	}
	dispatchEvent(new Event('pagehide')) // at once: a slow machine would send them before it leaves
	location.href = '/next'; 0`)
	// On a slow machine the page lives on for a moment and sends as always, too.
	first := ""
	until(t, "the page hands over at most 60 kB", func() bool {
		for _, body := range g.came() {
			if len(body) <= 60_000 {
				first = body
				return true
			}
		}
		return false
	})
	var env struct {
		Events []struct {
			Exceptions  []struct{ Message string }
			Breadcrumbs []any
		}
	}
	if err := json.Unmarshal([]byte(first), &env); err != nil {
		t.Fatal(err)
	}
	full, words := 0, ""
	for _, e := range env.Events {
		words += e.Exceptions[0].Message[len("broken "):]
		if len(e.Breadcrumbs) > 0 {
			full++
		}
	}
	if !strings.HasSuffix("abcdefghij", words[max(0, len(words)-4):]) || full < 2 || full == len(env.Events) {
		t.Errorf("%d bytes hold %q, %d of them with breadcrumbs", len(first), words, full)
	}
	until(t, "the next page sends the rest", func() bool { return len(storedEvents(t, "page-hide")) == 10 })
	time.Sleep(300 * time.Millisecond)
	if got := strings.Join(messages(t, "page-hide"), ""); strings.Count(got, "broken") != 10 {
		t.Error(got)
	}
}

// hostile are applications that make it hard to report; each then throws
// "sunk".
var hostile = map[string]string{
	"frozen globals":        `Object.freeze(console); Object.freeze(history); Object.freeze(XMLHttpRequest.prototype); Object.defineProperty(window, 'fetch', { value: fetch.bind(window), writable: false, configurable: false })`,
	"frozen prototypes":     `Object.freeze(Object.prototype); Object.freeze(Array.prototype); Object.freeze(Error.prototype)`,
	"fetch that reports":    `const plain = fetch; window.fetch = (...a) => { window.report?.(new Error('fetched')); return plain(...a) }`,
	"forbidden stores":      `for (const s of ['localStorage', 'sessionStorage']) Object.defineProperty(window, s, { get() { throw new DOMException('no', 'SecurityError') } })`,
	"a full store":          `let s = 'x'.repeat(1 << 20); try { for (let i = 0; i < 100; i++) localStorage.setItem('full' + i, s) } catch {} try { for (let i = 0; i < 9000; i++) localStorage.setItem('f' + i, 'x'.repeat(100)) } catch {}`,
	"a store of others":     `localStorage.setItem('firethorn.xxxxxxxx.events.1', '{'); sessionStorage.setItem('firethorn.trail', '[[')`,
	"stacks of its own":     `Error.prepareStackTrace = (e, frames) => frames`,
	"errors that throw":     `addEventListener('error', () => { throw new Error('in the handler') }, { once: true })`,
	"a console that throws": `console.error = () => { throw new Error('console') }`,
	"no workers":            `delete window.Worker`,
	"a JSON of its own":     `Object.prototype.toJSON = undefined; Date.prototype.toJSON = () => { throw new Error('date') }`,
}

func TestPage_ReportsFromHostileApplications(t *testing.T) {
	t.Parallel()
	for name, before := range hostile {
		t.Run(name, func(t *testing.T) {
			project := "page-" + strings.ToLower(strings.ReplaceAll(name, " ", "-"))
			key := shared.project(t, project)
			site := page(t, before, fmt.Sprintf("server: %q, key: %q", shared.url, key), "")
			tab := newTab(t)
			visit(t, tab, site.URL)
			eval[any](t, tab, "setTimeout(() => { throw new RangeError('sunk') }); 0")
			until(t, "the error is filed", func() bool {
				return slices.ContainsFunc(storedEvents(t, project), func(e storedEvent) bool { return strings.HasPrefix(e.Headline, "RangeError") })
			})
			if n := len(storedEvents(t, project)); n > 30 {
				t.Errorf("%d events of one error", n)
			}
		})
	}
}

func TestPage_FloodCostsLittleAndCountsRight(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-flood")
	g := newGate(t)
	site := page(t, "", fmt.Sprintf("server: %q, key: %q, sessions: false", g.URL, key), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, "for (let i = 0; i < 10000; i++) report(new Error('tide ' + i)); drain()")
	until(t, "all are counted", func() bool {
		list := shared.issues(t, "page-flood")
		return len(list) == 1 && list[0].Events == 10_000
	})
	if n := len(g.came()); n > 3 {
		t.Errorf("%d requests", n)
	}
}

func TestPage_KeepsWhatIsAnsweredByStrangers(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-stranger")
	g := newGate(t)
	answers := 0
	g.answer = func(w http.ResponseWriter, body string) bool {
		if !strings.Contains(body, `"events"`) {
			return false
		}
		answers++
		switch answers {
		case 1:
			fmt.Fprint(w, "<html>Please sign in to the harbour's network</html>")
		case 2:
			w.WriteHeader(http.StatusBadGateway)
		case 3:
			w.Header().Set("Retry-After", "soon")
			w.WriteHeader(http.StatusTooManyRequests)
		default:
			return false
		}
		return true
	}
	site := page(t, "", fmt.Sprintf("server: %q, key: %q", g.URL, key), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, "report(new Error('sunk')); 0")
	for range 12 {
		eval[any](t, tab, "dispatchEvent(new Event('online')); 0")
		time.Sleep(150 * time.Millisecond)
	}
	until(t, "it arrives in the end", func() bool { return len(storedEvents(t, "page-stranger")) == 1 })
}

func TestPage_ReportsFromWorkers(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-worker")
	site := page(t, "", fmt.Sprintf("server: %q, key: %q, sessions: false", shared.url, key),
		fmt.Sprintf("const code = `import { start } from '${location.origin}/client/browser.js'; start({ server: '%s', key: '%s', service: 'worker' }); setTimeout(() => { throw new TypeError('in the worker') }, 50)`; new Worker(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })), { type: 'module' })", shared.url, key))
	visit(t, newTab(t), site.URL)
	until(t, "the worker reports its error", func() bool {
		for _, row := range storedEvents(t, "page-worker") {
			var e map[string]any
			shared.json(t, &e, "event", "show", row.ID, "--project", "page-worker")
			if text(e, "exceptions", "0", "message") == "in the worker" && text(e, "handled") == "false" && text(e, "resource", "service.name") == "worker" {
				return true
			}
		}
		return false
	})
}

func TestPage_ReportsItsSession(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-session")
	site := page(t, "", fmt.Sprintf("server: %q, key: %q", shared.url, key), "user('p-7')")
	tab := newTab(t)
	for i := range 3 {
		visit(t, tab, site.URL)
		if i == 1 {
			eval[any](t, tab, "setTimeout(() => { throw new Error('sunk') }); 0")
			time.Sleep(200 * time.Millisecond)
		}
	}
	if err := chromedp.Do(tab, chromedp.Navigate("about:blank")); err != nil {
		t.Fatal(err)
	}
	var counts struct{ Total map[string]any }
	until(t, "three sessions are told of", func() bool {
		shared.settle(t)
		shared.json(t, &counts, "session", "count", "--project", "page-session")
		return text(counts.Total, "sessions") == "3" && text(counts.Total, "running") == "0"
	})
	if text(counts.Total, "clean") != "2" || text(counts.Total, "faulty") != "1" {
		t.Error(counts.Total)
	}
	e := newest(t, shared, "page-session")
	if text(e, "session", "outcome") != "faulty" || text(e, "session", "id") != text(e, "attributes", "session.id") {
		t.Errorf("the event's session: %v", e["session"])
	}
	out, _ := shared.run(t, 0, "session", "show", text(e, "session", "id"), "--project", "page-session")
	if !strings.Contains(out, "faulty") || !strings.Contains(out, text(e, "id")) {
		t.Error(out)
	}
}

func TestPage_BreadcrumbsOutliveAWayToTheNextPage(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-trail")
	site := page(t, "", fmt.Sprintf("server: %q, key: %q, sessions: false", shared.url, key), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, "note('app', 'chose Carrow Slip, password=kittiwake7'); 0")
	visit(t, tab, site.URL+"/sailing")
	if kept := eval[string](t, tab, "sessionStorage.getItem('firethorn.trail')"); strings.Contains(kept, "kittiwake7") {
		t.Errorf("a secret is kept: %s", kept)
	}
	eval[any](t, tab, "report(new Error('sunk')); drain()")
	if e := newest(t, shared, "page-trail"); !strings.Contains(text(e, "breadcrumbs", "0", "message"), "chose Carrow Slip") {
		t.Errorf("%v", e["breadcrumbs"])
	}
}

func TestPage_IsSmall(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/js/dist")
	sizes := map[string]int{}
	for _, name := range []string{"browser.js", "feedback.js"} {
		raw, err := os.ReadFile(filepath.Join("../client/js/dist", name))
		if err != nil {
			t.Fatal(err)
		}
		sizes[name] = compressed(t, raw)
	}
	if n := sizes["browser.js"]; n > 5000 {
		t.Errorf("the browser's client has %d bytes compressed, 5,000 are the most", n)
	}
	if n := sizes["browser.js"] + sizes["feedback.js"]; n > 8000 {
		t.Errorf("with the dialog it has %d, 8,000 are the most", n)
	}
}
