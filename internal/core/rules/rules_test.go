package rules

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/scrub"
)

func read(t testing.TB, text string) *Set {
	t.Helper()
	set, problems := Read(text)
	if len(problems) > 0 {
		t.Fatalf("problems of\n%s\n%v", text, problems)
	}
	return set
}

func facts(t testing.TB, raw string, frames ...event.Frame) *Facts {
	t.Helper()
	e, err := event.Decode([]byte(raw), event.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	return NewFacts(e, time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC), func() [][]event.Frame { return [][]event.Frame{frames} })
}

const tide = `{"handled":false,"exceptions":[{"type":"TypeError","message":"Cannot read properties of undefined (reading 'tide')"}],
"resource":{"service.version":"4.1.9","deployment.environment.name":"production"},
"attributes":{"user_agent.original":"Mozilla/5.0 (compatible; Tidebot/2.1; +https://tidebot.example)","fare.items":3,"berth.zone":"C"},
"breadcrumbs":[{"kind":"page","message":"/day/365"}]}`

func TestDecide_Conditions(t *testing.T) {
	own := event.Frame{Function: "tideAt", File: "src/timetable/tides.ts", Line: 48, Kind: event.Own, Raw: event.Position{File: "https://quayside.example/assets/app-3f2a.js"}}
	foreign := event.Frame{Function: "x", File: "moz-extension://9/inject.js", Kind: event.Vendor, Raw: event.Position{File: "moz-extension://9/inject.js"}}
	for when, want := range map[string]bool{
		`true`: true, `message.contains("tide")`: true, `message.contains("Tide")`: false, `message.lower().glob("cannot*'tide')")`: true,
		`exception.type == "TypeError"`: true, `exceptions.exists(x, x.message.matches("reading '[a-z]+'"))`: true, `exceptions.size() == 2`: false,
		`attr("berth.zone") == "C"`: true, `attr("no.such") == ""`: true, `attr("fare.items") == "3"`: true, `number("fare.items") > 2.0`: true,
		`number("no.such") < 1.0 || number("no.such") >= 1.0`: false, `has_attr("berth.zone") && !has_attr("no.such")`: true, `attr("service.version") == release`: true,
		`crawler(attr("user_agent.original"))`: true, `release.before("4.2.0")`: true, `release.before("4.1.9")`: false, `"build 7".before("9")`: false,
		`environment == "production" && unhandled && !handled`: true, `severity == "error"`: true, `stands_for == 1`: true,
		`frames.exists(f, f.kind == "own" && f.path.glob("src/*/tides.ts") && f.line == 48)`: true, `frames.exists(f, extension(f.file))`: true,
		`frames.all(f, f.kind == "vendor")`: false, `breadcrumbs.exists(b, b.kind == "page")`: true, `time > timestamp("2026-11-23T08:00:00Z")`: true, `scope == "" && trace_id == ""`: true,
	} {
		set := read(t, "intake:\n- name: r\n  do: drop\n  when: "+quote(when))
		v, trouble := set.Decide(facts(t, tide, own, foreign), nil)
		if len(trouble) > 0 || v.Drop != want {
			t.Errorf("%s gives %v, %v", when, v, trouble)
		}
	}
}

func quote(s string) string { raw, _ := json.Marshal(s); return string(raw) }

func TestCrawlerAndExtension(t *testing.T) {
	for agent, want := range map[string]bool{
		"Mozilla/5.0 (compatible; Tidebot/2.1)": true, "harbour-spider 1": true, "Mozilla/5.0 (X11) HeadlessX/148": true, "curl (+https://a.example)": true,
		"Mozilla/5.0 (Linux; Android 14; Cubot X30)": true, // a phone that is named like one: an exception above says so
		"Mozilla/5.0 (Linux; Android 14; Pixel)":     false, "": false, "botany reader": false,
	} {
		if got := crawler(agent); got != want {
			t.Errorf("crawler(%q) = %v", agent, got)
		}
	}
	for file, want := range map[string]bool{"chrome-extension://abc/x.js": true, "safari-web-extension://1/x.js": true, "https://a.example/extension.js": false, "": false} {
		if got := extension(file); got != want {
			t.Errorf("extension(%q) = %v", file, got)
		}
	}
}

