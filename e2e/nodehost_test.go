package e2e

import (
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
)

func TestNodeClient_EndsWhateverTheServiceDoes(t *testing.T) { // alone: what it starts has only so much time
	silent, err := net.Listen("tcp", "127.0.0.1:0") // takes connections and never answers
	if err != nil {
		t.Fatal(err)
	}
	defer silent.Close()
	for name, answer := range map[string]func() int{
		"503": func() int { return 503 }, "429": func() int { return 429 }, "401": func() int { return 401 }, "a sign-in page": func() int { return 200 },
		"refuses": nil, "silent": nil,
	} {
		t.Run(name, func(t *testing.T) {
			c := newCollector(t)
			c.answer = answer
			options := map[string]any{"server": c.URL, "key": "in-key", "dir": filepath.Join(t.TempDir(), "kept")}
			switch name {
			case "refuses":
				options["server"] = "http://127.0.0.1:1"
			case "silent":
				options["server"] = "http://" + silent.Addr().String()
			}
			got := runNode(t, t.TempDir(), "report(new Error('sunk'))", options)
			if got.code != 0 || got.signal != 0 {
				t.Errorf("it ends with %s\n%s", got, got.stderr)
			}
			c.mu.Lock()
			defer c.mu.Unlock()
			if c.requests > 8 {
				t.Errorf("it asks %d times", c.requests)
			}
			if wants := name == "401"; wants != strings.Contains(got.stderr, "does not know the key") {
				t.Errorf("it says %q", got.stderr)
			}
			kept, err := filepath.Glob(filepath.Join(options["dir"].(string), "events", "*.json"))
			if refused := name == "401"; err != nil || (len(kept) == 1) == refused {
				t.Errorf("kept for the next start: %v %v", kept, err)
			}
		})
	}
}

func TestNodeClient_KeepsOnlyWhereItIsPrivate(t *testing.T) {
	t.Parallel()
	for name, spoil := range map[string]func(t *testing.T, dir string) error{
		"a link": func(t *testing.T, dir string) error { return os.Symlink(t.TempDir(), filepath.Join(dir, "events")) },
		"others may write": func(_ *testing.T, dir string) error {
			if err := os.Mkdir(filepath.Join(dir, "events"), 0o700); err != nil {
				return err
			}
			return os.Chmod(filepath.Join(dir, "events"), 0o777)
		},
		"a file": func(_ *testing.T, dir string) error {
			return os.WriteFile(filepath.Join(dir, "events"), nil, 0o600)
		},
		"files of others": func(_ *testing.T, dir string) error {
			if err := os.Mkdir(filepath.Join(dir, "events"), 0o700); err != nil {
				return err
			}
			return os.WriteFile(filepath.Join(dir, "events", "fares.json"), []byte("no JSON"), 0o600)
		},
	} {
		t.Run(name, func(t *testing.T) {
			c := newCollector(t)
			dir := t.TempDir()
			if err := spoil(t, dir); err != nil {
				t.Fatal(err)
			}
			got := runNode(t, t.TempDir(), "setTimeout(() => { throw new Error('sunk') }, 5)", map[string]any{"server": c.URL, "key": "in-key", "dir": dir})
			events, _ := c.got()
			if got.code != 1 || len(events) != 1 {
				t.Errorf("%s, %d events\n%s", got, len(events), got.stderr)
			}
			private := name == "files of others"
			if strings.Contains(got.stderr, "nothing is kept on disk") == private {
				t.Errorf("it says %q", got.stderr)
			}
			if raw, err := os.ReadFile(filepath.Join(dir, "events", "fares.json")); private && (err != nil || string(raw) != "no JSON") {
				t.Errorf("a file of somebody else: %q %v", raw, err)
			}
			if left, _ := filepath.Glob(filepath.Join(dir, "events", "0*")); len(left) != 0 {
				t.Errorf("written all the same: %v", left)
			}
		})
	}
}

