package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/demo/apps"
)

// node runs a script with the client library at hand.
func node(t *testing.T, script string, wantExit int) string {
	t.Helper()
	needBuild(t, "../client/js/dist")
	dist, err := filepath.Abs("../client/js/dist/node.js")
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "app.mjs")
	if err := os.WriteFile(file, []byte(strings.ReplaceAll(script, "@firethorn/client", "file://"+dist)), 0o644); err != nil {
		t.Fatal(err)
	}
	cmd := exec.CommandContext(t.Context(), "node", file)
	out, err := cmd.CombinedOutput()
	if code := cmd.ProcessState.ExitCode(); code != wantExit {
		t.Fatalf("node: exit %d, want %d, %v\n%s", code, wantExit, err, out)
	}
	return string(out)
}

// newest reads the newest event of a project, whole.
func newest(t *testing.T, s *service, project string) map[string]any {
	t.Helper()
	s.settle(t)
	var list struct {
		Events []struct {
			ID string `json:"id"`
		} `json:"events"`
	}
	s.json(t, &list, "event", "list", "--project", project, "--limit", "1")
	if len(list.Events) == 0 {
		t.Fatalf("%s has no event", project)
	}
	var e map[string]any
	s.json(t, &e, "event", "show", list.Events[0].ID, "--project", project)
	return e
}

func text(v any, path ...string) string {
	for _, p := range path {
		switch x := v.(type) {
		case map[string]any:
			v = x[p]
		case []any:
			i := int(p[0] - '0')
			if i >= len(x) {
				return ""
			}
			v = x[i]
		}
	}
	if v == nil {
		return ""
	}
	return fmt.Sprint(v)
}

func TestNodeClient_ReportsWhatItIsHanded(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-handed")
	node(t, `
import { start, report, note, user, attributes, snapshot, drain } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`', service: 'gangway', release: '2.8.0', environment: 'test', attributes: { 'gate.name': 'north' },
  edit: (e) => (e.message === 'drop me' ? null : { ...e, attributes: { ...e.attributes, edited: true } }) })
start({ server: 'http://127.0.0.1:1', key: 'x' })
user({ id: 'p-7', email: 'ila@tarn.example' }); attributes({ 'berth.zone': 'C' }); snapshot(() => ({ day: 366 })); note('app', 'asked', { n: 1 })
console.warn('low water')
const inner = new RangeError('no tide table'); const outer = new TypeError('not drawn', { cause: inner })
report(outer); report(outer)
await drain()
`, 0)
	e := newest(t, shared, "node-handed")
	for want, path := range map[string][]string{
		"TypeError": {"exceptions", "0", "type"}, "RangeError": {"exceptions", "1", "type"}, "cause": {"exceptions", "1", "relation"}, "true": {"handled"},
		"gangway": {"resource", "service.name"}, "2.8.0": {"release"}, "test": {"environment"}, "nodejs": {"resource", "process.runtime.name"},
		"p-7": {"user", "value"}, "C": {"attributes", "berth.zone"}, "north": {"attributes", "gate.name"}, "366": {"state", "day"}, "asked": {"breadcrumbs", "0", "message"}, "low water": {"breadcrumbs", "1", "message"},
	} {
		if got := text(e, path...); got != want {
			t.Errorf("%s = %q, want %q", strings.Join(path, "."), got, want)
		}
	}
	if text(e, "attributes", "edited") != "true" {
		t.Error("edit changes nothing")
	}
	if list := shared.issues(t, "node-handed"); len(list) != 1 || list[0].Events != 1 {
		t.Errorf("one error reported twice makes %+v", list)
	}
}

func TestNodeClient_ReportsWhatNothingCaught(t *testing.T) { // alone: what it starts has only so much time
	for name, crash := range map[string]string{"error": "throw new Error('sunk')", "rejection": "await Promise.reject(new Error('sunk'))", "value": "throw 'sunk'"} {
		t.Run(name, func(t *testing.T) {
			project := "node-crash-" + name
			key := shared.project(t, project)
			out := node(t, `
