package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/console"
)

// signedIn opens a tab in which somebody is signed in.
func signedIn(t *testing.T, s *service) (tab context.Context, check func(expected ...string)) {
	t.Helper()
	if _, err := console.Handler(); err != nil {
		if os.Getenv("FIRETHORN_CONSOLE") == "required" {
			t.Fatal(err)
		}
		t.Skip(err)
	}
	tab = newTab(t)
	check = quiet(t, tab)
	signIn(t, s, tab, "Operator")
	return tab, check
}

// aLink is held from making a sign-in link to using it: a newer one of the same
// person ends it.
var aLink sync.Mutex

// signIn signs a person in, by a link.
func signIn(t *testing.T, s *service, tab context.Context, name string) {
	t.Helper()
	signInAt(t, s, tab, name, s.url)
}

// signInAt is signIn at another address of the service.
func signInAt(t *testing.T, s *service, tab context.Context, name, url string) {
	t.Helper()
	aLink.Lock()
	defer aLink.Unlock()
	var p struct {
		SignInLink string `json:"sign_in_link"`
	}
	s.json(t, &p, "person", "link", name)
	if err := chromedp.Do(tab, chromedp.Navigate(strings.Replace(p.SignInLink, s.url, url, 1))); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "signed in", `location.pathname === '/' && document.body.innerText.includes('`+name+`')`)
}

func open(t *testing.T, tab context.Context, url string) {
	t.Helper()
	if err := chromedp.Do(tab, chromedp.Navigate(url), chromedp.WaitVisible(chromedp.CSS("h1, h2"))); err != nil {
		t.Fatal(err)
	}
}