func TestDecide_FirstThatFits(t *testing.T) {
	set := read(t, `
intake:
  - {name: gate stays, when: 'attr("berth.zone") == "C"', do: keep}
  - {name: no tides, when: 'message.contains("tide")', do: drop}
`)
	if v, _ := set.Decide(facts(t, tide), nil); v != (Verdict{"gate stays", false}) {
		t.Errorf("the first rule does not decide: %v", v)
	}
	if v, _ := set.Decide(facts(t, tide), func(rule string) bool { return rule == "gate stays" }); v != (Verdict{"no tides", true}) {
		t.Errorf("a rule that is off decides: %v", v)
	}
	if v, _ := set.Decide(facts(t, `{"message":"berthed"}`), nil); v != (Verdict{}) {
		t.Errorf("no rule fits, yet %v", v)
	}
	if v, _ := (*Set)(nil).Decide(facts(t, tide), nil); v != (Verdict{}) {
		t.Errorf("no rules at all, yet %v", v)
	}
}

func TestDecide_Trouble(t *testing.T) {
	set := read(t, `
intake:
  - {name: fails, when: 'exceptions[3].type == "x"', do: drop}
  - {name: costs, when: 'breadcrumbs.exists(a, breadcrumbs.exists(b, breadcrumbs.exists(c, a.message + b.message == c.message)))', do: drop}
  - {name: last, when: 'message == "many"', do: drop}
`)
	raw := `{"message":"many","breadcrumbs":[` + strings.TrimSuffix(strings.Repeat(`{"message":"/day/366"},`, 200), ",") + `]}`
	v, trouble := set.Decide(facts(t, raw), nil)
	if v != (Verdict{"last", true}) {
		t.Errorf("the rule below decides not: %v", v)
	}
	if len(trouble) != 2 || trouble[0].Rule != "fails" || trouble[0].TooCostly || trouble[1].Rule != "costs" || !trouble[1].TooCostly {
		t.Errorf("trouble is %v", trouble)
	}
}

func TestDecide_AllTogetherAreBounded(t *testing.T) {
	var b strings.Builder
	b.WriteString("intake:\n")
	for i := range 60 {
		fmt.Fprintf(&b, "- {name: r%d, do: drop, when: 'breadcrumbs.exists(a, breadcrumbs.exists(b, a.message == b.message + \"%d\"))'}\n", i, i)
	}
	raw := `{"message":"m","breadcrumbs":[` + strings.TrimSuffix(strings.Repeat(`{"message":"/day"},`, 20), ",") + `]}`
	_, trouble := read(t, b.String()).Decide(facts(t, raw), nil)
	if len(trouble) == 0 || !trouble[len(trouble)-1].TooCostly || !strings.Contains(trouble[len(trouble)-1].Why, "all rules together") {
		t.Errorf("60 rules that cost much: %v", trouble)
	}
}

