package handbook

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/go-chi/chi/v5"

	"firethorn/docs"
)

// A reader who knows nothing of this product, and asks by the trade's terms, lands on the page that
// answers.
func TestSearch_ByStandardTerms(t *testing.T) {
	pages, err := Read(docs.Files)
	if err != nil {
		t.Fatal(err)
	}
	index := NewIndex(pages)
	for asked, want := range map[string]string{
		"dead letter":           "operations, troubleshooting",
		"rate limit":            "operations, rules, troubleshooting",
		"source map":            "symbols",
		"regression":            "releases",
		"deduplicate":           "event-format, troubleshooting, signals",
		"deduplication":         "event-format, troubleshooting, signals",
		"retention":             "operations",
		"backup":                "operations",
		"restore backup":        "operations",
		"proxy":                 "operations",
		"CSP":                   "troubleshooting, threat-model",
		"GDPR erase":            "operations",
		"webhook signature":     "alerts, tickets",
		"upgrade":               "operations",
		"crash-free sessions":   "quality",
		"escalation to a pager": "alerts",
		"fingerprint":           "grouping",
		"sampling":              "event-format, operations",
		"OpenTelemetry":         "signals",
		"health check":          "operations, quality",
		"prometheus metrics":    "operations",
		"minified stack trace":  "stack-traces, symbols, troubleshooting",
		"assign to a team":      "owners",
		"API token":             "people, operations",
		"personal data":         "rules",
	} {
		hits := index.Search(asked, 3)
		found := ""
		ok := false
		for i, h := range hits {
			found += h.Page + "#" + h.Anchor + " "
			ok = ok || i < 2 && strings.Contains(", "+want+",", ", "+h.Page+",")
		}
		if !ok {
			t.Errorf("%q leads to %s, want %s among the first two", asked, found, want)
		}
	}
	if hits := index.Search("xylophone", 5); len(hits) != 0 {
		t.Errorf("a word that no page has is found in %v", hits)
	}
	if hits := index.Search("  ", 5); len(hits) != 0 {
		t.Errorf("nothing is found in %v", hits)
	}
}

func TestSearch_TakesPluralsAndBeginnings(t *testing.T) {
	index := NewIndex([]Page{
		read("tides", "# Tides\n\nWhen boats may leave.\n\n## Berths\n\nA berth holds one boat.\n"),
		read("fares", "# Fares\n\nWhat a crossing costs. Boats are not mentioned twice.\n"),
	})
	for asked, want := range map[string]string{"berth": "tides#berths", "boat costs": "fares#fares", "cross": "fares#fares", "BERTHS": "tides#berths", "tides": "tides#tides"} {
		hits := index.Search(asked, 5)
		if len(hits) == 0 || hits[0].Page+"#"+hits[0].Anchor != want {
			t.Errorf("%q: %+v, want %s", asked, hits, want)
		}
	}
	if got := index.Search("berth", 1)[0].Excerpt; got != "A berth holds one boat." {
		t.Errorf("excerpt %q", got)
	}
}

// serve answers a request to the pages of a directory.
func serve(t *testing.T, files fstest.MapFS, address string) *httptest.ResponseRecorder {
	t.Helper()
	h, err := NewHandler(files)
	if err != nil {
		t.Fatal(err)
	}
	r := chi.NewRouter()
	h.Routes(r)
	w := httptest.NewRecorder()
	r.ServeHTTP(w, httptest.NewRequest(http.MethodGet, address, nil))
	return w
}

func TestHandler(t *testing.T) {
	files := fstest.MapFS{
		"README.md":             {Data: []byte("# Start\n\n[Tides](tides.md#how-high) [code](../internal/tides) [why](decisions/0001-low.md)\n")},
		"tides.md":              {Data: []byte("# Tides & more\n\n## How high\n\n<script>alert(1)</script>\n\nIt holds that `a<b`.\n\n| a | b |\n|---|---|\n| 1 | 2 |\n")},
		"decisions/0001-low.md": {Data: []byte("# 1. Low water\n\nSee [tides](../tides.md) and [a file](../trackers/rest.yaml).\n")},
		"trackers/rest.yaml":    {Data: []byte("kind: rest\n")},
	}
	for _, c := range []struct {
		address string
		status  int
		has     []string
		hasNot  []string
	}{
		{"/docs", 200, []string{`<a href="/docs/tides#how-high">Tides</a>`, "code", `href="/docs/decisions/0001-low"`}, []string{"internal/tides"}},
		{"/docs/tides", 200, []string{`id="how-high"`, "<table>", "Tides &amp; more", "<code>a&lt;b</code>"}, []string{"<script>alert"}},
		{"/docs/tides.md", 200, []string{`id="how-high"`}, nil},
		{"/docs/decisions/0001-low", 200, []string{`href="/docs/tides"`, `href="/docs/trackers/rest.yaml"`}, nil},
		{"/docs/decisions", 200, []string{"Low water"}, nil},
		{"/docs/trackers/rest.yaml", 200, []string{"kind: rest"}, []string{"<html"}},
		{"/docs/style.css", 200, []string{"--paper"}, nil},
		{"/docs/nothing", 404, []string{"No such page", "nothing"}, nil},
		{"/docs/..%2f..%2fetc%2fpasswd.yaml", 404, []string{"No such page"}, nil},
		{"/docs?q=" + url.QueryEscape("<b>high"), 200, []string{"&lt;b&gt;high", `href="/docs/tides#how-high"`}, []string{"<b>high"}},
		{"/docs?q=xylophone", 200, []string{"No page has these words"}, nil},
	} {
		w := serve(t, files, c.address)
		if w.Code != c.status || !strings.Contains(w.Header().Get("Content-Security-Policy"), "default-src 'none'") {
			t.Errorf("%s: %d, %v", c.address, w.Code, w.Header())
		}
		for _, s := range c.has {
			if !strings.Contains(w.Body.String(), s) {
				t.Errorf("%s lacks %s:\n%s", c.address, s, w.Body)
			}
		}
		for _, s := range c.hasNot {
			if strings.Contains(w.Body.String(), s) {
				t.Errorf("%s has %s", c.address, s)
			}
		}
	}
}

