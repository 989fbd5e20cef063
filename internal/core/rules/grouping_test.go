package rules

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
)

const timeout = `{"exceptions":[{"type":"TimeoutError","message":"harbour.example did not answer within 3000 ms"}],
"resource":{"service.version":"2.9.0"},"attributes":{"server.address":"harbour.example","gate.lane":"","fare.items":3}}`

func asked(t *testing.T, text, raw string) (*fingerprint.Ruling, []Trouble) {
	t.Helper()
	own := event.Frame{Function: "askHarbour", File: "src/net/harbour.ts", Line: 8, Kind: event.Own, Origin: true}
	f := facts(t, raw, own).WithPrint(func() string { return "f00d" })
	return read(t, text).Group(f, nil)
}

func TestGroup_FillsValuesIn(t *testing.T) {
	for template, want := range map[string]string{
		"plain": "plain", "timeout of ${server.address}": "timeout of harbour.example", "${message.shape()}": "harbour.example did not answer within <number> ms",
		"${origin.module}#${origin.function}": "src/net/harbour.ts#askHarbour", "${exception.type}/${release}": "TimeoutError/2.9.0", "${computed}": "f00d",
		"${number('fare.items') > 2.0 ? 'many' : 'few'}": "many", "${attr('no.such')}|${fare.items}": "|3", "${'a}b'}${attributes['server.address']}": "a}bharbour.example", "${frames.size()}": "1",
	} {
		ruling, trouble := asked(t, "grouping:\n- name: r\n  when: 'true'\n  extend: "+quote(template), timeout)
		if ruling == nil || len(trouble) > 0 || ruling.Extend[0].Text != want || ruling.Extend[0].Template != template {
			t.Errorf("%s: %+v, %v; want %q", template, ruling, trouble, want)
		}
	}
}

func TestGroup_FirstThatFitsRules(t *testing.T) {
	text := `grouping:
- {name: other, when: 'exception.type == "RangeError"', extend: x}
- {name: lane, when: 'exception.type == "TimeoutError"', replace: ["${gate.lane}", "${no.such}"]}
- {name: fails, when: 'attributes["no.such"] == 1', extend: x}
- {name: upstream, when: 'messages.exists(m, m.contains("did not answer"))', replace: "timeout of ${server.address}", headline: "${server.address} does not answer"}
- {name: last, when: 'true', extend: y}
`
	ruling, trouble := asked(t, text, timeout)
	if ruling == nil || ruling.Rule != "upstream" || ruling.Headline != "harbour.example does not answer" {
		t.Fatalf("%+v", ruling)
	}
	if len(trouble) != 2 || !trouble[0].Empty || trouble[0].Rule != "lane" || trouble[1].Empty || trouble[1].Rule != "fails" || !strings.Contains(trouble[1].Why, "no such key") {
		t.Errorf("trouble: %+v", trouble)
	}
	if ruling, _ := read(t, text).Group(facts(t, timeout), func(r string) bool { return r == "upstream" }); ruling.Rule != "last" {
		t.Errorf("with upstream off: %+v", ruling)
	}
}

func TestGroup_LongValuesStayApart(t *testing.T) {
	long := func(end string) string {
		r, _ := asked(t, "grouping:\n- {name: r, when: 'true', extend: '${tale}'}", fmt.Sprintf(`{"message":"m","attributes":{"tale":"%s%s"}}`, strings.Repeat("x", 1_500), end))
		return r.Extend[0].Text
	}
	if a, b := long("a"), long("b"); a == b || len(a) > maxValue {
		t.Errorf("%d bytes, alike: %v", len(a), a == b)
	}
	r, trouble := asked(t, "grouping:\n- {name: r, when: 'true', extend: '"+strings.Repeat("${message}", 90)+"'}", `{"message":"`+strings.Repeat("x", 1_000)+`"}`)
	if r != nil || len(trouble) != 1 || !strings.Contains(trouble[0].Why, "longer than") {
		t.Errorf("a value without end: %+v, %+v", r, trouble)
	}
}

