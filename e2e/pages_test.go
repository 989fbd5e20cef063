package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// Every page, in both themes on a wide screen, and on a narrow one: axe-core finds
// nothing wrong with it, and it does not scroll sideways.
func TestPages(t *testing.T) {
	t.Parallel()
	s, p := shared, "pages"
	key := s.project(t, p)
	var events []string
	for n, f := range []string{"tideAt", "zoneOf", "draw", "tideAt"} {
		events = append(events, event(f, fmt.Sprint("p-", n), "4.2.0"))
	}
	s.post(t, key, strings.Join(events, "\n"))
	s.settle(t)
	s.run(t, 0, "issue", "assign", p+"/2", "--to", "Operator")
	for _, size := range []struct{ width, height int64 }{{1280, 800}, {390, 844}} {
		for _, theme := range []string{"blossom", "hedge"} {
			if theme == "hedge" && size.width < 1000 {
				continue // colours do not change with the width
			}
			t.Run(fmt.Sprintf("%s at %d", theme, size.width), func(t *testing.T) {
				t.Parallel()
				lookAtAll(t, s, theme, size.width, size.height)
			})
		}
	}
}

func lookAtAll(t *testing.T, s *service, theme string, width, height int64) {
	tab, check := signedIn(t, s)
	if err := chromedp.Do(tab, chromedp.EmulateViewport(width, height)); err != nil {
		t.Fatal(err)
	}
	eval[any](t, tab, "localStorage.setItem('firethorn.theme', '"+theme+"')")
	for _, path := range []string{
		"/", "/p/pages/round", "/p/pages/issues", "/p/pages/issues?facets=open&search=tideAt", "/p/pages/issues/1", "/p/pages/issues/1?facets=open", "/p/pages/events?stack=release&second=environment", "/p/pages/users", "/p/pages/users/p-1", "/p/pages/releases", "/p/pages/releases?release=4.2.0", "/p/pages/received", "/p/pages/symbols", "/p/pages/rules", "/p/pages/grouping", "/p/pages/impact", "/p/pages/set-up", "/p/pages/settings", "/p/pages/sessions", "/owners", "/notices", "/people", "/service", "/audit", "/tokens", "/sign-ins", "/p/pages/alerts", "/p/pages/alerts?ask=new", "/destinations", "/notice-settings",
	} {
		open(t, tab, s.url+path)
		eventually(t, tab, path, `!document.body.innerText.includes('Loading …') && document.documentElement.dataset.theme === '`+theme+`'`)
		if theme == "blossom" {
			accessible(t, tab, path)
		} else { // the same page in other colours
			contrasting(t, tab, path)
		}
		if wide := eval[int64](t, tab, "document.documentElement.scrollWidth"); wide > width {
			t.Errorf("%s scrolls sideways: it is %d wide: %s", path, wide, eval[string](t, tab, "[...document.querySelectorAll('main *')].filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest('[class*=overflow-x-auto]')).slice(0, 3).map((e) => e.outerHTML.slice(0, 120)).join(' | ')"))
		}
	}
	check()
}