var hrefs = regexp.MustCompile(`href="(/docs[^"]*)"`)

// Every link of the pages leads to a page, and to a heading that it has.
func TestLinksLeadSomewhere(t *testing.T) {
	h, err := NewHandler(docs.Files)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range h.pages {
		for _, m := range hrefs.FindAllStringSubmatch(string(p.HTML), -1) {
			page, anchor, _ := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(m[1], Root), "/"), "#")
			if strings.HasSuffix(page, ".yaml") {
				continue
			}
			to := h.pages[page]
			if page == "" {
				to = h.pages[frontPage]
			}
			if to == nil || anchor != "" && !strings.Contains(string(to.HTML), `id="`+anchor+`"`) {
				t.Errorf("%s links to %s, which is not there", p.Name, m[1])
			}
		}
	}
}

// Every page is in the menu once: the front page names it.
func TestMenu_HasEveryPage(t *testing.T) {
	h, err := NewHandler(docs.Files)
	if err != nil {
		t.Fatal(err)
	}
	listed := map[string]int{frontPage: 1}
	for _, g := range h.menu {
		for _, e := range g.Pages {
			listed[e.Name]++
		}
	}
	for name := range h.pages {
		if !strings.Contains(name, "/") && listed[name] != 1 {
			t.Errorf("the front page names %s %d times", name, listed[name])
		}
	}
}

var addresses = regexp.MustCompile(`'(/docs[^']*)'`)

// The console links each page to the one that explains it.
func TestLinksOfTheConsoleLeadSomewhere(t *testing.T) {
	h, err := NewHandler(docs.Files)
	if err != nil {
		t.Fatal(err)
	}
	source, err := os.ReadFile("../../console/src/frame/pages.ts")
	if err != nil {
		t.Fatal(err)
	}
	found := addresses.FindAllSubmatch(source, -1)
	if len(found) < 20 {
		t.Fatalf("only %d links are found in pages.ts", len(found))
	}
	for _, m := range found {
		page, anchor, _ := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(string(m[1]), Root), "/"), "#")
		if page == "" {
			continue
		}
		if to := h.pages[page]; to == nil || anchor != "" && !strings.Contains(string(to.HTML), `id="`+anchor+`"`) {
			t.Errorf("the console links to %s, which is not there", m[1])
		}
	}
}

// Ten questions about grouping, regressions and retention: the answer is in a section that the search
// names among its first three.
func TestSearch_LeadsToAnswers(t *testing.T) {
	pages, err := Read(docs.Files)
	if err != nil {
		t.Fatal(err)
	}
	index := NewIndex(pages)
	for asked, answer := range map[string]string{
		"how long are failed events kept":                      "for 30 days",
		"which bodies of events are kept":                      "the first hundred of an issue",
		"how long are trends by hour kept":                     "30 days",
		"older release than the fix: is there an alarm?":       "expected until everybody has updated",
		"does a cherry-pick contain the fix":                   "patch-id",
		"what does a fingerprint never use":                    "lines, columns, hosts",
		"does adopting a version of the algorithm move issues": "Adopting a version changes no issue",
		"does a pushed rule change stored events":              "apply the current rules and version to stored events",
		"events without a body in a split":                     "how many",
		"number of a deleted issue":                            "not used again",
	} {
		found := ""
		for _, h := range index.Search(asked, 3) {
			for _, s := range index.sections {
				if s.Page == h.Page && s.Anchor == h.Anchor {
					found += s.Page + "#" + s.Anchor + ": " + s.text + "\n"
				}
			}
		}
		if !strings.Contains(found, answer) {
			t.Errorf("%q is not answered by %q in\n%.600s", asked, answer, found)
		}
	}
}