func TestNodeClient_ReportsAHangInAWorkerThread(t *testing.T) { // alone: what it starts has only so much time
	c := newCollector(t)
	script := fmt.Sprintf(`
import { Worker } from 'node:worker_threads'
const code = %q
const w = new Worker(new URL('data:text/javascript,' + encodeURIComponent(code)))
w.on('message', () => {})
let turns = 0
const timer = setInterval(() => turns++, 50)
setTimeout(() => { clearInterval(timer); console.log(turns > 20 ? 'the main thread went on' : 'the main thread stood still'); w.terminate() }, 2500)
`, fmt.Sprintf(`import { start } from 'file://%s/node.js'; start({ server: '%s', key: 'in-key', dir: false, hangs: 400 }); setTimeout(() => { for (;;); }, 200)`, nodeDist(t), c.URL))
	got := runNode(t, t.TempDir(), script, nil)
	events, _ := c.got()
	if len(events) != 1 || !strings.Contains(got.stdout, "went on") {
		t.Fatalf("%d events; %s %s", len(events), got, got.stderr)
	}
	if x := fmt.Sprint(events[0]["exceptions"]); !strings.Contains(x, "the event loop was blocked") || strings.Contains(x, "node:internal") {
		t.Error(x)
	}
}

func TestNodeClient_CountsRequestsByTheMinute(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	script := `
import http from 'node:http'
import { wrap } from 'file://` + nodeDist(t) + `/node.js'
const handler = wrap(async (req, res) => { if (req.url === '/bad') throw new Error('gate'); res.end('ok') })
const server = http.createServer((req, res) => Promise.resolve(handler(req, res)).catch(() => { res.writeHead(500); res.end() }))
await new Promise((r) => server.listen(0, '127.0.0.1', r))
const at = 'http://127.0.0.1:' + server.address().port
for (let i = 0; i < 40; i++) await Promise.all(Array.from({ length: 25 }, async (_, j) => (await fetch(at + (i % 2 || j ? '/' : '/bad'))).text()))
server.close(); server.closeAllConnections()
`
	got := runNode(t, t.TempDir(), script, map[string]any{"server": c.URL, "key": "in-key", "dir": false, "sessions": "request"})
	_, sessions := c.got()
	counted := map[string]float64{}
	alone := 0
	for _, m := range sessions {
		counts, ok := m["counts"].(map[string]any)
		if !ok {
			alone++
			continue
		}
		for outcome, n := range counts {
			counted[outcome] += n.(float64)
		}
		if q, ok := m["duration_ms"].(map[string]any); !ok || q["p50"].(float64) < 1 || q["p95"].(float64) < q["p50"].(float64) || m["minute"] == nil || m["id"] == nil {
			t.Errorf("%v", m)
		}
	}
	if got.code != 0 || counted["clean"] != 980 || counted["crashed"]+float64(alone) != 20 || len(sessions) > 30 {
		t.Errorf("%s: counted %v, %d alone, in %d messages\n%s", got, counted, alone, len(sessions), got.stderr)
	}
}

func TestNodeClient_ReadsWhatIsThrown(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	script := `
const log = []
const odd = { get secret() { log.push('getter called'); return 1 }, toJSON() { log.push('toJSON called'); return {} }, berth: 'C' }
console.error(new TypeError('no tide table'), odd, new Map(), 5n, Symbol('s'))
const suppressed = Object.assign(new Error('closing failed'), { name: 'SuppressedError', error: new Error('the first'), suppressed: new Error('the second') })
const coded = Object.assign(new Error('connect refused'), { code: 'ECONNREFUSED', cause: { reason: 'ebb' } })
for (const e of [new Response('', { status: 404 }), new Event('tide'), new DOMException('gone', 'AbortError'), suppressed, coded, odd, null, 5n]) report(e)
report(new Proxy({}, { get() { throw new Error('trap') }, getPrototypeOf() { throw new Error('trap') }, ownKeys() { throw new Error('trap') } }))
setTimeout(() => console.log(JSON.stringify(log)), 300)
`
	got := runNode(t, t.TempDir(), script, map[string]any{"server": c.URL, "key": "in-key", "dir": false, "sessions": false})
	events, _ := c.got()
	var said []string
	for _, e := range events {
		line := ""
		for _, x := range e["exceptions"].([]any) {
			m := x.(map[string]any)
			line += fmt.Sprintf("%v|%v|%v|%v; ", text(m, "type"), text(m, "thrown"), text(m, "message"), text(m, "relation"))
		}
		if code := text(e, "attributes", "error.code"); code != "" {
			line += "code " + code
		}
		said = append(said, line)
	}
	want := []string{
		"|object|Response 404|; ", `|object|Event "tide"|; `, "AbortError||gone|; ",
		"SuppressedError||closing failed|; Error||the first|cause; Error||the second|suppressed; ",
		`Error||connect refused|; |object|{"reason":"ebb"}|cause; code ECONNREFUSED`,
		`|object|{"secret":…,"toJSON":function toJSON,"berth":"C"}|; `, "|null|null|; ", "|bigint|5|; ", "|object|[object]|; ",
	}
	if fmt.Sprint(said) != fmt.Sprint(want) {
		t.Errorf("%s\n%s\nwant\n%s", got.stderr, strings.Join(said, "\n"), strings.Join(want, "\n"))
	}
	if len(events) > 0 {
		if crumb := text(events[0], "breadcrumbs", "0", "message"); !strings.HasPrefix(crumb, `TypeError: no tide table {"secret":…`) {
			t.Error(crumb)
		}
	}
	if !strings.Contains(got.stdout, "[]") {
		t.Errorf("methods of the application run: %s", got.stdout)
	}
}