// seed files a few issues of different weight.
func seed(t *testing.T, s *service, project string) (key string) {
	t.Helper()
	key = s.project(t, project)
	var body []string
	for i, f := range []string{"tideAt", "placeBerths", "priceOf", "openGate"} {
		for u := range 12 - 3*i {
			body = append(body, event(f, fmt.Sprint("p-", u), "4.2.0"))
		}
	}
	if code, answer := s.post(t, key, strings.Join(body, "\n")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	return key
}

func event(function, user, release string) string {
	raw, _ := json.Marshal(map[string]any{ // a map of plain values
		"time": time.Now().UTC().Format(time.RFC3339Nano), "handled": false,
		"exceptions":  []any{map[string]any{"type": "TypeError", "message": "<img src=x onerror=\"document.title='owned'\"> of " + function, "frames": []any{map[string]any{"function": function, "file": "src/" + function + ".ts", "line": 17}, map[string]any{"function": "map", "file": "node_modules/left/index.ts", "line": 3}}}},
		"attributes":  map[string]any{"user.id": user, "url.full": "https://quayside.example/day/366", "berth.zone": "C"},
		"resource":    map[string]any{"service.version": release, "os.name": "Android"},
		"breadcrumbs": []any{map[string]any{"time": time.Now().UTC().Add(-2 * time.Second).Format(time.RFC3339Nano), "kind": "input", "message": "click on button"}},
		"state":       map[string]any{"day": 366},
	})
	return string(raw)
}

func TestConsole_ListsAndDecidesFromTheKeyboard(t *testing.T) {
	t.Parallel()
	s := shared
	key := seed(t, s, "keys")
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/keys/issues")
	eventually(t, tab, "four rows", `document.querySelectorAll('[role=row][aria-selected]').length === 4`)
	if first := eval[string](t, tab, `document.querySelector('[role=row][aria-selected]').innerText`); !strings.Contains(first, "TypeError in tideAt") || !strings.Contains(first, "12 users") || !strings.Contains(first, "src/tideAt.ts:17") {
		t.Errorf("the first row says %q", first)
	}
	if wide := eval[bool](t, tab, `document.documentElement.scrollWidth > innerWidth`); wide {
		t.Error("the list scrolls sideways at 1280")
	}
	accessible(t, tab, "issues, light")
	selected := func() string {
		return eval[string](t, tab, `document.querySelector('[aria-selected=true]').innerText.split('\n')[2]`)
	}
	press(t, tab, "jj")
	eventually(t, tab, "the third is selected", `[...document.querySelectorAll('[role=row][aria-selected]')][2].ariaSelected === 'true'`)
	press(t, tab, "k")
	eventually(t, tab, "the second is selected", `[...document.querySelectorAll('[role=row][aria-selected]')][1].ariaSelected === 'true'`)
	if got := selected(); !strings.Contains(got, "placeBerths") {
		t.Errorf("selected is %q", got)
	}
	press(t, tab, "a")
	eventually(t, tab, "it says so", `document.body.innerText.includes('keys/2: accepted')`)
	press(t, tab, "f")
	eventually(t, tab, "the dialog proposes the next release", `document.querySelector('dialog input.mono')?.value === '4.2.1'`)
	accessible(t, tab, "the dialog of a fix")
	press(t, tab, "\r")
	eventually(t, tab, "it is fixed", `document.body.innerText.includes('keys/2: fixed in 4.2.1')`)
	eventually(t, tab, "and gone from the open ones", `document.querySelectorAll('[role=row][aria-selected]').length === 3`)
	if i := s.issues(t, "keys", "--text", "placeBerths")[0]; i.State != "fixed" {
		t.Errorf("the service says %s", i.State)
	}
	press(t, tab, "d")
	eventually(t, tab, "dismissed", `document.body.innerText.includes(': dismissed')`)

	// What is new waits to be asked for; what is shown gets its new figures.
	s.post(t, key, event("unheardOf", "p-1", "4.2.0")+"\n"+event("tideAt", "p-99", "4.2.0"))
	eventually(t, tab, "one new", `document.body.innerText.includes('1 new')`)
	eventually(t, tab, "13 users", `document.querySelector('[role=row][aria-selected]').innerText.includes('13 users')`)
	press(t, tab, "n")
	eventually(t, tab, "it is shown", `document.body.innerText.includes('unheardOf')`)

	eval[any](t, tab, `document.querySelector('input[type=search]').value = 'openGate'; document.querySelector('form[role=search]').requestSubmit()`)
	eventually(t, tab, "found", `document.querySelectorAll('[role=row][aria-selected]').length === 1 && location.search.includes('search=openGate')`)
	press(t, tab, "?")
	eventually(t, tab, "the keys", `document.querySelector('dialog')?.innerText.includes('previous issue')`)
	check()
}

func TestConsole_MergesFromTheListAndTheIssue(t *testing.T) {
	t.Parallel()
	s := shared
	seed(t, s, "merging")
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/merging/issues")
	eventually(t, tab, "four rows", `document.querySelectorAll('[role=row][aria-selected]').length === 4`)
	press(t, tab, "xjx")
	eventually(t, tab, "two are marked", `document.querySelectorAll('[role=row] input:checked').length === 2 && document.body.innerText.includes('2 issues marked.')`)
	press(t, tab, "m")
	eventually(t, tab, "the one that hurts most stays", `document.querySelector('dialog')?.innerText.includes('Merge merging/2 into merging/1')`)
	accessible(t, tab, "the dialog of a merge")
	press(t, tab, "\r")
	eventually(t, tab, "it is done", `document.querySelectorAll('[role=row][aria-selected]').length === 3 && document.body.innerText.includes('merging/2 merged into merging/1')`)
	if is := s.issues(t, "merging", "--text", "tideAt")[0]; is.Events != 21 {
		t.Errorf("%d events, want 21", is.Events)
	}

	open(t, tab, s.url+"/p/merging/issues/2")
	eventually(t, tab, "the old number leads there", `location.pathname === '/p/merging/issues/1' && document.body.innerText.includes('Merged into this:')`)
	press(t, tab, "m")
	eventually(t, tab, "it asks into which", `document.querySelector('dialog')?.innerText.includes('Merge merging/1 into which issue?') && document.querySelectorAll('dialog input[type=radio]').length === 2`)
	press(t, tab, "\x1b")
	eval[any](t, tab, `[...document.querySelectorAll('button')].find(b => b.ariaLabel === 'Undo the merge of merging/2').click()`)
	eventually(t, tab, "it is taken back", `document.body.innerText.includes('merging/2 is an issue of its own again') && !document.body.innerText.includes('Merged into this:')`)
	eventually(t, tab, "counts have followed", `!document.querySelector('main, body').innerText.includes('recounting')`)
	if list := s.issues(t, "merging"); len(list) != 4 || list[0].Events != 12 || list[1].Events != 9 {
		t.Errorf("after the undo: %+v", list)
	}
	s.run(t, 0, "issue", "merge", "merging/3", "merging/4", "--into", "merging/1")
	if _, errs := s.run(t, 1, "issue", "merge", "merging/3", "--into", "merging/2"); !strings.Contains(errs, "was merged into merging/1 already") {
		t.Errorf("it says %s", errs)
	}
	if out, _ := s.run(t, 0, "issue", "history", "merging/1"); !strings.Contains(out, "merged merging/4 into this") {
		t.Errorf("the history says %s", out)
	}
	check()
}

func TestConsole_ShowsAnIssueWhole(t *testing.T) {
	t.Parallel()
	s := shared
	seed(t, s, "whole")
	s.run(t, 0, "person", "add", "Sunniva Bray", "sunniva@marrowsound.example", "--role", "member")
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/whole/issues")
	eventually(t, tab, "rows", `document.querySelectorAll('[role=row][aria-selected]').length === 4`)
	press(t, tab, "\r")
	eventually(t, tab, "the issue", `location.pathname === '/p/whole/issues/1' && document.querySelector('h1')?.innerText === 'TypeError in tideAt'`)
	eventually(t, tab, "its event", `document.body.innerText.includes('Event 1 of 12')`)
	for _, want := range []string{"What broke", "Affected users", "Since when", "What to do", "1 frame of left", "here it broke", "berth.zone", "first seen in 4.2.0", "<img src=x"} {
		if !eval[bool](t, tab, fmt.Sprintf("document.body.innerText.includes(%q)", want)) {
			t.Errorf("the page lacks %q", want)
		}
	}
	if title := eval[string](t, tab, "document.title"); strings.Contains(title, "owned") {
		t.Error("markup of a message was executed")
	}
	accessible(t, tab, "issue, light")
	const pager = `[...document.querySelectorAll('button')].find((b) => b.innerText === 'Older').getBoundingClientRect().top`
	at := eval[float64](t, tab, "scrollTo(0, 300), "+pager)
	press(t, tab, "j")
	eventually(t, tab, "the older event", `document.body.innerText.includes('Event 2 of 12') && location.search.includes('event=')`)
	if now := eval[float64](t, tab, pager); math.Abs(now-at) > 1 {
		t.Errorf("paging moved the pager on the screen from %.1f to %.1f", at, now)
	}
	press(t, tab, "r")
	eventually(t, tab, "the raw trace", `document.body.innerText.includes('at tideAt (src/tideAt.ts:17:0)')`)
	press(t, tab, "s")
	eventually(t, tab, "people", `document.querySelector('dialog select')?.options.length > 2`)
	eval[any](t, tab, `document.querySelector('dialog select').value = 'Sunniva Bray'; document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "assigned", `document.body.innerText.includes('assigned to Sunniva Bray, and so accepted')`)
	press(t, tab, "z")
	eventually(t, tab, "undone", `document.body.innerText.includes('undone: back to new')`)
	eval[any](t, tab, `document.querySelector('header button').click()`)
	eventually(t, tab, "dark", `document.documentElement.dataset.theme === 'hedge'`)
	time.Sleep(300 * time.Millisecond)
	accessible(t, tab, "issue, dark")
	press(t, tab, "\x1b")
	eventually(t, tab, "back", `location.pathname === '/p/whole/issues'`)
	eventually(t, tab, "rows again", `document.querySelectorAll('[role=row][aria-selected]').length === 4`)
	accessible(t, tab, "issues, dark")
	check()
}

func TestConsole_GuidesWhoBegins(t *testing.T) {
	t.Parallel()
	s := shared
	key := s.project(t, "beginning")
	tab, check := signedIn(t, s)
	accessible(t, tab, "projects")
	open(t, tab, s.url+"/p/beginning/issues")
	eventually(t, tab, "set-up with the key", fmt.Sprintf(`document.body.innerText.includes('listening') && document.body.innerText.includes(%q)`, key))
	accessible(t, tab, "set-up")
	s.run(t, 0, "send", "--project", "beginning")
	eventually(t, tab, "it arrives", `document.body.innerText.includes('TestError in send')`)
	if err := chromedp.Do(tab, chromedp.EmulateViewport(390, 800)); err != nil {
		t.Fatal(err)
	}
	if eval[bool](t, tab, `document.documentElement.scrollWidth > innerWidth`) {
		t.Error("the list scrolls sideways at 390")
	}
	check()
}

func TestConsole_KeepsStrangersOut(t *testing.T) {
	t.Parallel()
	tab := newTab(t)
	if err := chromedp.Do(tab, chromedp.Navigate("about:blank")); err != nil {
		t.Fatal(err)
	}
	if _, err := console.Handler(); err != nil {
		t.Skip(err)
	}
	// Another host name has no cookie of ours.
	url := strings.Replace(shared.url, "127.0.0.1", "localhost", 1)
	open(t, tab, url+"/p/harbour/issues")
	eventually(t, tab, "not signed in", `document.body.innerText.includes('You are not signed in')`)
	open(t, tab, url+"/sign-in#"+strings.Repeat("x", 43))
	eventually(t, tab, "a bad link", `document.body.innerText.includes('used already or has run out')`)
}
