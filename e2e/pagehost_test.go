package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// to is the options of a page that reports to a collector.
func (c *collector) to(more string) string {
	return fmt.Sprintf("server: %q, key: 'in-key', sessions: false, %s", c.URL, more)
}

// crumbs are the messages of an event's breadcrumbs.
func crumbs(e map[string]any) string {
	var out []string
	list, _ := e["breadcrumbs"].([]any)
	for _, b := range list {
		out = append(out, text(b, "message"))
	}
	return strings.Join(out, "\n")
}

// one waits until a collector has one event, and gives it.
func (c *collector) one(t *testing.T) map[string]any {
	t.Helper()
	until(t, "the event arrives", func() bool { events, _ := c.got(); return len(events) > 0 })
	events, _ := c.got()
	if len(events) != 1 {
		t.Fatalf("%d events", len(events))
	}
	return events[0]
}

// TestPage_KeepsWrappersThatOthersInstalled: one wraps fetch before the client
// starts, one after it, before the part is loaded that takes breadcrumbs.
func TestPage_KeepsWrappersThatOthersInstalled(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	wrap := func(name string) string {
		return fmt.Sprintf("{ const inner = window.fetch; window.fetch = function (...a) { if (String(a[0]) === '/favicon.ico') window.order.push('%s'); return inner.apply(this, a) } }", name)
	}
	site := page(t, "window.order = []; "+wrap("before"), c.to("hangs: false"), wrap("after"))
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, "fetch('/favicon.ico').then(() => { report(new Error('sunk')); return drain() })")
	if order := eval[string](t, tab, "order.join()"); order != "after,before" {
		t.Errorf("the wrappers that run: %q", order)
	}
	if got := crumbs(c.one(t)); !strings.Contains(got, "GET /favicon.ico → 204") {
		t.Errorf("breadcrumbs: %s", got)
	}
}

func TestPage_NeverReadsWhatIsTyped(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	site := page(t, "", c.to("hangs: false"), `document.querySelector('main').insertAdjacentHTML('beforeend', `+"`"+`
<div id=editor contenteditable><p id=inner>my secret letter</p></div>
<div id=box role=textbox tabindex=0>my secret note</div>
<div id=field role=group><span id=beside>Remarks</span><div contenteditable=plaintext-only>my secret remark</div></div>
<label id=label>Password <input name=password value="my secret"></label>
<textarea id=area name=remarks>my secret remark</textarea>
<select id=select name=zone aria-label="Zone"><option>my secret zone</option></select>
<div contenteditable><button id=inside>my secret button</button></div>
<button id=plain><b id=bold>Departures today</b></button>`+"`"+`)`)
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, "for (const id of ['inner', 'editor', 'box', 'beside', 'field', 'label', 'area', 'select', 'inside', 'bold']) document.getElementById(id).click(); report(new Error('sunk')); drain()")
	got := crumbs(c.one(t))
	if strings.Contains(got, "secret") {
		t.Errorf("what was typed is recorded:\n%s", got)
	}
	for _, want := range []string{`click on button#plain "Departures today"`, `click on select#select "Zone"`, `click on textarea#area "remarks"`, "click on div#editor", "click on label#label"} {
		if !strings.Contains(got, want) {
			t.Errorf("%s is missing:\n%s", want, got)
		}
	}
}

func TestPage_SaysWhatIsThrown(t *testing.T) {
	t.Parallel()
	c := newCollector(t)
	site := page(t, "", c.to("hangs: false"), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, `
const img = new Image(); img.id = 'map'; const failed = new Promise((r) => { img.onerror = (e) => { report(e); r() } }); img.src = '/client/nothing.png'
console.error(new TypeError('no tide table'), document.querySelector('#b'))
const gone = (() => { try { document.querySelector('[') } catch (e) { return e } })()
report(gone)
Promise.all([failed, fetch('/client/nothing').then((r) => report(r))]).then(() => drain())`)
	events, _ := c.got()
	var said []string
	for _, e := range events {
		said = append(said, text(e, "exceptions", "0", "type")+": "+text(e, "exceptions", "0", "message"))
		if !strings.Contains(crumbs(e), "TypeError: no tide table <button#b>") {
			t.Errorf("breadcrumbs: %s", crumbs(e))
		}
	}
	got := strings.Join(said, "\n")
	for _, want := range []string{"SyntaxError: Failed to execute 'querySelector'", ": Response 404 " + site.URL + "/client/nothing", `: Event "error" of <img#map ` + site.URL + "/client/nothing.png>"} {
		if !strings.Contains(got, want) {
			t.Errorf("%s is missing:\n%s", want, got)
		}
	}
}