func TestRead_Problems(t *testing.T) {
	for name, c := range map[string]struct {
		text         string
		line, column int
		message      string
		suggestion   string
	}{
		"an unknown section":         {"intak:\n- name: x\n", 1, 1, `"intak" is no field here`, "intake"},
		"an unknown field":           {"intake:\n- name: x\n  wen: 'true'\n  do: drop\n", 3, 3, `"wen" is no field here`, "when"},
		"an unknown act":             {"intake:\n- {name: x, when: 'true', do: dorp}\n", 2, 31, "drop, keep", "drop"},
		"no name":                    {"intake:\n- {when: 'true', do: drop}\n", 2, 3, "needs the field name", ""},
		"no condition":               {"intake:\n- {name: x, do: drop}\n", 2, 3, "needs the field when", ""},
		"no act":                     {"intake:\n- {name: x, when: 'true'}\n", 2, 3, "needs the field do", ""},
		"a name twice":               {"intake:\n- {name: x, when: 'true', do: drop}\n- {name: x, when: 'true', do: drop}\n", 3, 10, "line 2 has a rule", ""},
		"no YAML":                    {"intake:\n  - name: 'x\n", 0, 1, "no YAML", ""},
		"an anchor":                  {"a: &a [x]\nb: [*a, *a]\n", 1, 4, "anchors", ""},
		"a merge":                    {"intake:\n- {name: x}\n- <<: {name: y}\n", 3, 3, "merge keys", ""},
		"two documents":              {"intake: []\n---\nintake: []\n", 2, 1, "one document", ""},
		"a list at the top":          {"- name: x\n", 1, 1, "begins with the name of a section", ""},
		"a section that is no list":  {"intake:\n  name: x\n", 2, 3, "a list of rules", ""},
		"another schema":             {"schema: 2\n", 1, 9, "schema 1", ""},
		"a word that is not known":   {"intake:\n- name: x\n  do: drop\n  when: mesage.contains(\"x\")\n", 4, 9, "there is no mesage", "message"},
		"a field that is not known":  {"intake:\n- name: x\n  do: drop\n  when: exception.typ == \"x\"\n", 4, 18, "no field typ", "type"},
		"a function not known":       {"intake:\n- name: x\n  do: drop\n  when: crawlr(\"x\")\n", 4, 9, "there is no crawlr", "crawler"},
		"types that do not fit":      {"intake:\n- name: x\n  do: drop\n  when: stands_for == \"1\"\n", 4, 20, "== does not work on int, string", ""},
		"a condition over lines":     {"intake:\n- name: x\n  do: drop\n  when: |\n    message == \"a\" ||\n    mesage == \"b\"\n", 6, 5, "there is no mesage", "message"},
		"a condition in quotes":      {"intake:\n- name: x\n  do: drop\n  when: 'true && mesage == \"b\"'\n", 4, 18, "there is no mesage", "message"},
		"a condition that is a text": {"intake:\n- name: x\n  do: drop\n  when: message\n", 4, 9, "must be true or false", ""},
		"a broken condition":         {"intake:\n- name: x\n  do: drop\n  when: message ==\n", 4, 0, "the end", ""},
		"a pattern from the event":   {"intake:\n- name: x\n  do: drop\n  when: message.matches(attr(\"x\"))\n", 4, 0, "must be a text in quotes, written in the rule itself", ""},
		"a pattern that explodes":    {"intake:\n- name: x\n  do: drop\n  when: message.matches('((a{100}){100}){100}')\n", 4, 25, "cannot be read", ""},
		"a bad pattern":              {"scrub:\n- name: x\n  match: '('\n", 3, 11, "cannot be read", ""},
		"a pattern that fits all":    {"scrub:\n- name: x\n  match: 'a*'\n", 3, 11, "fits everywhere", ""},
		"a name that fits all":       {"scrub:\n- name: x\n  names: ['*']\n", 3, 11, "fits every name", ""},
		"an unknown kind":            {"scrub:\n- name: x\n  kinds: [tokn]\n", 3, 11, "no kind of secret", "token"},
		"nothing to act on":          {"scrub:\n- name: x\n  do: keep\n", 2, 3, "names, kinds or match", ""},
		"the name of a kind":         {"scrub:\n- name: card\n  kinds: [card]\n", 2, 9, "the name of a kind", ""},
		"a thousand rules":           {"intake:\n" + strings.Repeat("- {name: x, when: 'true', do: drop}\n", 1000), 502, 3, "500 are the most", ""},
		"a pattern too long":         {"scrub:\n- name: x\n  match: " + strings.Repeat("a", 1025) + "\n", 3, 10, "1024 are the most", ""},
		"a huge file":                {strings.Repeat("#", MaxBytes+1), 1, 1, "are the most", ""},
	} {
		t.Run(name, func(t *testing.T) {
			set, problems := Read(c.text)
			if len(problems) == 0 || set != nil {
				t.Fatalf("no problem in\n%s", c.text)
			}
			p := problems[0]
			if c.line > 0 && p.Line != c.line || c.column > 0 && p.Column != c.column || !strings.Contains(p.Message, c.message) || p.Suggestion != c.suggestion {
				t.Errorf("got %v (%d:%d), want %d:%d %s, suggestion %q", p, p.Line, p.Column, c.line, c.column, c.message, c.suggestion)
			}
		})
	}
}