func TestGroup_StopsWhatCostsTooMuch(t *testing.T) {
	var b strings.Builder
	b.WriteString("grouping:\n")
	for i := range MaxRules {
		fmt.Fprintf(&b, "- {name: r%d, when: 'message.matches(\"(a+)+b\")', extend: x}\n", i)
	}
	raw := `{"message":"` + strings.Repeat("a", 60_000) + `"}`
	_, trouble := read(t, b.String()).Group(facts(t, raw), nil)
	if n := len(trouble); n == 0 || n > 10 || !slices.ContainsFunc(trouble, func(x Trouble) bool { return x.TooCostly }) {
		t.Errorf("%d troubles", n)
	}
}

func TestRead_GroupingFaults(t *testing.T) {
	for text, want := range map[string]string{
		"- {name: r, when: 'true'}":                                              "1:3: does not say how to group",
		"- {name: r, extend: x}":                                                 "1:3: needs the field when",
		"- {name: r, when: 'true', extend: x, replace: y}":                       "1:47: either extend or replace",
		"- {name: r, when: 'true', extnd: x}":                                    "1:27: \"extnd\" is no field here; there are name, when, extend, replace, headline; did you mean extend?",
		"- {name: r, when: 'true', extend: 'a ${} b'}":                           "1:38: ${} names nothing",
		"- {name: r, when: 'true', extend: 'a ${berth.zone'}":                    "1:38: not closed",
		"- {name: r, when: 'true', extend: 'a ${origin.functoin}'}":              "1:46: there is no field functoin here; did you mean function?",
		"- {name: r, when: 'true', extend: '${mesage}'}":                         "1:38: there is no mesage; an attribute of that name is ${attr(\"mesage\")}; did you mean message?",
		"- {name: r, when: 'true', extend: '${frames}'}":                         "1:38: gives list",
		"- {name: r, when: 'true', extend: '${message.matches(scope)}'}":         "must be a text in quotes, written in the rule itself",
		"- {name: r, when: 'true', headline: 'x ${attr(1)}', extend: x}":         "attr does not work on",
		"- {name: r, when: 'origin.fnction == \"a\"', extend: x}":                "1:26: there is no field fnction here; did you mean function?",
		"- {name: r, when: 'true', extend: [1,2,3,4,5,6,7,8,9,10,11]}":           "11 values; 10 are the most",
		"- {name: r, when: 'true', extend: '" + strings.Repeat("x", 2000) + "'}": "2000 bytes; 1024 are the most",
	} {
		_, faults := Read("grouping:\n" + text)
		if len(faults) == 0 {
			t.Errorf("%s: no fault", text)
			continue
		}
		got := strings.TrimPrefix(faults[0].String(), "2:")
		got = strings.Replace(got, "grouping rule \"r\": ", "", 1)
		place, words, _ := strings.Cut(want, ": ")
		if words == "" {
			place, words = "", want
		}
		if !strings.Contains(got, words) || place != "" && !strings.HasPrefix(got, strings.TrimPrefix(place, "1:")+": ") {
			t.Errorf("%s:\n got %s\nwant %s", text, got, want)
		}
	}
	if _, faults := Read("intake: [{name: a, when: 'true', do: keep}]\ngrouping: [{name: a, when: 'true', extend: x}]\n"); len(faults) != 1 || faults[0].Line != 2 || !strings.Contains(faults[0].Message, "an intake rule is called") {
		t.Errorf("one name twice: %v", faults)
	}
	if _, faults := Read("grouping:\n- name: r\n  when: 'true'\n  extend: |\n    first\n    of ${origin.lin}\n"); len(faults) != 1 || faults[0].Line != 6 || faults[0].Column != 16 {
		t.Errorf("on a later line: %v", faults)
	}
}