func TestNodeClient_InAFrozenHost(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	dir := t.TempDir()
	script := `
const client = await import('file://` + nodeDist(t) + `/node.js')
const fetchOf = globalThis.fetch
let seen = 0
globalThis.fetch = (...a) => { seen++; return fetchOf(...a) }
Object.freeze(console); Object.freeze(globalThis.fetch); Object.freeze(Array.prototype); Object.freeze(Object.prototype); Object.freeze(Error)
client.start({ server: '` + c.URL + `', key: 'in-key', dir: '` + filepath.Join(dir, "kept") + `' })
await fetch('data:text/plain,x')
console.error('low water')
client.report(new Error('sunk'))
setTimeout(() => console.log('seen', seen > 0), 500)
`
	got := runNode(t, dir, script, nil)
	events, _ := c.got()
	if got.code != 0 || len(events) != 1 || !strings.Contains(got.stdout, "seen true") {
		t.Errorf("%s, %d events\n%s", got, len(events), got.stderr)
	}
}

// TestNodeClient_KeepsWrappersThatCameLater: what others wrap around fetch
// before and after the client stays.
func TestNodeClient_KeepsWrappersThatCameLater(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	var calls atomic.Int32
	site := newCollector(t)
	site.answer = func() int { calls.Add(1); return 202 }
	got := runNode(t, t.TempDir(), `
const client = await import('file://`+nodeDist(t)+`/node.js')
const order = []
const wrapAs = (name) => { const inner = globalThis.fetch; globalThis.fetch = (...a) => { if (String(a[0]).startsWith('`+site.URL+`')) order.push(name); return inner(...a) } }
wrapAs('before')
client.start({ server: '`+c.URL+`', key: 'in-key', dir: false, sessions: false })
wrapAs('after')
await fetch('`+site.URL+`/tides', { method: 'POST', body: '{}' })
client.report(new Error('sunk'))
setTimeout(() => console.log(order.join()), 300)
`, nil)
	events, _ := c.got()
	if !strings.Contains(got.stdout, "after,before") || calls.Load() != 1 || len(events) != 1 || !strings.Contains(text(events[0], "breadcrumbs", "0", "message"), "/tides → 202") {
		t.Errorf("%s %s; %d calls; %v", got, got.stderr, calls.Load(), events)
	}
}

// TestNodeClient_GoesOnAfterASignalThatIsNoEnd: an application that reads its
// settings again on SIGHUP reports as before, and its crash is a crash.
func TestNodeClient_GoesOnAfterASignalThatIsNoEnd(t *testing.T) { // alone: what it starts has only so much time
	c := newCollector(t)
	got := runNode(t, t.TempDir(), `
process.on('SIGHUP', () => console.log('reread'))
setTimeout(() => process.kill(process.pid, 'SIGHUP'), 50)
setTimeout(() => report(new Error('low water')), 200)
setTimeout(() => { throw new Error('sunk') }, 400)
`, map[string]any{"server": c.URL, "key": "in-key", "dir": false, "exitWait": 10000}) // a slow machine needs longer than a second
	events, sessions := c.got()
	worst := ""
	for _, s := range sessions {
		if text(s, "outcome") == "clean" || text(s, "outcome") == "crashed" {
			worst += text(s, "outcome")
		}
	}
	if len(events) != 2 || got.code != 1 || !strings.Contains(got.stdout, "reread") || worst != "crashed" {
		t.Errorf("%s, %d events, the session %q\n%s", got, len(events), worst, got.stderr)
	}
}