func TestRead_ManyProblemsAtOnce(t *testing.T) {
	_, problems := Read("intake:\n- {name: a, when: 'x', do: drop}\n- {name: b, when: 'y', do: drop}\nscrub:\n- {name: c, kinds: [z]}\n")
	if len(problems) != 3 || problems[0].Rule != "a" || problems[1].Rule != "b" || problems[2].Section != "scrub" {
		t.Errorf("problems are %v", problems)
	}
	if got := problems[0].String(); got != `2:19: intake rule "a": there is no x` && !strings.HasPrefix(got, `2:20: intake rule "a": there is no x`) {
		t.Errorf("a problem reads %s", got)
	}
}

func TestRead_Scrub(t *testing.T) {
	set := read(t, `
schema: 1
scrub:
  - {name: orders, names: order.number, kinds: [card], do: keep}
  - name: passes
    match: 'MSF-\d{6}'
  - {name: mail, kinds: email, do: shorten}
`)
	got, report := set.Policy().Text("MSF-123456 for ines@ferries.example", "message")
	if got != "[scrubbed] for i***@ferries.example" || len(report) != 2 || report[0].Rule != "passes" || report[1].Rule != "mail" {
		t.Errorf("scrubbed: %s %v", got, report)
	}
	for _, empty := range []string{"", "# nothing yet\n", "intake:\nscrub: []\n", "---\n"} {
		if p := read(t, empty).Policy(); !reflect.DeepEqual(p, scrub.NewPolicy(nil)) {
			t.Errorf("%q has a policy: %v", empty, p)
		}
	}
}

// The published form and what is read must be the same.
func TestSchema(t *testing.T) {
	var s struct {
		Properties map[string]struct {
			Items struct {
				Properties map[string]any
			}
		}
		Defs map[string]struct{ Enum []string } `json:"$defs"`
	}
	if err := json.Unmarshal(Schema, &s); err != nil {
		t.Fatal(err)
	}
	for section, fields := range map[string][]string{"intake": {"name", "when", "do"}, "scrub": {"name", "names", "kinds", "match", "do"}} {
		got := s.Properties[section].Items.Properties
		for _, f := range fields {
			if got[f] == nil {
				t.Errorf("the schema misses %s.%s", section, f)
			}
		}
		if len(got) != len(fields) {
			t.Errorf("the schema knows of %s: %v", section, got)
		}
	}
	if !slices.Equal(s.Defs["kind"].Enum, kindWords()) {
		t.Errorf("kinds of the schema: %v", s.Defs["kind"].Enum)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("intake:\n- name: x\n  do: drop\n  when: |\n    message == \"a\" ||\n    mesage == \"b\"\n")
	f.Add("scrub:\n- {name: passes, match: 'MSF-\\d{6}', names: [a, b], kinds: [card], do: shorten}\n")
	f.Add("a: &a [*a]\n")
	f.Fuzz(func(t *testing.T, text string) {
		set, problems := Read(text)
		if (set == nil) != (len(problems) > 0) {
			t.Fatalf("%q: set %v, problems %v", text, set, problems)
		}
		for _, p := range problems {
			if p.Line < 1 || p.Column < 1 || p.Message == "" {
				t.Errorf("%q: problem %+v", text, p)
			}
		}
		if set != nil {
			set.Decide(facts(t, tide), nil)
			set.Policy().Text("password=hunter2", "m")
		}
	})
}

func BenchmarkDecide(b *testing.B) {
	for name, when := range map[string]string{
		"one look": `attr("user_agent.original").contains("bot")`, "crawler": `crawler(attr("user_agent.original"))`,
		"40 frames": `frames.exists(f, extension(f.file))`, "too costly": `frames.exists(a, frames.exists(b, frames.exists(c, a.file + b.file == c.file)))`,
	} {
		set := read(b, "intake:\n- name: r\n  do: drop\n  when: "+quote(when))
		frames := make([]event.Frame, 40)
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				f := facts(b, `{"message":"m"}`, frames...)
				f.event.Attributes = event.Attributes{"user_agent.original": "Mozilla/5.0 (X11; Linux x86_64)"}
				set.Decide(f, nil)
			}
		})
	}
}

