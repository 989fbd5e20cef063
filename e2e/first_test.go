package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"firethorn/console"
	"firethorn/demo/replay"
)

// From an empty directory to the first readable issue, in the console alone: what
// only the application's own machine can do is sending, and pushing its maps.
func TestFirstSteps_InTheConsole(t *testing.T) {
	t.Parallel()
	needBuild(t, "../demo/quayside/build/symbols-4.2.0")
	lines, err := replay.Load("../demo/recording/recording.ndjson")
	if err != nil {
		t.Fatal(err)
	}
	p := launch(t, build(t), filepath.Join(t.TempDir(), "data"))
	began, clicks := time.Now(), 0
	tab, check := signedIn(t, p.service)
	click := func(what, js string) {
		t.Helper()
		clicks++
		eventually(t, tab, what, `(() => { const b = `+js+`; if (!b || b.disabled) return false; b.click(); return true })()`)
	}
	eventually(t, tab, "the welcome", `document.querySelector('h1')?.innerText === 'Welcome'`)
	accessible(t, tab, "the welcome")
	typed := func(text string) {
		t.Helper()
		eval[any](t, tab, `(() => { const i = document.querySelector('main input'); i.focus(); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, `+fmt.Sprintf("%q", text)+`); i.dispatchEvent(new Event('input', { bubbles: true })) })()`)
	}
	button := func(words string) string {
		return `[...document.querySelectorAll('main button')].find((b) => b.innerText.startsWith('` + words + `'))`
	}
	typed(strings.Repeat("q", 150))
	click("a name that is too long", button("Make the project"))
	eventually(t, tab, "what is wrong with it", `document.querySelector('main [role=alert]')?.innerText.includes('lower-case letters')`)
	typed("quayside")
	click("make it", button("Make the project"))
	eventually(t, tab, "the steps", `location.pathname === '/p/quayside/set-up' && document.body.innerText.includes('Nothing has arrived yet; listening.')`)
	click("another runtime", `[...document.querySelectorAll('main label')].find((b) => b.innerText === 'Browser, other bundlers')`)
	eventually(t, tab, "its steps", `document.body.innerText.includes('firethorn symbols stamp dist')`)
	var keys struct{ Keys []struct{ Key string } }
	p.json(t, &keys, "project", "keys", "quayside")
	eventually(t, tab, "the project's key in them", `document.querySelector('main pre[aria-label="Report errors"]').innerText.includes('`+keys.Keys[0].Key+`')`)

	sent := replay.Traffic(lines, "quayside", false, time.Now())
	p.post(t, keys.Keys[0].Key, string(sent[0]))
	eventually(t, tab, "it arrived, and cannot be read", `document.body.innerText.includes('1 event has arrived.') && document.body.innerText.includes('cannot be read yet') && document.body.innerText.includes('firethorn symbols push --project quayside --release 4.2.0 dist')`)
	p.run(t, 0, "symbols", "push", "--project", "quayside", "--release", "4.2.0", "--served-at", "https://quayside.example/", "../demo/quayside/build/symbols-4.2.0")
	eventually(t, tab, "now it can", `document.body.innerText.includes('Its trace can be read.')`)
	click("the issue", `document.querySelector('main [role=status] a')`)
	eventually(t, tab, "a readable issue", `/^src\/.*:\d+/.test(document.querySelector('main .mono')?.innerText ?? '')`)
	t.Logf("from the sign-in to a readable issue: %d clicks, one name, %s", clicks, time.Since(began).Round(100*time.Millisecond))
	check("400")
}

