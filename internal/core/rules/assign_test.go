package rules

import (
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/event"
)

func TestAssign(t *testing.T) {
	set, faults := Read(`assign:
  - name: berths
    when: origin.path.glob("src/berths/*")
    to: "@ferries/harbour-crew"
    users: 20
    within: 7d
  - name: fatal ones
    when: severity == "fatal"
    to: maren.holt@marrowsound.example
  - name: the rest
    when: "true"
    to: Oke Farrow
    events: 1000
`)
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	facts := func(path, severity string) *Facts {
		e := &event.Event{Severity: event.Severity(severity)}
		return NewFacts(e, time.Time{}, func() [][]event.Frame {
			return [][]event.Frame{{{File: path, Kind: event.Own, Line: 3, Origin: true}}}
		})
	}
	for _, c := range []struct{ path, severity, want string }{{"src/berths/map.ts", "fatal", "berths"}, {"src/fares.ts", "fatal", "fatal ones"}, {"src/fares.ts", "error", "the rest"}} {
		r, trouble := set.Assign(facts(c.path, c.severity), nil)
		if r == nil || r.Name != c.want || len(trouble) != 0 {
			t.Errorf("%s, %s: %+v, %v, want %s", c.path, c.severity, r, trouble, c.want)
		}
	}
	if r, _ := set.Assign(facts("src/berths/map.ts", "error"), func(rule string) bool { return rule == "berths" }); r.Name != "the rest" {
		t.Errorf("a rule that is off gives to %s", r.To)
	}
	if b := set.Assigns[0]; b.Users != 20 || b.Days != 7 || b.To != "@ferries/harbour-crew" || b.Line != 4 {
		t.Errorf("%+v", b)
	}
	if r := set.Assigns[1]; r.Days != AssignDays || r.Users != 0 || r.Events != 0 {
		t.Errorf("%+v", r)
	}
	for text, want := range map[string]string{
		"assign: [{name: a, to: x}]":                                                               "needs the field when",
		"assign: [{name: a, when: 'true'}]":                                                        "needs the field to",
		"assign: [{name: a, when: 'true', to: x, users: many}]":                                    "users is a number from 1 on",
		"assign: [{name: a, when: 'true', to: x, events: 0}]":                                      "events is a number from 1 on",
		"assign: [{name: a, when: 'true', to: x, users: 1, within: 15d}]":                          "within is 1d to 14d",
		"assign: [{name: a, when: 'true', to: x, users: 1, within: 2h}]":                           "within is 1d to 14d",
		"assign: [{name: a, when: 'true', to: x, within: 2d}]":                                     "say how many",
		"assign: [{name: a, when: 'users > 3', to: x}]":                                            "there is no users",
		"assign: [{name: a, when: 'true', to: x, state: new}]":                                     "is no field here",
		"intake: [{name: a, when: 'true', do: keep}]\nassign: [{name: a, when: 'true', to: x}]":    "an intake rule is called",
		"grouping: [{name: a, when: 'true', extend: x}]\nassign: [{name: a, when: 'true', to: x}]": "a grouping rule is called",
	} {
		if _, faults := Read(text); len(faults) == 0 || !strings.Contains(faults[0].String(), want) {
			t.Errorf("%s: %v, want %q", text, faults, want)
		}
	}
	same, _ := Read("assign: [{name: a, when: 'true', to: x}]")
	other, _ := Read("assign: [{name: a, when: 'true', to: y}]")
	if same.grouping != other.grouping {
		t.Error("assign rules decide how events are grouped")
	}
}