func TestRead_Frames(t *testing.T) {
	set, faults := Read("frames:\n  - name: ours\n    path: node_modules/@marrow/*\n    do: own\n  - name: copied\n    path: [src/lib/*, src/other/*]\n    function: 'md5*'\n    do: vendor\n  - name: asked\n    module: src/net/*\n    do: look-through\n")
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	want := []FrameRule{{Name: "ours", Path: "node_modules/@marrow/*", Kind: event.Own}, {Name: "copied", Path: "src/lib/*", Function: "md5*", Kind: event.Vendor}, {Name: "copied", Path: "src/other/*", Function: "md5*", Kind: event.Vendor}, {Name: "asked", Module: "src/net/*", Kind: event.Own, LookThrough: true}}
	if !slices.Equal(set.Frames, want) {
		t.Errorf("%+v, want %+v", set.Frames, want)
	}
	for text, words := range map[string]string{
		"frames:\n  - name: a\n    path: x\n":               "needs the field do: own, vendor or look-through",
		"frames:\n  - name: a\n    do: own\n":               "give path, module or function",
		"frames:\n  - name: a\n    path: x\n    do: ours\n": "do is one of own, vendor, look-through",
		"frames:\n  - name: a\n    file: x\n    do: own\n":  "file",
		"frames:\n  - name: a\n    path: []\n    do: own\n": "path is empty",
	} {
		if _, faults := Read(text); len(faults) == 0 || !strings.Contains(faults[0].Message, words) {
			t.Errorf("%q: %v, want %q", text, faults, words)
		}
	}
}

// The sections of a file share one budget for an event, in parts that do not
// depend on each other: what all of them ask costs no more than it.
func TestBudget_IsGivenOnce(t *testing.T) {
	var file strings.Builder
	for _, section := range []struct{ head, rest string }{{"intake", "do: drop"}, {"grouping", "extend: x"}, {"assign", "to: Maren Holt"}} {
		file.WriteString(section.head + ":\n")
		for i := range 60 {
			fmt.Fprintf(&file, "- {name: %s-%d, %s, when: 'breadcrumbs.exists(a, breadcrumbs.exists(b, a.message == b.message + \"%d\"))'}\n", section.head, i, section.rest, i)
		}
	}
	set := read(t, file.String())
	f := facts(t, `{"message":"m","breadcrumbs":[`+strings.TrimSuffix(strings.Repeat(`{"message":"/day"},`, 20), ",")+`]}`)
	one, cost, err := set.Intake[0].when.holds(f)
	if one || err != nil || cost < 100 {
		t.Fatalf("a condition costs %d, %v, %v", cost, one, err)
	}
	_, intake := set.Decide(f, nil)
	_, grouping := set.Group(f, nil)
	_, assign := set.Assign(f, nil)
	asked := 0
	for name, trouble := range map[string][]Trouble{"intake": intake, "grouping": grouping, "assign": assign} {
		if len(trouble) != 1 || !trouble[0].TooCostly {
			t.Errorf("%s: %v, want the rest of the rules not asked", name, trouble)
			continue
		}
		var n int
		if _, err := fmt.Sscanf(trouble[0].Rule, name+"-%d", &n); err != nil {
			t.Fatal(err)
		}
		asked += n + 1
	}
	if spent := uint64(asked) * cost; spent > EventBudget+3*cost {
		t.Errorf("%d conditions were asked, which cost %d of %d", asked, spent, EventBudget)
	}
}