import { start } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`' })
setTimeout(async () => { `+crash+` }, 5)
`, 1)
			if !strings.Contains(out, "sunk") {
				t.Errorf("the process hides its own error: %s", out)
			}
			e := newest(t, shared, project)
			if text(e, "handled") != "false" || text(e, "severity") != "fatal" || text(e, "exceptions", "0", "message") != "sunk" {
				t.Errorf("handled %s, severity %s, message %s", text(e, "handled"), text(e, "severity"), text(e, "exceptions", "0", "message"))
			}
		})
	}
}

func TestNodeClient_WrapsHandlers(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-wrap")
	out := node(t, `
import http from 'node:http'
import { start, wrap, user, note, drain } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`' })
const inner = wrap(async (req, res) => { user('u-' + req.url.slice(1)); note('app', 'at ' + req.url); await new Promise((r) => setTimeout(r, 20)); throw new Error('gate') })
const chain = wrap((req, res, next) => next(new TypeError('chained')))
const server = http.createServer((req, res) => {
  const failed = (e) => { res.writeHead(500); res.end(e.message) }
  if (req.url === '/chain') chain(req, res, failed); else inner(req, res).catch(failed)
})
await new Promise((r) => server.listen(0, '127.0.0.1', r))
const at = 'http://127.0.0.1:' + server.address().port
const bodies = await Promise.all(['/a?token=s3cret1', '/b', '/chain'].map((u) => fetch(at + u).then((r) => r.text())))
console.log(bodies.join(','))
server.close(); await drain()
`, 0)
	if !strings.Contains(out, "gate,gate,chained") {
		t.Errorf("the application's own answers: %s", out)
	}
	shared.settle(t)
	var list struct {
		Events []struct{ ID, Headline string }
	}
	shared.json(t, &list, "event", "list", "--project", "node-wrap")
	users := map[string]bool{}
	for _, row := range list.Events {
		var e map[string]any
		shared.json(t, &e, "event", "show", row.ID, "--project", "node-wrap")
		if text(e, "attributes", "http.request.method") != "GET" || text(e, "attributes", "http.response.status_code") != "500" {
			t.Errorf("request facts: %v", e["attributes"])
		}
		if q := text(e, "attributes", "url.query"); strings.Contains(q, "s3cret1") {
			t.Errorf("a secret was kept: %s", q)
		}
		if u := text(e, "user", "value"); u != "" {
			users[u] = true
			if crumbs := e["breadcrumbs"].([]any); len(crumbs) == 0 || !strings.HasSuffix(text(crumbs[len(crumbs)-1], "message"), strings.TrimPrefix(strings.Split(u, "?")[0], "u-")) && !strings.Contains(text(crumbs[len(crumbs)-1], "message"), "/") {
				t.Errorf("%s has the breadcrumbs of another request: %v", u, crumbs)
			}
		}
	}
	if len(list.Events) != 3 || len(users) != 2 {
		t.Errorf("%d events of %d users, want 3 and 2", len(list.Events), len(users))
	}
}

func TestNodeClient_SendsAgainWithTheSameIDs(t *testing.T) {
	t.Parallel()
	var calls atomic.Int32
	var ids [2]string
	stub := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var env struct {
			Events  []struct{ ID string }
			Dropped map[string]int
		}
		_ = json.NewDecoder(r.Body).Decode(&env) // checked by what it holds
		n := calls.Add(1)
		if len(env.Events) > 0 && n <= 2 {
			ids[n-1] = env.Events[0].ID
		}
		if n == 1 {
			w.Header().Set("Retry-After", "0")
			w.WriteHeader(503)
			return
		}
		if n == 2 && env.Dropped["queue_full"] != 40 {
			t.Errorf("dropped = %v, want 40", env.Dropped)
		}
		w.WriteHeader(202)
	}))
	defer stub.Close()
	node(t, `
import { start, report, drain } from '@firethorn/client'
start({ server: '`+stub.URL+`', key: 'k', sessions: false })
for (let i = 0; i < 100; i++) report(new Error('e' + 'x'.repeat(i)))
await drain()
await new Promise((r) => setTimeout(r, 1500))
await drain()
`, 0)
	if ids[0] == "" || ids[0] != ids[1] || calls.Load() != 5 {
		t.Errorf("%d calls; first ids %v; want 5 calls, the first two with one id", calls.Load(), ids)
	}
}

func TestNodeClient_NeverThrowsIntoTheApplication(t *testing.T) {
	t.Parallel()
	out := node(t, `
import { start, report, message, note, user, attributes, snapshot, drain } from '@firethorn/client'
report(new Error('before start'))
start({ server: 'not a url', key: 'k', edit: () => { throw new Error('edit') } })
snapshot(() => { throw new Error('snapshot') })
const loop = {}; loop.loop = loop
report(loop); report(null); report(undefined); report(Symbol('s')); report(new Proxy({}, { get() { throw new Error('proxy') } }))
message(loop); note('app', loop, loop); user(undefined); attributes(null)
await drain(200)
console.log('still here')
`, 0)
	if !strings.Contains(out, "still here") {
		t.Errorf("%s", out)
	}
}

func TestNodeClient_IsNotHeldUpByWhatCannotBeWritten(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-odd")
	node(t, `
import { start, report, note, attributes, drain } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`' })
const loop = {}; loop.loop = loop
note('app', 'odd', { loop, big: 7n }); attributes({ loop, 'berth.zone': 'C' })
report(new Error('behind'), { attributes: { big: 7n } })
if (!(await drain())) process.exit(3)
`, 0)
	e := newest(t, shared, "node-odd")
	if text(e, "attributes", "big") != "7" || text(e, "attributes", "berth.zone") != "C" || text(e, "breadcrumbs", "0", "message") != "odd" {
		t.Errorf("%v, %v", e["attributes"], e["breadcrumbs"])
	}
}

