package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"time"

	"firethorn/internal/core/fingerprint"

	"github.com/chromedp/chromedp"
)

// harbourEvent is one event of an own function, called by another.
func harbourEvent(typ, message, function, caller, lane, user string) string {
	raw, _ := json.Marshal(map[string]any{ // plain values
		"exceptions": []any{map[string]any{"type": typ, "message": message, "frames": []any{
			map[string]any{"function": function, "file": "src/" + function + ".ts", "line": 4, "own": true}, map[string]any{"function": caller, "file": "src/" + caller + ".ts", "line": 30, "own": true},
		}}},
		"attributes": map[string]any{"gate.lane": lane, "server.address": "harbour.example", "user.id": user, "session.id": "s-" + user},
		"resource":   map[string]any{"service.version": "2.9.0"},
	})
	return string(raw)
}

// harbourGates fills a project with timeouts of one upstream from four functions, and
// an error on two lanes.
func harbourGates(t *testing.T, s *service, project string) (key string) {
	t.Helper()
	key = s.project(t, project)
	var list []string
	for i, f := range []string{"openGate", "closeGate", "countSeats", "callCrew"} {
		for n := range 2 {
			list = append(list, harbourEvent("TimeoutError", fmt.Sprintf("harbour.example did not answer within %d00 ms", n+20), f, "handle", "car", fmt.Sprint("p-", i, n)))
		}
	}
	for i := range 4 {
		list = append(list, harbourEvent("LaneError", "shut", "laneOf", "board", []string{"car", "foot"}[i%2], fmt.Sprint("p-", i)))
	}
	s.post(t, key, "["+strings.Join(list, ",")+"]")
	s.settle(t)
	return key
}

const joinTimeouts = `grouping:
  - name: timeouts of one upstream
    when: exception.type == "TimeoutError"
    replace: timeout of ${server.address}
    headline: ${server.address} does not answer
`

func TestGrouping_ARuleIsTriedActsAndIsTakenBack(t *testing.T) {
	t.Parallel()
	s, p := shared, "joined-timeouts"
	key := harbourGates(t, s, p)
	if n := len(s.issues(t, p)); n != 5 {
		t.Fatalf("%d issues before", n)
	}
	file := rulesFile(t, joinTimeouts)
	out, _ := s.run(t, 0, "rules", "try", "-p", p, file)
	for _, want := range []string{"6 of 12 events, of 6 users, would be in another issue: 1 merge, 0 splits; 1 of 5 issues stay", "harbour.example does not answer", "by the rule timeouts of one upstream", "its number would redirect there", "+ rule timeout of harbour.example"} {
		if !strings.Contains(out, want) {
			t.Errorf("try does not say %q:\n%s", want, out)
		}
	}
	if _, errs := s.run(t, 1, "rules", "try", "-p", p, "--most-moved", "10", file); !strings.Contains(errs, "50.0 % of the events would go to another issue") {
		t.Errorf("--most-moved says %s", errs)
	}
	if out, _ := s.run(t, 0, "rules", "push", "-p", p, "--regroup", file); !strings.Contains(out, "6 events went to another issue; 0 issues were made, 3 lead to another one now") {
		t.Errorf("push --regroup says %s", out)
	}
	list := s.issues(t, p)
	if len(list) != 2 {
		t.Fatalf("%d issues afterwards", len(list))
	}
	s.post(t, key, "["+harbourEvent("TimeoutError", "harbour.example did not answer within 7 ms", "ringBell", "handle", "car", "p-x")+"]")
	s.settle(t)
	if out, _ := s.run(t, 0, "issue", "list", "-p", p); strings.Count(out, "\n") != 3 || !strings.Contains(out, "harbour.example does not answer") || !strings.Contains(out, "  9 ") {
		t.Errorf("what comes is not with them:\n%s", out)
	}
	if out, _ := s.run(t, 0, "group", "history", "-p", p); !strings.Contains(out, "done") {
		t.Errorf("history says %s", out)
	}
	if out, _ := s.run(t, 0, "group", "undo", "-p", p); !strings.Contains(out, "Taken back") {
		t.Errorf("undo says %s", out)
	}
	if n := len(s.issues(t, p)); n != 6 { // the event that came since has its own
		t.Errorf("%d issues after the undo", n)
	}
	if out, _ := s.run(t, 0, "rules", "pull", "-p", p); strings.Contains(out, "grouping") {
		t.Errorf("the rule still stands: %s", out)
	}
	if _, errs := s.run(t, 1, "group", "undo", "-p", p); !strings.Contains(errs, "nothing to undo") {
		t.Errorf("a second undo says %s", errs)
	}
	s.recounted(t)
}

