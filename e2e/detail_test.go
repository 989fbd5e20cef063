package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// TestConsole_ShowsWhatAnEventHolds: the attributes of breadcrumbs are shown, a
// dump of many goroutines is drawn as far as it is opened, and exact times can
// be reached without a mouse.
func TestConsole_ShowsWhatAnEventHolds(t *testing.T) {
	t.Parallel()
	project := "detail"
	key := shared.project(t, project)
	var threads []string
	for i := range 300 {
		threads = append(threads, fmt.Sprintf(`{"thread.id":"%d","waiting_on":"chan receive","stack":"goroutine %d [chan receive]:\nmain.wait%d(...)\n\t/src/wait.go:%d"}`, i, i, i, i+1))
	}
	body := `{"exceptions":[{"type":"Hang","message":"the plan gave no sign of life","stack":"goroutine 7 [select]:\nmain.plan(...)\n\t/src/plan.go:12"}],"resource":{"telemetry.sdk.language":"go","service.version":"1.6.0"},
"breadcrumbs":[{"time":"2026-11-23T04:39:01Z","kind":"call","message":"GET /tides","attributes":{"http.response.status_code":503,"berth.zone":"C"}}],"threads":[` + strings.Join(threads, ",") + `]}`
	if code, answer := shared.post(t, key, strings.ReplaceAll(body, "\n", " ")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	shared.settle(t)
	tab, check := signedIn(t, shared)
	open(t, tab, shared.url+"/p/"+project+"/issues/1")
	eventually(t, tab, "the breadcrumb's attributes", `document.getElementById('broke').innerText.includes('berth.zone = C') && document.getElementById('broke').innerText.includes('http.response.status_code = 503')`)
	eventually(t, tab, "the first goroutines", `document.body.innerText.includes('Show 50 more of 250')`)
	drawn := `[...document.querySelectorAll('#broke details')].filter((d) => d.innerText.startsWith('goroutine') && !d.open && d.children.length > 1).length`
	if n := eval[int](t, tab, drawn); n != 0 {
		t.Errorf("%d traces are drawn that nobody opened", n)
	}
	eval[any](t, tab, `[...document.querySelectorAll('#broke details')].find((d) => d.innerText.startsWith('goroutine')).querySelector('summary').click()`)
	eventually(t, tab, "the one that is opened", `[...document.querySelectorAll('#broke details')].find((d) => d.innerText.startsWith('goroutine')).children.length > 1`)
	eval[any](t, tab, `document.querySelector('time.tip').focus()`)
	eventually(t, tab, "the exact time on focus", `/\d\d:\d\d:\d\d \S+/.test(getComputedStyle(document.querySelector('time.tip'), '::after').content)`)
	accessible(t, tab, "an event with many goroutines")
	if err := chromedp.Do(tab, chromedp.EmulateViewport(390, 844)); err != nil {
		t.Fatal(err)
	}
	open(t, tab, shared.url+"/p/"+project+"/issues")
	eventually(t, tab, "users and last seen, on a narrow screen", `['users', 'seen'].every((name) => [...document.querySelectorAll('[role=columnheader]')].find((h) => h.innerText === name)?.offsetWidth > 0) && document.documentElement.scrollWidth <= 390`)
	check()
}