func TestPage_SaysLoudlyThatItsKeyIsWrong(t *testing.T) {
	t.Parallel()
	for status, want := range map[int]string{401: "does not know the key", 403: "refuses this origin"} {
		c := newCollector(t)
		c.answer = func() int { return status }
		site := page(t, "window.said = []; console.warn = (s) => said.push(s); console.debug = (s) => said.push('debug ' + s)", c.to("hangs: false, debug: true"), "")
		tab := newTab(t)
		visit(t, tab, site.URL)
		for range 2 {
			eval[any](t, tab, "report(new Error('sunk ' + Math.random().toString(36).replace(/[0-9]/g, 'x'))); drain()")
		}
		said := eval[string](t, tab, "said.join('\\n')")
		if strings.Count(said, want) != 1 || !strings.Contains(said, fmt.Sprintf("debug [firethorn] 1 events: %d", status)) || strings.Contains(said, "in-key") {
			t.Errorf("%d: %s", status, said)
		}
	}
}

// TestBrowserClient_InRuntimesThatAreNoBrowser: without listeners, a store, a
// location, random numbers or time limits it reports what it is handed, and
// says once what it cannot see.
func TestBrowserClient_InRuntimesThatAreNoBrowser(t *testing.T) {
	t.Parallel()
	for name, shape := range map[string]string{
		"an edge worker": "delete globalThis.navigator",
		"a mobile runtime": `delete globalThis.navigator; Object.defineProperty(globalThis, 'crypto', { value: undefined }); AbortSignal.timeout = undefined
let handler = (e) => console.log('its own handler', e.message)
globalThis.ErrorUtils = { getGlobalHandler: () => handler, setGlobalHandler: (h) => { handler = h } }
globalThis.breakIt = () => handler(new Error('sunk by itself'), true)`,
		"random numbers are forbidden while loading": "crypto.getRandomValues = () => { throw new Error('not in global scope') }",
	} {
		t.Run(name, func(t *testing.T) {
			c := newCollector(t)
			got := runNode(t, t.TempDir(), shape+fmt.Sprintf(`
const client = await import('file://%s/browser.js')
client.start({ server: '%s', key: 'in-key', service: 'quayside', release: '4.2.1' })
await new Promise((r) => setTimeout(r, 100))
client.user('p-7'); client.note('app', 'asked'); client.message('low water')
client.report(Object.assign(new TypeError('sunk'), { code: 'E_TIDE' }))
globalThis.breakIt?.()
console.log('drained', await client.drain())
`, nodeDist(t), c.URL), nil)
			events, _ := c.got()
			want := 2
			if name == "a mobile runtime" {
				want = 3
				if text(events[2], "handled") != "false" || !strings.Contains(got.stdout, "its own handler sunk by itself") {
					t.Errorf("%v %s", events, got)
				}
			}
			if len(events) != want || got.code != 0 || !strings.Contains(got.stdout, "drained true") {
				t.Fatalf("%d events; %s\n%s", len(events), got, got.stderr)
			}
			if text(events[1], "attributes", "error.code") != "E_TIDE" || text(events[1], "attributes", "user.id") != "p-7" {
				t.Errorf("%v", events[1])
			}
			if strings.Count(got.stderr, "this runtime does not tell of") != 1 {
				t.Errorf("it says %q", got.stderr)
			}
		})
	}
}

// TestBrowserClient_DrainWaitsForItsOwnParts: an application that ends early
// loses nothing when the part that scrubs is still being loaded.
func TestBrowserClient_DrainWaitsForItsOwnParts(t *testing.T) {
	t.Parallel()
	dist := t.TempDir()
	if err := os.CopyFS(dist, os.DirFS(nodeDist(t))); err != nil {
		t.Fatal(err)
	}
	parts, err := filepath.Glob(filepath.Join(dist, "rest-*.js"))
	if err != nil || len(parts) != 1 {
		t.Fatal(parts, err)
	}
	raw, err := os.ReadFile(parts[0])
	if err == nil {
		err = os.WriteFile(parts[0], append([]byte("await new Promise((r) => setTimeout(r, 700));"), raw...), 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
	c := newCollector(t)
	got := runNode(t, t.TempDir(), fmt.Sprintf(`
delete globalThis.navigator
const client = await import('file://%s/browser.js')
client.start({ server: '%s', key: 'in-key', service: 'quayside', release: '4.2.1' })
client.report(new TypeError('sunk'))
console.log('soon', await client.drain(50), 'later', await client.drain(20_000))
`, dist, c.URL), nil)
	if events, _ := c.got(); len(events) != 1 || !strings.Contains(got.stdout, "soon false later true") {
		t.Errorf("%d events; %s\n%s", len(events), got, got.stderr)
	}
}
