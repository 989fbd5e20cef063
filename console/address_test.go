package console

import (
	"regexp"
	"strings"
	"testing"
)

// What an address says, and the shortest that says the same.
func TestAddress(t *testing.T) {
	usual := m{"state": "open", "order": "impact", "search": "", "window": "", "stack": "", "second": "", "facets": ""}
	special := m{"state": "all", "order": "users", "search": "it's <b>", "window": "", "stack": "", "second": "", "facets": ""}
	params := func(s string) m { return m{"$params": s} }
	check(t, "address", []call{
		{usual, "read", []any{"issues", params("")}}, {usual, "read", []any{"issues", params("state=nonsense&order=1")}},
		{special, "read", []any{"issues", params("state=all&order=users&text=it%27s+%3Cb%3E")}},
		{"", "write", []any{"issues", usual}}, {"state=all&order=users&search=it%27s+%3Cb%3E", "write", []any{"issues", special}},
		{m{"hours": 24}, "read", []any{"received", params("hours=-3")}}, {m{"hours": 168}, "read", []any{"received", params("hours=168&state=all")}},
		{m{"do": "", "event": "newest", "search": "plan:gold", "window": "14d", "stack": "", "second": "", "facets": "open"}, "read", []any{"issue", params("event=&search=plan:gold&window=14d&facets=open")}}, {"", "write", []any{"issue", m{"event": "newest"}}},
		{m{}, "read", []any{"impact", params("text=x")}},
		{"/p/quayside/issues/12", "issueAt", []any{"quayside/12"}}, {"/p/quayside/issues/12?event=01a2", "issueAt", []any{"quayside/12", "01a2"}},
		{"/p/quayside/symbols?release=4.2.0%2B1", "pageAt", []any{"quayside", "symbols", m{"release": "4.2.0+1", "event": ""}}},
		{"/p/quayside/issues", "pageAt", []any{"quayside", "issues"}}, {"/p/quay%3Fside/releases", "pageAt", []any{"quay?side", "releases", m{}}},
		{"/round", "roundAt", []any{}}, {"/p/quayside/round", "roundAt", []any{"quayside"}}, {"/t/0af7%2F..", "traceAt", []any{"0af7/.."}},
	})
}

// Addresses are made and read in one module.
func TestTree_AddressesStandInOneModule(t *testing.T) {
	made := regexp.MustCompile("[`'\"]/(p|t)/|useSearchParams|URLSearchParams\\((?:\\w+\\.)*search|\\.searchParams")
	at := map[string]bool{"src/core/address.ts": true, "src/shared/address.ts": true, "src/main.tsx": true, "src/frame/frame.tsx": true, "src/frame/bar.tsx": true, "src/components.tsx": true}
	for file, text := range sources(t) {
		for n, line := range strings.Split(text, "\n") {
			if made.MatchString(line) && !at[file] {
				t.Errorf("%s:%d: take the address from core/address.ts: %s", file, n+1, strings.TrimSpace(line))
			}
		}
	}
}

// Pages know what is shared and not each other; what is shared knows no page.
func TestTree_PagesStandApart(t *testing.T) {
	below := map[string]string{"core": "core", "api": "core api", "shared": "core api shared", "projects": "core api shared projects",
		"decide": "core api shared decide", "search": "core api shared search", "event": "core api shared event",
		"issues": "core api shared decide search issues projects"}
	for file, text := range sources(t) {
		own := strings.Split(file, "/")[1]
		if own == "main.tsx" {
			continue
		}
		may, ok := below[own]
		if !ok {
			may = "core api shared decide search event " + own
		}
		for _, m := range imports.FindAllStringSubmatch(text, -1) {
			if parts := strings.Split(m[1], "/"); parts[0] == ".." && !strings.Contains(" "+may+" ", " "+parts[1]+" ") {
				t.Errorf("%s imports %s: move what both need to shared", file, m[1])
			}
		}
	}
}
