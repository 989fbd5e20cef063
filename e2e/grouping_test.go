package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

const (
	gateEvent  = `{"exceptions":[{"type":"GateError","message":"gate 7 is shut","frames":[{"function":"assertOpen","file":"src/assert.ts","line":3},{"function":"openGate","file":"src/gates.ts","line":12},{"function":"round","file":"src/main.ts","line":40}]}],"grouping":{"extend":["${gate.side}"]},"attributes":{"gate.side":"north"}}`
	berthEvent = `{"exceptions":[{"type":"GateError","message":"berth 2 is taken","frames":[{"function":"assertOpen","file":"src/assert.ts","line":3},{"function":"moor","file":"src/berths.ts","line":9}]}]}`
)

// The fingerprint explains itself on the command line, offline and on the page.
func TestGroup_SaysWhy(t *testing.T) {
	t.Parallel()
	s, p := shared, "grouped"
	key := s.project(t, p)
	s.post(t, key, "["+gateEvent+","+berthEvent+"]")
	s.settle(t)
	out, _ := s.run(t, 0, "group", "why", p+"/1")
	for _, want := range []string{"GateError in openGate", "type        GateError", "module      src/gates.ts", "function    openGate", "through     src/assert.ts assertOpen", "application north", "added to the computed one: ${gate.side}", "gate 7 is shut", "left out"} {
		if !strings.Contains(out, want) {
			t.Errorf("group why lacks %q:\n%s", want, out)
		}
	}
	if out, _ := s.run(t, 0, "group", "why", p+"/1", p+"/2"); !strings.Contains(out, "They first differ in the module:\n  src/gates.ts\n  src/berths.ts\n") {
		t.Errorf("two issues:\n%s", out)
	}
	var why struct {
		Fingerprint string
		Together    bool
		Other       struct{ Fingerprint string }
		Differ      struct{ What, This, Other string }
	}
	out, _ = s.run(t, 0, "group", "why", p+"/1", p+"/2", "--format", "json")
	if err := json.Unmarshal([]byte(out), &why); err != nil || why.Together || why.Differ.This != "src/gates.ts" || len(why.Fingerprint) != 32 || why.Fingerprint == why.Other.Fingerprint {
		t.Errorf("%+v, %v", why, err)
	}
	if _, errs := s.run(t, 1, "group", "why", p+"/99"); !strings.Contains(errs, "there is no issue") {
		t.Errorf("an issue that is not there: %s", errs)
	}
	file := filepath.Join(t.TempDir(), "events.ndjson")
	if err := os.WriteFile(file, []byte(gateEvent+"\n\n"+berthEvent+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	out, _ = s.run(t, 0, "fingerprint", "--format", "json", file)
	var line struct {
		Fingerprint, Headline string
		Origin                struct{ Function string }
		Parts                 []struct{ What, Value string }
	}
	first, _, _ := strings.Cut(out, "\n")
	if err := json.Unmarshal([]byte(first), &line); err != nil || line.Fingerprint != why.Fingerprint || line.Headline != "GateError in openGate" || line.Origin.Function != "openGate" || len(line.Parts) != 5 {
		t.Errorf("offline: %+v, %v; the service says %s", line, err, why.Fingerprint)
	}
	if err := os.WriteFile(file, []byte(gateEvent+"\n{\"x\"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, errs := s.run(t, 2, "fingerprint", file); !strings.Contains(errs, "line 2 is no event") {
		t.Errorf("a line that is no event: %s", errs)
	}

	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues/1")
	eventually(t, tab, "the page", `document.body.innerText.includes('Why these events are together')`)
	eval[any](t, tab, `[...document.querySelectorAll('summary')].find((x) => x.textContent.includes('together')).click()`)
	eventually(t, tab, "the parts", `document.body.innerText.includes('the function that failed on the origin')`)
	eval[any](t, tab, `document.querySelector('input[placeholder*="or an id"]').focus()`)
	if err := chromedp.Do(tab, chromedp.KeyEvent(p+"/2\r")); err != nil {
		t.Fatal(err)
	}
	eventually(t, tab, "the difference", `document.body.innerText.includes('They first differ in the module:')`)
	accessible(t, tab, "why they are together")
	check()
}

// Once a function has turned out to fail on behalf of its callers, who called
// it is blamed on the page and on the command line as well.
func TestGroup_BlamesWhoCalled(t *testing.T) {
	t.Parallel()
	s, p := shared, "lookedthrough"
	key := s.project(t, p)
	for _, caller := range []string{"openGate", "closeGate", "countSeats", "callCrew"} {
		s.post(t, key, `[{"exceptions":[{"type":"GateError","message":"shut","frames":[{"function":"barrier","file":"src/b.ts","line":3},{"function":"`+caller+`","file":"src/gates.ts","line":12}]}]}]`)
		s.settle(t)
	}
	if out, _ := s.run(t, 0, "group", "why", p+"/2"); !strings.Contains(out, "GateError in callCrew") || !strings.Contains(out, "so its caller is blamed") || !strings.Contains(out, "src/b.ts barrier") {
		t.Errorf("why:\n%s", out)
	}
	if out, _ := s.run(t, 0, "issue", "show", p+"/2"); !strings.Contains(out, "GateError in callCrew") || !strings.Contains(out, "▶ callCrew") {
		t.Errorf("the issue:\n%s", out)
	}
	if out, _ := s.run(t, 0, "issue", "show", p+"/1"); !strings.Contains(out, "▶ barrier") || !strings.Contains(out, "3 events") {
		t.Errorf("what was filed before:\n%s", out)
	}
}

// A part is split off by what its events differ in, from the command line and
// on the page, and comes back.
func TestSplit_TakesAPartOutAndBack(t *testing.T) {
	t.Parallel()
	s, p := shared, "taken-apart"
	key := s.project(t, p)
	event := func(lane string) string {
		return `{"exceptions":[{"type":"GateError","message":"gate is shut","frames":[{"function":"openGate","file":"src/gates.ts","line":12}]}],"attributes":{"gate.lane":"` + lane + `"}}`
	}
	s.post(t, key, "["+event("car")+","+event("foot")+","+event("car")+"]")
	s.settle(t)
	if out, _ := s.run(t, 0, "issue", "split", p+"/1"); !strings.Contains(out, "    2  --attribute 'gate.lane=car'\n") || !strings.Contains(out, "Differences among 3 events") {
		t.Errorf("what they differ in:\n%s", out)
	}
	if out, _ := s.run(t, 0, "issue", "split", p+"/1", "--attribute", "gate.lane=car"); !strings.Contains(out, "split off from "+p+"/1: gate.lane is car") {
		t.Errorf("a split says:\n%s", out)
	}
	s.post(t, key, "["+event("car")+","+event("foot")+"]")
	s.settle(t)
	events := func(number string) (n int) {
		var is struct{ Events int }
		out, _ := s.run(t, 0, "issue", "show", p+"/"+number, "--format", "json")
		if err := json.Unmarshal([]byte(out), &is); err != nil {
			t.Fatal(err)
		}
		return is.Events
	}
	until(t, "the kept events are with their part", func() bool { return events("1") == 2 && events("2") == 3 })
	for args, want := range map[string]string{
		"--attribute gate.lane=bicycle": "no kept event of " + p + "/1 matches (gate.lane is bicycle)", "--frame openGate": "every kept event of " + p + "/1 matches (openGate is on the stack)",
	} {
		if _, errs := s.run(t, 1, append([]string{"issue", "split", p + "/1"}, strings.Fields(args)...)...); !strings.Contains(errs, want) {
			t.Errorf("%s: %s", args, errs)
		}
	}
	for args, want := range map[string]string{"--attribute lane": "--attribute is written as NAME=VALUE", "--frame a --message b": "an issue is split by one difference: --frame or --message, not both"} {
		if _, errs := s.run(t, 2, append([]string{"issue", "split", p + "/1"}, strings.Fields(args)...)...); !strings.Contains(errs, want) {
			t.Errorf("%s: %s", args, errs)
		}
	}
	s.run(t, 0, "issue", "undo", p+"/2")
	until(t, "the part is back", func() bool { return events("1") == 5 })

	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues/1")
	eventually(t, tab, "the page", `document.body.innerText.includes('What to do')`)
	press(t, tab, "t")
	eventually(t, tab, "the differences", `document.querySelectorAll('dialog[open] input[type=radio]').length === 2`)
	eventually(t, tab, "the keyboard on the first", `document.activeElement.type === 'radio'`)
	accessible(t, tab, "splitting")
	press(t, tab, " \r")
	eventually(t, tab, "the part's page", `location.pathname.endsWith('/issues/3') && document.body.innerText.includes('Split off from')`)
	eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.ariaLabel?.startsWith('Undo the split')).click()`)
	eventually(t, tab, "the way back", `location.pathname.endsWith('/issues/1')`)
	check()
	until(t, "all counts have arrived", func() bool {
		var st struct{ Recounting int }
		s.json(t, &st, "status")
		return st.Recounting == 0
	})
	s.recounted(t)
}
