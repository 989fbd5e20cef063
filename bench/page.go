package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"text/tabwriter"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/internal/chromium"
)

// clientDir is where the JavaScript client was built.
const clientDir = "client/js/dist"

// inPage measures what the client costs a page: its size, and the main
// thread's time in Chromium, beside what a page does anyway.
func inPage(ctx context.Context, s settings) error {
	fmt.Println("client in a page: compressed bytes")
	names, err := filepath.Glob(filepath.Join(clientDir, "*.js"))
	if err != nil || len(names) == 0 {
		return errors.Join(errors.New("client/js is not built: make build"), err)
	}
	out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	for _, name := range names {
		raw, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		var b bytes.Buffer
		z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
		if err != nil {
			return err
		}
		_, _ = z.Write(raw) // into memory
		if err := z.Close(); err != nil {
			return err
		}
		fmt.Fprintf(out, "  %s\t%d\t%d\n", filepath.Base(name), b.Len(), len(raw))
	}
	out.Flush()
	files := http.FileServer(http.Dir(clientDir))
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Method == http.MethodPost:
			w.Header().Set("Access-Control-Allow-Origin", "*")
			w.WriteHeader(http.StatusAccepted)
		case filepath.Ext(r.URL.Path) == ".js":
			files.ServeHTTP(w, r)
		default:
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<!doctype html><title>page</title><p>page")
		}
	}))
	defer site.Close()
	dir, err := os.MkdirTemp("", "firethorn-page")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	browser, stop, err := chromium.Start(ctx, dir)
	if err != nil {
		return err
	}
	defer stop()
	rows := []string{"loaded and run", "start", "a breadcrumb", "a report, the first", "a report", "a report held back",
		"JSON of the same event (the yardstick)"}
	seen := map[string][]float64{}
	for range 10 * s.rounds {
		if err := chromedp.Do(browser, chromedp.Navigate(site.URL)); err != nil {
			return err
		}
		got, err := chromedp.Run(browser,
			chromedp.Evaluate[map[string]float64](measureInPage, chromedp.EvalAwaitPromise))
		if err != nil {
			return err
		}
		for name, ms := range got {
			seen[name] = append(seen[name], ms)
		}
	}
	fmt.Println("client in a page: milliseconds of the main thread, median and worst of", 10*s.rounds, "pages")
	for _, name := range rows {
		list := seen[name]
		slices.Sort(list)
		if len(list) == 0 {
			return fmt.Errorf("nothing was measured of %q", name)
		}
		fmt.Fprintf(out, "  %s\t%.4f\t%.4f\n", name, list[len(list)/2], list[len(list)-1])
	}
	return out.Flush()
}

// settled is how long a page waits until what the client loads behind is there.
const settled = 1500 * time.Millisecond

// measureInPage measures in one page. Each report is of another kind, so that
// none is held back but in the row that says so.
var measureInPage = fmt.Sprintf(`(async () => {
	const out = {}
	const time = (name, n, fn) => { const t = performance.now(); for (let i = 0; i < n; i++) fn(i); out[name] = (performance.now() - t) / n }
	await (await fetch('/browser.js')).text() // read already: the network's time is not the client's
	let t = performance.now()
	const client = await import('/browser.js')
	out['loaded and run'] = performance.now() - t
	t = performance.now()
	client.start({ server: location.origin, key: 'in-0123456789', service: 'page', release: '1', environment: 'bench' })
	out['start'] = performance.now() - t
	await new Promise((done) => setTimeout(done, %d))
	time('a breadcrumb', 200, (i) => client.note('app', 'step ' + i, { n: i, tides: true }))
	const deep = (n) => (n ? deep(n - 1) : new Error('broken ' + 'x'.repeat(deep.i)))
	deep.i = 0
	time('a report, the first', 1, () => client.report(deep(20)))
	const errors = Array.from({ length: 40 }, (_, i) => ((deep.i = i + 1), deep(20)))
	let event
	time('a report', 40, (i) => client.report(errors[i]))
	const same = Array.from({ length: 1000 }, () => ((deep.i = 1), deep(20)))
	time('a report held back', 1000, (i) => client.report(same[i]))
	const key = Object.keys(localStorage).find((k) => k.includes('.events.'))
	event = JSON.parse(localStorage.getItem(key))
	time('JSON of the same event (the yardstick)', 200, () => JSON.stringify(event))
	return out
})()`, settled.Milliseconds())
