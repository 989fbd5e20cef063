package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

func TestNodeClient_ReportsAHangWithItsStack(t *testing.T) { // alone: what it starts has only so much time
	key := shared.project(t, "node-hang")
	node(t, `
import { start, user, note, drain } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`', service: 'gangway', hangs: 400 })
user('gate-7'); note('app', 'manifest of 1200')
await new Promise((r) => setTimeout(r, 300))
function sumManifest(ms) { const end = Date.now() + ms; let n = 0; while (Date.now() < end) n += Math.sqrt(n + 1); return n }
function printManifest() { return sumManifest(1500) }
printManifest()
await new Promise((r) => setTimeout(r, 300))
await drain()
`, 0)
	e := newest(t, shared, "node-hang")
	if text(e, "exceptions", "0", "type") != "Hang" || !strings.HasPrefix(text(e, "exceptions", "0", "stack"), "Hang: the event loop was blocked\n    at ") {
		t.Fatalf("%v", e["exceptions"])
	}
	if stack := text(e, "exceptions", "0", "stack"); !strings.Contains(stack, "at sumManifest (file:///") || !strings.Contains(stack, "at printManifest (file:///") {
		t.Error(stack)
	}
	if text(e, "user", "value") != "gate-7" || text(e, "breadcrumbs", "0", "message") != "manifest of 1200" || text(e, "resource", "service.name") != "gangway" {
		t.Errorf("it does not say whom it hit, or after what: %v %v", e["user"], e["breadcrumbs"])
	}
	if n := len(storedEvents(t, "node-hang")); n != 1 {
		t.Errorf("%d events of one hang", n)
	}
}

func TestNodeClient_ReportsAHangThatNeverEnds(t *testing.T) { // alone: what it starts has only so much time
	key := shared.project(t, "node-gone")
	dist, err := filepath.Abs("../client/js/dist/node.js")
	if err != nil {
		t.Fatal(err)
	}
	needBuild(t, "../client/js/dist")
	file := filepath.Join(t.TempDir(), "app.mjs")
	code := fmt.Sprintf("import { start } from 'file://%s'\nstart({ server: %q, key: %q, hangs: 300 })\nsetTimeout(function waitForTide() { for (;;); }, 200)\n", dist, shared.url, key)
	if err := os.WriteFile(file, []byte(code), 0o644); err != nil {
		t.Fatal(err)
	}
	cmd := exec.CommandContext(t.Context(), "node", file)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	// On a busy machine loading what it takes to fetch can be a hang of its own.
	until(t, "the hang is filed while it lasts", func() bool {
		return len(storedEvents(t, "node-gone")) > 0 && strings.Contains(text(newest(t, shared, "node-gone"), "exceptions", "0", "stack"), "at waitForTide (")
	})
	if err := cmd.Process.Kill(); err != nil {
		t.Error(err)
	}
	_ = cmd.Wait() // it was killed
}

func sessionCounts(t *testing.T, project string) string {
	t.Helper()
	shared.settle(t)
	var counts struct{ Total map[string]any }
	shared.json(t, &counts, "session", "count", "--project", project)
	return fmt.Sprintf("clean %s faulty %s crashed %s running %s", text(counts.Total, "clean"), text(counts.Total, "faulty"), text(counts.Total, "crashed"), text(counts.Total, "running"))
}

func TestNodeClient_ReportsTheProcess(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-process")
	script := func(then string) string {
		return "import { start, report, drain } from '@firethorn/client'\nstart({ server: '" + shared.url + "', key: '" + key + "' })\n" + then
	}
	node(t, script(""), 0)
	node(t, script("report(new Error('sunk'))"), 0)
	node(t, script("setTimeout(() => { throw new Error('sunk') }, 5)"), 1)
	if got := sessionCounts(t, "node-process"); got != "clean 1 faulty 1 crashed 1 running 0" {
		t.Error(got)
	}
}

func TestNodeClient_EndsItsSessionOnRequest(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-signal")
	needBuild(t, "../client/js/dist")
	dist, err := filepath.Abs("../client/js/dist/node.js")
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "app.mjs")
	code := fmt.Sprintf("import { start } from 'file://%s'\nstart({ server: %q, key: %q })\nsetInterval(() => {}, 1000)\nconsole.log('on')\n", dist, shared.url, key)
	if err := os.WriteFile(file, []byte(code), 0o644); err != nil {
		t.Fatal(err)
	}
	cmd := exec.CommandContext(t.Context(), "node", file)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	until(t, "it is told of", func() bool { return sessionCounts(t, "node-signal") == "clean 0 faulty 0 crashed 0 running 1" })
	began := time.Now()
	if err := cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	err = cmd.Wait()
	if status, ok := cmd.ProcessState.Sys().(syscall.WaitStatus); !ok || status.Signal() != syscall.SIGTERM || time.Since(began) > 5*time.Second {
		t.Errorf("it should end by the signal, soon: %v after %s", err, time.Since(began))
	}
	if got := sessionCounts(t, "node-signal"); got != "clean 1 faulty 0 crashed 0 running 0" {
		t.Error(got)
	}
}

func TestNodeClient_ReportsRequests(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-requests")
	node(t, `
import http from 'node:http'
import { start, wrap, report, drain } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`', sessions: 'request' })
const handler = wrap(async (req, res) => {
  if (req.url === '/bad') throw new Error('gate')
  if (req.url === '/odd') report(new Error('weather'))
  res.end('ok')
})
const server = http.createServer((req, res) => Promise.resolve(handler(req, res)).catch(() => { res.writeHead(500); res.end() }))
await new Promise((r) => server.listen(0, '127.0.0.1', r))
const at = 'http://127.0.0.1:' + server.address().port
for (const u of ['/', '/', '/', '/odd', '/bad', '/bad']) await (await fetch(at + u)).text()
server.close(); server.closeAllConnections()
await new Promise((r) => setTimeout(r, 50))
await drain()
`, 0)
	if got := sessionCounts(t, "node-requests"); got != "clean 3 faulty 1 crashed 2 running 0" {
		t.Error(got)
	}
	if e := newest(t, shared, "node-requests"); text(e, "session", "outcome") == "" {
		t.Error("the event is of no session")
	}
}

func TestNodeClient_SendsTheConfiguredShare(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-share")
	out := node(t, `
import { start, report, drain } from '@firethorn/client'
let sent = 0
start({ server: '`+shared.url+`', key: '`+key+`', sessions: false, share: 0.000001, edit: (e) => { sent++; return e } })
for (let i = 0; i < 4; i++) report(new Error('sunk ' + i))
await new Promise((r) => setTimeout(r, 300))
console.log('at first', sent)
await drain()
`, 0)
	shared.settle(t)
	if list := shared.issues(t, "node-share"); !strings.Contains(out, "at first 1") || len(list) != 1 || list[0].Events != 4 {
		t.Errorf("%s; %+v", out, list)
	}
}

func TestNodeClient_AMessageSurvivesAnEditThatFails(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "node-edit")
	node(t, `
import { start, message, attributes, drain } from '@firethorn/client'
start({ server: '`+shared.url+`', key: '`+key+`', sessions: false, edit: () => { throw new Error('edit') } })
attributes({ 'crew.rank': 'mate' })
message('the last ferry waits')
if (!(await drain(20000))) process.exit(1)
`, 0)
	e := newest(t, shared, "node-edit")
	if text(e, "message") != "the last ferry waits" || text(e, "attributes", "crew.rank") != "" || text(e, "attributes", "firethorn.edit_failed") == "" {
		t.Errorf("%v %v", e["message"], e["attributes"])
	}
}
