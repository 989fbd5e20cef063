package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

func TestConsole_ShowsWhatWasReceived(t *testing.T) {
	t.Parallel()
	s, p := shared, "received"
	key := s.project(t, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/received")
	eventually(t, tab, "nothing yet", `document.body.innerText.includes('Nothing came in')`)
	s.run(t, 0, "rules", "push", "-p", p, rulesFile(t, crawlerRules))
	time.Sleep(3500 * time.Millisecond)
	s.post(t, key, `[{"message":"berth map gone","attributes":{"user_agent.original":"Tidebot/2.1"}},{"message":"pass MSF-204811"}]`)
	s.settle(t)
	eventually(t, tab, "what came in", `/1\s+stored\s+1\s+dropped by rules/.test(document.body.innerText)`)
	eval[any](t, tab, `document.querySelector('main details').open = true`)
	eventually(t, tab, "an example", `document.body.innerText.includes('Tidebot/2.1')`)
	accessible(t, tab, "received")
	check()
}

func TestConsole_EditsRules(t *testing.T) {
	t.Parallel()
	s, p := shared, "edited"
	key := s.project(t, p)
	s.post(t, key, `[{"message":"berth map gone","attributes":{"user_agent.original":"Tidebot/2.1"}},{"message":"well"}]`)
	s.settle(t)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/rules")
	const editor = `document.querySelector('[data-editor]').shadowRoot.querySelector('.cm-content')`
	eventually(t, tab, "an example to begin with", editor+`.innerText.includes('name: crawlers') && document.body.innerText.includes('No errors')`)
	accessible(t, tab, "rules")
	eval[any](t, tab, editor+`.focus()`)
	if err := chromedp.Do(tab, chromedp.KeyEvent("x")); err != nil { // before the comment at the top
		t.Fatal(err)
	}
	eventually(t, tab, "the fault", `/\d error/.test(document.body.innerText)`)
	if !eval[bool](t, tab, `[...document.querySelectorAll('button')].find((b) => b.textContent.startsWith('Save')).disabled`) {
		t.Error("a text with errors can be saved")
	}
	if err := chromedp.Do(tab, chromedp.KeyEvent("\b")); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "no errors again", `document.body.innerText.includes('No errors')`)
	if err := chromedp.Do(tab, chromedp.KeyEvent("\r", chromedp.KeyModifiers(chromedp.ModifierCtrl))); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "the trial", `document.body.innerText.includes('1 of 2 events would be accepted, 1 dropped.')`)
	if err := chromedp.Do(tab, chromedp.KeyEvent("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "saved", `document.body.innerText.includes('Version 1, by Operator') && document.body.innerText.includes('Save as version 2')`)
	if out, _ := s.run(t, 0, "rules", "pull", "-p", p); !strings.Contains(out, "name: crawlers") || strings.HasPrefix(out, "x") {
		t.Errorf("saved %q", out)
	}
	check()
}