func TestBrowserClient_ReportsFromChromium(t *testing.T) {
	t.Parallel()
	needBuild(t, "../demo/quayside/build/4.2.0")
	key := shared.project(t, "browser")
	shared.run(t, 0, "symbols", "push", "--project", "browser", "--release", "4.2.0", "../demo/quayside/build/symbols-4.2.0")
	site := httptest.NewServer(apps.Quayside("../demo", "4.2.0"))
	defer site.Close()
	tab := newTab(t)
	open := func(doing string) {
		t.Helper()
		err := chromedp.Do(tab, chromedp.Navigate(site.URL+"/?report-to="+shared.url+"&key="+key+"&user=p-9&environment=test"), chromedp.Click(chromedp.ID(doing)))
		if err != nil {
			t.Fatal(err)
		}
	}
	open("family-fare")
	open("new-year") // leaves the page at once: what waits is handed over
	for until := time.Now().Add(patience); len(shared.issues(t, "browser")) < 2; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(until) {
			t.Fatalf("%+v", shared.issues(t, "browser"))
		}
	}
	e := newest(t, shared, "browser")
	for want, path := range map[string][]string{
		"TypeError": {"exceptions", "0", "type"}, "false": {"handled"}, "tideAt": {"exceptions", "0", "frames", "0", "function"}, "p-9": {"user", "value"},
		"webjs": {"resource", "telemetry.sdk.language"}, "Chrome": {"resource", "user_agent.name"}, "Linux": {"resource", "os.name"}, "366": {"state", "day"},
		"/ → /day/366": {"breadcrumbs", "4", "message"}, "click on button#family-fare \"Fare for a family\"": {"breadcrumbs", "0", "message"}, // of the page before
	} {
		if got := text(e, path...); got != want {
			t.Errorf("%s = %q, want %q", strings.Join(path, "."), got, want)
		}
	}
	if text(e, "resource", "app.installation.id") == "" || text(e, "attributes", "session.id") == "" || text(e, "symbols", "0", "debug_id") == "" {
		t.Error("installation, session or debug id is missing")
	}
}