func TestGrouping_ABadRuleFailsTheBuild(t *testing.T) {
	t.Parallel()
	s, p := shared, "badly-grouped"
	harbourGates(t, s, p)
	if out, _ := s.run(t, 1, "rules", "check", rulesFile(t, strings.ReplaceAll(joinTimeouts, "extend", "x")+"  - {name: b, when: 'origin.functoin == \"a\"', extend: x}\n")); !strings.Contains(out, "did you mean function?") {
		t.Errorf("check says %s", out)
	}
	failing := rulesFile(t, "grouping: [{name: tides, when: 'attributes[\"tide\"] == 1', extend: x}]\n")
	s.run(t, 0, "rules", "check", failing)
	if out, errs := s.run(t, 1, "rules", "try", "-p", p, failing); !strings.Contains(out, "failed for 12") || !strings.Contains(errs, `"tides" cannot answer`) {
		t.Errorf("try says %s%s", out, errs)
	}
	events := filepath.Join(t.TempDir(), "events.ndjson")
	lines := harbourEvent("TimeoutError", "late", "openGate", "handle", "car", "p-1") + "\n" + harbourEvent("LaneError", "shut", "laneOf", "board", "foot", "p-2") + "\n"
	if err := os.WriteFile(events, []byte(lines), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, _ := s.run(t, 1, "rules", "check", "--on", events, failing); !strings.Contains(out, "cannot answer for 2 of 2 events: no such key: tide") {
		t.Errorf("check --on says %s", out)
	}
	good := rulesFile(t, joinTimeouts+"  - {name: lanes, when: 'origin.function == \"laneOf\"', extend: '${gate.lane}'}\n")
	if out, _ := s.run(t, 0, "rules", "try", "--on", events, good); !strings.Contains(out, "lanes") || strings.Contains(out, "never matched") {
		t.Errorf("try --on says %s", out)
	}
	out, _ := s.run(t, 0, "fingerprint", "--rules", good, "--format", "json", events)
	var rules []string
	for line := range strings.Lines(out) {
		var v struct {
			Rule     string
			Headline string
			Version  int `json:"grouping_version"`
		}
		if err := json.Unmarshal([]byte(line), &v); err != nil || v.Version != fingerprint.Version {
			t.Fatalf("%v: %s", err, line)
		}
		rules = append(rules, v.Rule+": "+v.Headline)
	}
	if len(rules) != 2 || rules[0] != "timeouts of one upstream: harbour.example does not answer" || rules[1] != "lanes: LaneError in laneOf" {
		t.Errorf("fingerprint --rules gives %q", rules)
	}
}

func TestGrouping_TheReviewSuggestsWhatMends(t *testing.T) {
	t.Parallel()
	s, p := shared, "reviewed"
	harbourGates(t, s, p)
	var v struct {
		Findings []struct{ Kind, Words string }
		Making   int
	}
	until(t, "variants are compared", func() bool {
		s.json(t, &v, "group", "review", "-p", p)
		return v.Making == 0
	})
	if len(v.Findings) != 1 || v.Findings[0].Kind != "pieces" || !strings.Contains(v.Findings[0].Words, "did not answer within <number> ms") {
		t.Fatalf("%+v", v)
	}
	text, _ := s.run(t, 0, "group", "review", "-p", p, "--suggestion", "1")
	if out, _ := s.run(t, 0, "rules", "try", "-p", p, rulesFile(t, text)); !strings.Contains(out, "1 merge, 0 splits") {
		t.Errorf("the suggestion does\n%s", out)
	}
	list := s.issues(t, p, "--text", "Timeout")
	var beside struct {
		Similar  []struct{ ID string }
		Together []struct{ ID string }
	}
	s.json(t, &beside, "issue", "beside", list[0].ID)
	if len(beside.Similar) != 3 {
		t.Errorf("nothing is like %s: %+v", list[0].ID, beside)
	}
}

func TestConsole_MendsGrouping(t *testing.T) {
	t.Parallel()
	s, p := shared, "mended"
	harbourGates(t, s, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/grouping")
	eventually(t, tab, "the finding", `document.body.innerText.includes('did not answer within') && document.body.innerText.includes('variability')`)
	accessible(t, tab, "grouping")
	click := func(words string) {
		t.Helper()
		eval[any](t, tab, `[...document.querySelectorAll('main button, main a, dialog button')].filter((b) => b.textContent.trim().startsWith('`+words+`')).at(-1).click()`)
	}
	click("Try the rule")
	eventually(t, tab, "the suggestion, tried", `document.body.innerText.includes('1 merge, 0 splits') && document.body.innerText.includes('No errors')`)
	accessible(t, tab, "a trial of grouping")
	click("Save as version 1")
	eventually(t, tab, "saved", `document.body.innerText.includes('Version 1, by Operator')`)
	click("Regroup")
	eventually(t, tab, "it asks", `document.querySelector('dialog')?.open === true`)
	accessible(t, tab, "asking to regroup")
	click("Regroup")
	eventually(t, tab, "it is done", `document.body.innerText.includes('6 events moved')`)
	if n := len(s.issues(t, p)); n != 2 {
		t.Errorf("%d issues afterwards", n)
	}
	click("Take the last")
	eventually(t, tab, "it asks", `document.querySelector('dialog')?.open === true`)
	click("Take back")
	eventually(t, tab, "it is taken back", `document.body.innerText.includes('undone by Operator')`)
	if n := len(s.issues(t, p)); n != 5 {
		t.Errorf("%d issues after the undo", n)
	}
	check()
}

func TestConsole_CompletesRules(t *testing.T) {
	t.Parallel()
	s, p := shared, "completed"
	s.project(t, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/rules")
	const root = `document.querySelector('[data-editor]').shadowRoot`
	eventually(t, tab, "the editor", root+`.querySelector('.cm-content').innerText.includes('crawlers')`)
	eval[any](t, tab, root+`.querySelector('.cm-content').focus()`)
	if err := chromedp.Do(tab, chromedp.KeyEvent("\r"), chromedp.KeyEvent("g"), chromedp.KeyEvent("r")); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "what can be written there", root+`.querySelector('.cm-tooltip-autocomplete')?.innerText.includes('grouping') === true`)
	time.Sleep(200 * time.Millisecond) // a moment passes before Enter takes it
	if err := chromedp.Do(tab, chromedp.KeyEvent("\r")); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "it is written", root+`.querySelector('.cm-content').innerText.includes('grouping:')`)
	check()
}
