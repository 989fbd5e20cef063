package e2e

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"
)

// noteThePlan makes a page note when it told the worker that watches it what to report.
const noteThePlan = "window.Worker = class extends Worker { postMessage(m) { super.postMessage(m); window.watched ||= !!m.plan } };"

// untilWatched waits until the worker of a page watches it. The browser starts a
// page's workers in turn, and not while the page hangs, so one of the test's own
// that answers says that it runs.
func untilWatched(t *testing.T, tab context.Context) {
	t.Helper()
	until(t, "the page is watched", func() bool { return eval[bool](t, tab, "!!window.watched") })
	eval[any](t, tab, "new Promise((done) => { new Worker(URL.createObjectURL(new Blob(['postMessage(0)']))).onmessage = () => done(0) })")
	time.Sleep(500 * time.Millisecond)
}

func TestPage_HangIsReportedWithItsStack(t *testing.T) {
	t.Parallel()
	for path, least := range map[string]int{"/": 1, "/profiled": 2} {
		t.Run(path, func(t *testing.T) {
			project := "page-hang" + strings.ReplaceAll(path, "/", "-") + "x"
			key := shared.project(t, project)
			site := page(t, noteThePlan, fmt.Sprintf("server: %q, key: %q, hangs: 600, hangStacks: %v", shared.url, key, least > 1),
				"function sortBerths(ms) { const end = performance.now() + ms; let n = 0; while (performance.now() < end) n += Math.sqrt(n + 1); return n }\nfunction drawHarbour() { return sortBerths(1500) }\nwindow.draw = () => setTimeout(drawHarbour, 0)")
			tab := newTab(t)
			visit(t, tab, site.URL+path)
			untilWatched(t, tab)
			eval[any](t, tab, "draw(); 0")
			until(t, "the hang is filed", func() bool { return len(shared.issues(t, project)) == 1 })
			e := newest(t, shared, project)
			frames, _ := e["exceptions"].([]any)[0].(map[string]any)["frames"].([]any)
			names := ""
			for _, f := range frames {
				names += text(f, "function") + " "
			}
			if text(e, "exceptions", "0", "type") != "Hang" || len(frames) < least || !strings.Contains(names, "drawHarbour") || text(frames[0], "raw", "line") == "0" {
				t.Errorf("%s: %d frames: %s", text(e, "exceptions", "0", "stack"), len(frames), names)
			}
			if path == "/profiled" && !strings.HasPrefix(names, "sortBerths drawHarbour") {
				t.Errorf("the whole stack is known: %s", names)
			}
			if ms := text(e, "attributes", "hang.duration_ms"); len(ms) != 4 {
				t.Errorf("it took %s ms", ms)
			}
		})
	}
}

func TestPage_ThatNeverComesBackIsReportedByItsWorker(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("12 seconds")
	}
	key := shared.project(t, "page-gone")
	site := page(t, noteThePlan, fmt.Sprintf("server: %q, key: %q, hangs: 600", shared.url, key), "user('p-7')")
	tab := newTab(t)
	visit(t, tab, site.URL)
	untilWatched(t, tab)
	eval[any](t, tab, "setTimeout(() => { for (;;); }, 0); 0")
	until(t, "the worker reports it", func() bool { return len(shared.issues(t, "page-gone")) == 1 })
	if e := newest(t, shared, "page-gone"); text(e, "exceptions", "0", "message") != "the main thread was blocked" || text(e, "user", "value") != "p-7" {
		t.Errorf("%v of %v", e["exceptions"], e["user"])
	}
}

// TestPage_ReportOfItsWorkerIsSentAgain: a page that never comes back sends
// nothing again itself, and the service is away when its worker first does.
func TestPage_ReportOfItsWorkerIsSentAgain(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("16 seconds")
	}
	c := newCollector(t)
	asked := 0
	c.answer = func() int {
		if asked++; asked < 3 {
			return http.StatusServiceUnavailable
		}
		return http.StatusAccepted
	}
	site := page(t, noteThePlan, c.to("hangs: 600"), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	untilWatched(t, tab)
	eval[any](t, tab, "setTimeout(() => { for (;;); }, 0); 0")
	if e := c.one(t); text(e, "exceptions", "0", "message") != "the main thread was blocked" {
		t.Error(e["exceptions"])
	}
}

// TestPage_LeavesAnIdlePageAlone: nothing of the application is called for a
// hang that does not happen.
func TestPage_LeavesAnIdlePageAlone(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	site := page(t, noteThePlan, c.to("hangs: 600, edit: (e) => { window.edits = (window.edits ?? 0) + 1; return e }"), "snapshot(() => { window.snapshots = (window.snapshots ?? 0) + 1; return {} })")
	tab := newTab(t)
	visit(t, tab, site.URL)
	untilWatched(t, tab)
	time.Sleep(time.Second)
	if got := eval[string](t, tab, "`${window.edits} ${window.snapshots}`"); got != "undefined undefined" {
		t.Errorf("edit and snapshot of an idle page are called: %s", got)
	}
	if events, _ := c.got(); len(events) != 0 {
		t.Errorf("%v", events)
	}
}

func TestPage_WatchesForHangsWithoutAWorker(t *testing.T) {
	t.Parallel()
	for name, option := range map[string]string{"asked not to": "hangWorker: false", "not let": "debug: true"} {
		t.Run(name, func(t *testing.T) {
			c := newCollector(t)
			site := page(t, "window.violations = 0; addEventListener('securitypolicyviolation', () => window.violations++)", c.to("hangs: 600, "+option),
				"window.draw = () => setTimeout(function drawHarbour() { const end = performance.now() + 1500; while (performance.now() < end); }, 0)")
			tab := newTab(t)
			visit(t, tab, site.URL+"/strict")
			until(t, "the part that watches is loaded", func() bool {
				return eval[bool](t, tab, "performance.getEntriesByType('resource').some((e) => e.name.includes('hang-page') && e.responseEnd)")
			})
			time.Sleep(500 * time.Millisecond) // it begins
			eval[any](t, tab, "draw(); 0")
			e := c.one(t)
			if text(e, "exceptions", "0", "type") != "Hang" || !strings.Contains(text(e, "exceptions", "0", "stack"), "drawHarbour") {
				t.Error(e["exceptions"])
			}
			violations := eval[int](t, tab, "violations")
			if name == "asked not to" && violations != 0 {
				t.Errorf("%d violations of the page's policy", violations)
			}
		})
	}
}
