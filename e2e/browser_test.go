package e2e

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/internal/chromium"
)

var (
	browserOnce sync.Once
	browser     context.Context
	browserErr  error
	browserStop = func() {}
)

// newTab opens a tab in the one browser of this run, with cookies and storage of
// its own: tests that run beside each other are different people.
func newTab(t *testing.T) context.Context {
	t.Helper()
	startBrowser(t)
	return tabOf(t, browser, chromedp.WithNewBrowserContext())
}

// tabBeside opens another tab of the same person.
func tabBeside(t *testing.T, tab context.Context) context.Context {
	t.Helper()
	return tabOf(t, tab)
}

func startBrowser(t *testing.T) {
	t.Helper()
	browserOnce.Do(func() {
		dir, err := os.MkdirTemp("", "firethorn-browser")
		if err != nil {
			browserErr = err
			return
		}
		var stop func()
		browser, stop, browserErr = chromium.Start(context.Background(), dir)
		browserStop = func() {
			if stop != nil {
				stop()
			}
			os.RemoveAll(dir)
		}
	})
	if browserErr != nil {
		t.Fatal(browserErr)
	}
}

func tabOf(t *testing.T, parent context.Context, options ...chromedp.ContextOption) context.Context {
	t.Helper()
	tab, done := chromedp.NewContext(parent, options...)
	t.Cleanup(done)
	ctx, cancel := context.WithTimeout(tab, 3*time.Minute)
	t.Cleanup(cancel)
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		t.Fatal(err)
	}
	return ctx
}

// eval runs JavaScript in a tab; a promise is waited for.
func eval[T any](t *testing.T, tab context.Context, js string) T {
	t.Helper()
	v, err := chromedp.Run(tab, chromedp.Evaluate[T](js, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatalf("%s: %v", js, err)
	}
	return v
}

// eventually waits until an expression is true.
func eventually(t *testing.T, tab context.Context, what, js string) {
	t.Helper()
	for until := time.Now().Add(patience); ; time.Sleep(50 * time.Millisecond) {
		// Between two pages there may be no body yet.
		if ok, err := chromedp.Run(tab, chromedp.Evaluate[bool](js)); err == nil && ok {
			return
		}
		if time.Now().After(until) {
			t.Fatalf("%s: %s stays false; the page says\n%s", what, js, eval[string](t, tab, "document.body.innerText.slice(0, 2000)"))
		}
	}
}

// press types keys on the page.
func press(t *testing.T, tab context.Context, keys string) {
	t.Helper()
	if err := chromedp.Do(tab, chromedp.KeyEvent(keys)); err != nil {
		t.Fatal(err)
	}
}

// atRest brings what fades in, which has no contrast yet, to its end, and lets
// nothing else fade until moving: the page may change while axe-core reads it.
const atRest = `(() => {
	window.still = new CSSStyleSheet()
	still.replaceSync('*, *::before, *::after { transition: none !important }')
	document.adoptedStyleSheets.push(still)
	document.getAnimations().forEach((a) => { if (a.effect?.getComputedTiming().endTime !== Infinity) a.finish() })
	return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(0))))
})()`

const moving = `document.adoptedStyleSheets = document.adoptedStyleSheets.filter((s) => s !== still); 0`

// accessible fails on anything axe-core finds wrong with the page.
func accessible(t *testing.T, tab context.Context, page string) {
	t.Helper()
	checkedByAxe(t, tab, page, "{ resultTypes: ['violations'] }")
}

// contrasting fails on texts that axe-core finds hard to read: what one theme may
// have wrong where another has not.
func contrasting(t *testing.T, tab context.Context, page string) {
	t.Helper()
	checkedByAxe(t, tab, page, "{ resultTypes: ['violations'], runOnly: ['color-contrast'] }")
}

func checkedByAxe(t *testing.T, tab context.Context, page, options string) {
	t.Helper()
	axe, err := os.ReadFile("../node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, page+" is there", "document.querySelector('h1') !== null")
	eval[any](t, tab, string(axe)+";0")
	eval[any](t, tab, atRest)
	found := eval[[]string](t, tab, `axe.run(document, `+options+`).then((r) => r.violations.map((v) => v.id + ": " + v.help + " " + v.nodes.map((n) => n.html.slice(0, 150) + " " + (n.any[0]?.message ?? "")).slice(0, 3).join(" | ")))`)
	eval[any](t, tab, moving)
	for _, v := range found {
		t.Errorf("%s: %s", page, v)
	}
}

// quiet watches a tab for script errors, console errors and broken rules of
// the Content-Security-Policy; call what it returns at the end, with what was
// to be expected.
func quiet(t *testing.T, tab context.Context) (check func(expected ...string)) {
	t.Helper()
	const end = "<<end>>"
	messages := chromedp.Console(tab)
	var mu sync.Mutex
	var bad []string
	done := make(chan struct{})
	go func() {
		defer close(done)
		for m, err := range messages {
			if err != nil {
				return
			}
			text := strings.TrimSpace(m.Text)
			if strings.Contains(text, end) {
				return
			}
			switch m.Type {
			case "error", "warning", "assert", chromedp.ConsoleException:
				mu.Lock()
				bad = append(bad, string(m.Type)+": "+text)
				mu.Unlock()
			}
		}
	}()
	return func(expected ...string) {
		t.Helper()
		eval[any](t, tab, "console.log('"+end+"')")
		select {
		case <-done:
		case <-time.After(5 * time.Second):
		}
		mu.Lock()
		defer mu.Unlock()
		for _, b := range bad {
			if slices.ContainsFunc(expected, func(e string) bool { return strings.Contains(b, e) }) {
				continue
			}
			t.Errorf("the page logs %s", b)
		}
	}
}

// mainButton is the button of a page that says some words.
func mainButton(words string) string {
	return `[...document.querySelectorAll('main button')].find((b) => b.innerText === '` + words + `')`
}

// setValue writes into a field, as somebody who types does.
func setValue(t *testing.T, tab context.Context, selector, text string) {
	t.Helper()
	eval[any](t, tab, `(() => { const i = document.querySelector(`+fmt.Sprintf("%q", selector)+`); Object.getOwnPropertyDescriptor(Object.getPrototypeOf(i), 'value').set.call(i, `+fmt.Sprintf("%q", text)+`); i.dispatchEvent(new Event('input', { bubbles: true })); i.dispatchEvent(new Event('change', { bubbles: true })) })()`)
}