// Keys, settings, people, teams and failed events, in the console.
func TestOperating_InTheConsole(t *testing.T) {
	t.Parallel()
	s, name := shared, "operated"
	s.project(t, name)
	tab, check := signedIn(t, s)
	set := func(selector, text string) { t.Helper(); setValue(t, tab, selector, text) }
	open(t, tab, s.url+"/p/"+name+"/settings")
	eventually(t, tab, "the settings", `document.querySelectorAll('section[aria-label="Ingest keys"] tbody tr').length === 1 && document.querySelector('main textarea') !== null`)
	eval[any](t, tab, mainButton("New key")+`.click()`)
	eventually(t, tab, "the dialog", `document.querySelector('dialog input') !== null`)
	set("dialog input", "the kiosks at the pier")
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "two keys", `document.querySelectorAll('section[aria-label="Ingest keys"] tbody tr').length === 2 && document.querySelector('section[aria-label="Ingest keys"] table').innerText.includes('the kiosks at the pier')`)
	eval[any](t, tab, `document.querySelector('[aria-label="Rotate the kiosks at the pier"]').click()`)
	eventually(t, tab, "the dialog of rotating", `document.querySelector('dialog select') !== null`)
	accessible(t, tab, "the dialog of rotating a key")
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "the old one ends later", `document.querySelectorAll('section[aria-label="Ingest keys"] tbody tr').length === 3 && document.querySelector('section[aria-label="Ingest keys"] table').innerText.includes('good until')`)
	set("main textarea", "https://quayside.example/path")
	eventually(t, tab, "no origin", `document.querySelector('main form [role=alert]')?.innerText.includes('without a path')`)
	set("main textarea", "https://quayside.example\nhttps://staging.quayside.example")
	set("main form select", "90")
	eventually(t, tab, "all is well", `document.querySelector('main form [role=alert]') === null`)
	eval[any](t, tab, `document.querySelector('main form').requestSubmit()`)
	var p struct {
		Origins  []string
		KeepDays int `json:"keep_days"`
	}
	until(t, "the settings are stored", func() bool {
		s.json(t, &p, "project", "show", name)
		return p.KeepDays == 90 && strings.Join(p.Origins, " ") == "https://quayside.example https://staging.quayside.example"
	})

	open(t, tab, s.url+"/people")
	eventually(t, tab, "people", `document.querySelector('h1').innerText === 'People' && document.querySelector('main table').innerText.includes('Operator')`)
	eval[any](t, tab, mainButton("Add someone")+`.click()`)
	eventually(t, tab, "the dialog", `document.querySelectorAll('dialog input').length === 3`)
	set("dialog input", "Ylva Nygaard")
	set("dialog input[type=email]", "ylva.nygaard@marrowsound.example")
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "her link", `document.querySelector('dialog pre')?.innerText.includes('/sign-in#')`)
	accessible(t, tab, "the dialog with a sign-in link")
	eval[any](t, tab, `[...document.querySelectorAll('dialog button')].find((b) => b.innerText === 'Done').click()`)
	eventually(t, tab, "she is there", `document.querySelector('main table').innerText.includes('Ylva Nygaard')`)
	eval[any](t, tab, mainButton("New team")+`.click()`)
	eventually(t, tab, "the dialog of a team", `document.querySelectorAll('dialog input[type=checkbox]').length > 1`)
	set("dialog input", "Rope Locker")
	eval[any](t, tab, `[...document.querySelectorAll('dialog label')].find((l) => l.innerText.includes('Ylva Nygaard')).click(); document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "the team", `document.querySelector('section[aria-label=Teams]').innerText.includes('@rope-locker')`)
	eval[any](t, tab, `document.querySelector('[aria-label="Ylva Nygaard leaves"]').click()`)
	eventually(t, tab, "the dialog of leaving", `document.querySelector('dialog')?.innerText.includes('Their roles, tokens and sessions end.')`)
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "she left", `document.querySelector('section[aria-label=Left]')?.innerText.includes('Ylva Nygaard')`)

	open(t, tab, s.url+"/service")
	eventually(t, tab, "the service", `document.querySelector('h1').innerText === 'Service' && document.querySelector('section[aria-label="Failed events"]') !== null`)
	eval[any](t, tab, mainButton("Compare")+`.click()`)
	eventually(t, tab, "the counters", `document.querySelector('section[aria-label=Counters]').innerText.includes('kinds of counter compared')`)

	// Who may not change it is offered nothing that would be refused.
	member := asPerson(t, s, "Tora Lund")
	for path, words := range map[string]string{"/people": "Operators change who works here.", "/p/" + name + "/settings": "Maintainers of the project see keys", "/service": "Operators see failed events", "/audit": "Only operators read who did what."} {
		open(t, member, s.url+path)
		eventually(t, member, path, `document.querySelector('main')?.innerText.includes('`+words+`') && ![...document.querySelectorAll('main button')].some((b) => ['Add someone', 'New key', 'Compare'].includes(b.innerText)) && !document.querySelector('main [role=alert]')`)
	}

	open(t, tab, s.url+"/audit?project="+name)
	eventually(t, tab, "what was done to the project", `['key rotated', 'key created', 'project changed', 'project created'].every((w) => document.querySelector('main table')?.innerText.includes(w)) && !document.querySelector('main table').innerText.includes('Ylva Nygaard')`)
	eval[any](t, tab, `document.querySelector('[aria-label^="Details of entry"]').click()`)
	eventually(t, tab, "what changed", `document.querySelector('dialog')?.innerText.includes('"keep_days": 90')`)
	accessible(t, tab, "the details of an entry")
	eval[any](t, tab, `[...document.querySelectorAll('dialog button')].find((b) => b.innerText === 'Close').click()`)
	eval[any](t, tab, mainButton("Check the chain")+`.click()`)
	eventually(t, tab, "the chain holds", `document.body.innerText.includes('entries are as they were written')`)
	check()
}

// The page of all components, in both themes: axe-core finds nothing wrong.
func TestComponents(t *testing.T) {
	t.Parallel()
	if _, err := console.Handler(); err != nil {
		t.Skip(err)
	}
	dir := t.TempDir()
	cmd := exec.Command("npx", "vite", "build", "--mode", "components", "--logLevel", "warn", "--outDir", dir)
	cmd.Dir = "../console"
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	if _, err := os.Stat(filepath.Join(dir, "components.html")); err != nil {
		t.Fatal(err)
	}
	site := httptest.NewServer(http.FileServer(http.Dir(dir)))
	defer site.Close()
	tab := newTab(t)
	for _, theme := range []string{"blossom", "hedge"} {
		open(t, tab, site.URL+"/components.html?theme="+theme)
		eventually(t, tab, theme, `document.documentElement.dataset.theme === '`+theme+`' && document.querySelectorAll('section').length > 3`)
		accessible(t, tab, "all components in "+theme)
		eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'A dialog').click()`)
		eventually(t, tab, "the dialog", `document.querySelector('dialog[open]') !== null`)
		accessible(t, tab, "a dialog in "+theme)
	}
	if wide := eval[int64](t, tab, "document.documentElement.scrollWidth"); wide > 1280 {
		t.Errorf("a name of 200 characters makes the page %d wide", wide)
	}
}
