package main

import (
	"context"
	"fmt"
	"os"
	"slices"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/internal/chromium"
)

// inBrowser measures the console in a browser, over what finding made: the first page, a click
// on a facet, ten thousand events scrolled.
func (s *scene) inBrowser(ctx context.Context) error {
	var link struct {
		SignInLink string `json:"sign_in_link"`
	}
	if err := s.cli(ctx, &link, "person", "link", "Operator"); err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "look")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	browser, stop, err := chromium.Start(ctx, dir)
	if err != nil {
		return err
	}
	defer stop()
	if err := chromedp.Do(browser, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(link.SignInLink),
		chromedp.WaitVisible(chromedp.CSS("main h1"))); err != nil {
		return err
	}
	page := s.url + "/p/quayside/issues?facets=open"
	for _, step := range []struct{ what, path, script string }{
		{"first page, until the list stands", page, rowsStand},
		{"first page, until strip and facets stand, too", page, listStands},
		{"a click on a facet, until the new list stands", page, clickFacet},
		{"10,000 events read and scrolled through", s.url + "/p/quayside/events?window=24h", scrollEvents},
	} {
		var took []float64
		var last looked
		for range 7 {
			if err := chromedp.Do(browser, chromedp.Navigate("about:blank"), chromedp.Navigate(step.path)); err != nil {
				return err
			}
			last, err = chromedp.Run(browser, chromedp.Evaluate[looked](step.script, chromedp.EvalAwaitPromise))
			if err != nil {
				return fmt.Errorf("%s: %w", step.what, err)
			}
			took = append(took, last.Ms)
			if step.script == scrollEvents {
				break
			}
		}
		first := took[0]
		slices.Sort(took)
		fmt.Printf("%-48s p50 %s, worst %s, first %s; %d requests, %d kB", step.what, millis(took[len(took)/2]),
			millis(took[len(took)-1]),
			millis(first), last.Requests, last.Bytes/1000)
		if last.Frame > 0 {
			fmt.Printf("; longest frame %s, %d rows in the page", millis(last.Frame), last.Rows)
		}
		fmt.Println()
	}
	return nil
}

func millis(n float64) string {
	return time.Duration(n * float64(time.Millisecond)).Round(time.Millisecond).String()
}

// looked is what a script found out.
type looked struct {
	Ms, Frame             float64
	Requests, Bytes, Rows int
}

const counted = `
const all = () => performance.getEntriesByType('resource')
const until = (test) => new Promise((done,
	fail) => { const t = setTimeout(() => fail(new Error('it took too long')),
	60000); const look = () => (test() ? (clearTimeout(t), done()) : requestAnimationFrame(look)); look() })
const told = (ms, more = {}) => ({ Ms: ms, Frame: 0, Rows: 0, Requests: all().length, Bytes: all().reduce((n,
	e) => n + (e.transferSize || 0), 0), ...more })
const rows = () => document.querySelectorAll('[role=row][aria-selected]').length
const stands = () => rows() > 0 && document.querySelector('[data-chart] canvas') &&
	document.querySelector('aside li button')
`

const rowsStand = `(async () => {` + counted + `
await until(() => rows() > 0)
return told(performance.now())
})()`

const listStands = `(async () => {` + counted + `
await until(stands)
return told(performance.now())
})()`

const clickFacet = `(async () => {` + counted + `
await until(stands)
const before = all().length, began = performance.now()
document.querySelector('aside section:last-of-type li button').click()
await until(() => all().slice(before).some((e) => e.name.includes('/issues?') && e.name.includes('search=')) &&
	rows() > 0)
await new Promise((f) => requestAnimationFrame(() => requestAnimationFrame(f)))
return told(performance.now() - began)
})()`

const scrollEvents = `(async () => {` + counted + `
const more = () => [...document.querySelectorAll('main button')].find((b) => b.innerText === 'Load more' && !b.disabled)
await until(more)
const began = performance.now()
for (let i = 1; i < 100; i++) { more().click(); await until(() => !more()); await until(more) }
const read = performance.now() - began
let frame = 0, at = performance.now()
for (let y = 0; y < document.documentElement.scrollHeight; y += 700) {
  scrollTo(0, y)
  await new Promise((f) => requestAnimationFrame(f))
  frame = Math.max(frame, performance.now() - at)
  at = performance.now()
}
return told(read, { Frame: frame, Rows: document.querySelectorAll('main tbody tr').length })
})()`
