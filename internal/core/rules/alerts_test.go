package rules

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/event"
)

func readAlerts(t *testing.T, text string) *Set {
	t.Helper()
	set, faults := Read("alerts:\n" + text)
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return set
}

// A rule that would fire for every event, or never, is refused, with what to do about it.
func TestAlerts_Problems(t *testing.T) {
	for text, want := range map[string]string{
		`  - {name: a, when: 'true', to: [x]}`:                                                               "would fire for every event",
		`  - {name: a, when: '!became("new")', to: [x]}`:                                                     "would fire for every event",
		`  - {name: a, when: '!(severity == "info" && became("new"))', to: [x]}`:                             "would fire for every event",
		`  - {name: a, when: 'became("old")', to: [x]}`:                                                      "cannot become",
		`  - {name: a, when: 'became("regresed")', to: [x]}`:                                                 "did you mean regressed",
		`  - {name: a, when: 'became(message)', to: [x]}`:                                                    "written in the rule itself",
		`  - {name: a, when: 'became("new")', users: 3, to: [x]}`:                                            "never holds",
		`  - {name: a, when: 'became("new")'}`:                                                               "needs the field to",
		`  - {name: a, when: 'became("new")', to: []}`:                                                       "to is empty",
		`  - {name: a, to: [x]}`:                                                                             "needs the field when",
		`  - {name: a, when: 'true', users: 0, to: [x]}`:                                                     "users is a number from 1 on",
		`  - {name: a, when: 'true', users: 3, within: 5m, to: [x]}`:                                         "within is a time from 10m to 14d",
		`  - {name: a, when: 'true', users: 3, within: 15d, to: [x]}`:                                        "within is a time from 10m to 14d",
		`  - {name: a, when: 'became("new")', within: 2h, to: [x]}`:                                          "say how many",
		`  - {name: a, when: 'true', sessions: 1, to: [x]}`:                                                  "sessions is a share",
		`  - {name: a, when: 'true', sessions: 101%, to: [x]}`:                                               "sessions is a share",
		`  - {name: a, when: 'became("new")', to: [x], quiet: {from: "22:00"}}`:                              "quiet needs from and to",
		`  - {name: a, when: 'became("new")', to: [x], quiet: {from: "25:00", to: "07:00"}}`:                 "is a time of day",
		`  - {name: a, when: 'became("new")', to: [x], quiet: {from: "22:00", to: "07:00", zone: Atlantis}}`: "is no time zone",
		`  - {name: a, when: 'became("new")', to: [x], at-most: {messages: 3}}`:                              "needs both messages and within",
		`  - {name: a, when: 'became("new") && matches("users:>")', to: [x]}`:                                "the search",
		`  - {name: a, when: 'became("new") && matches("first:<2d")', to: [x]}`:                              "cannot be asked of one event",
		`  - {name: a, when: 'release.worse("production") && became("new")', to: [x]}`:                       "about no issue",
		`  - {name: a, when: 'message.worse("production")', to: [x]}`:                                        "asked of the release",
		`  - {name: a, when: 'isue.users > 3 && became("new")', to: [x]}`:                                    "did you mean issue",
		`  - {name: a, when: 'issue.user > 3 && became("new")', to: [x]}`:                                    "no field user",
	} {
		_, faults := Read("alerts:\n" + text + "\n")
		if !slices.ContainsFunc(faults, func(f Problem) bool { return strings.Contains(f.String(), want) }) {
			t.Errorf("%s\n  %v, want %q", text, faults, want)
		}
	}
	if _, faults := Read("assign:\n  - {name: a, when: 'became(\"new\")', to: x}\n"); len(faults) == 0 {
		t.Error("became is known outside of alerts")
	}
}

func TestAlerts_Read(t *testing.T) {
	set := readAlerts(t, `  - name: all of it
    when: (became("new") || became("regressed")) && environment == "production" && in_newest_release
    to: [harbour chat, owner, "team:Gate Crew"]
    again: 1d
    quiet: {from: "22:00", to: "07:00", zone: Europe/Lisbon}
    at-most: {messages: 20, within: 1h}
  - name: many
    when: severity == "error"
    users: 30
    events: 100
    sessions: 0.8%
    within: 2h
    to: [x]
`)
	a, b := set.Alerts[0], set.Alerts[1]
	if !slices.Equal(a.Becomes, []string{"new", "regressed"}) || len(a.To) != 3 || a.Again != 24*time.Hour || a.Quiet.From != 22*60 || a.Quiet.To != 7*60 || a.Quiet.Zone.String() != "Europe/Lisbon" || a.AtMost.Messages != 20 || a.AtMost.Within != time.Hour || !a.Live || a.Threshold() {
		t.Errorf("%+v", a)
	}
	if b.Users != 30 || b.Events != 100 || b.Sessions != 0.8 || b.Within != 2*time.Hour || b.Live || !b.Threshold() {
		t.Errorf("%+v", b)
	}
	none, _ := Read("alerts: []\n")
	if len(none.AlertRules()) != 0 || len((*Set)(nil).AlertRules()) != 1 || len((&Set{}).AlertRules()) != 1 {
		t.Error("an empty section is none, and without a section the default acts")
	}
}

// fact is an event of an alert test.
func fact(release, user string, at time.Time) *Facts {
	e := &event.Event{Severity: "error", StandsFor: 1, Exceptions: []event.Exception{{Type: "TypeError", Message: "no tide"}},
		Resource: event.Attributes{"service.version": release, "deployment.environment.name": "production"}, Attributes: event.Attributes{"user.id": user}}
	return NewFacts(e, at, func() [][]event.Frame { return nil })
}

func TestAlerts_AskTheOccasion(t *testing.T) {
	set := readAlerts(t, `  - {name: fresh, when: 'became("new") && in_newest_release', to: [x]}
  - {name: big, when: 'became("assigned") && issue.users > 3 && issue.owner != ""', to: [x]}
  - {name: search, when: 'became("new") && matches("plan:gold")', to: [x]}
  - {name: worse, when: 'release.worse("production")', to: [x]}
  - {name: gaps, when: 'symbols.missing', to: [x]}
`)
	f := fact("4.2.0", "p-1", time.Now())
	for what, x := range map[string]struct {
		o    Occasion
		want string
	}{
		"new in the newest":  {Occasion{Became: "new", Newest: true}, "fresh"},
		"new in an old one":  {Occasion{Became: "new"}, ""},
		"assigned, few":      {Occasion{Became: "assigned", Issue: IssueFacts{Users: 3, Owner: "Oke Farrow"}}, ""},
		"assigned, many":     {Occasion{Became: "assigned", Issue: IssueFacts{Users: 4, Owner: "Oke Farrow"}}, "big"},
		"a search that fits": {Occasion{Became: "new", Matches: func(s string) bool { return s == "plan:gold" }}, "search"},
		"worse":              {Occasion{Worse: "production"}, "worse"},
		"worse elsewhere":    {Occasion{Worse: "staging"}, ""},
		"unreadable":         {Occasion{Gaps: true}, "gaps"},
	} {
		hold, trouble := Alerts(set.Alerts, f.On(x.o), nil)
		var names []string
		for _, r := range hold {
			names = append(names, r.Name)
		}
		if got := strings.Join(names, ","); got != x.want || len(trouble) > 0 {
			t.Errorf("%s: %q %v, want %q", what, got, trouble, x.want)
		}
	}
	if hold, _ := Alerts(set.Alerts, f.On(Occasion{Became: "new", Newest: true}), func(rule string) bool { return rule == "fresh" }); len(hold) != 0 {
		t.Error("a rule that is switched off was asked")
	}
}

// A trial says how many messages rules would have sent, with examples.
func TestAlertTrial(t *testing.T) {
	set := readAlerts(t, `  - {name: fresh, when: 'became("new") && in_newest_release', to: [x]}
  - {name: back, when: became("regressed"), to: [x]}
  - {name: many, when: 'true', users: 3, within: 1h, to: [x]}
  - {name: again, when: 'true', users: 3, within: 1h, again: 2h, to: [x]}
`)
	noon := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	trial := NewAlertTrial(set, "4.2.0")
	try := func(issue, release string, user int64, after time.Duration) {
		trial.Try(fact(release, "u", noon.Add(after)), TrialExample{Event: fmt.Sprint(issue, after), Issue: issue}, user, 1)
	}
	for i := range 5 { // the newest first, as they are read
		try("quayside/1", "4.2.0", int64(i+1), time.Duration(4-i)*time.Minute)
		try("quayside/1", "4.2.0", int64(i+1), 3*time.Hour+time.Duration(i)*time.Minute)
	}
	try("quayside/2", "4.1.0", 1, 0)
	for _, after := range []time.Duration{0, 2 * time.Hour, 4 * time.Hour} { // never three users within an hour
		try("quayside/3", "4.2.0", int64(after), after)
	}
	var got []string
	for _, r := range trial.Done([]Moment{{"quayside/1", "new", noon}, {"quayside/2", "new", noon}, {"quayside/2", "regressed", noon}, {"quayside/9", "new", noon}}) {
		got = append(got, fmt.Sprintf("%s %d of %d (%d)", r.Rule, r.Events, r.Issues, len(r.Examples)))
	}
	if want := "fresh 1 of 1 (1), back 1 of 1 (1), many 1 of 1 (1), again 2 of 1 (1)"; strings.Join(got, ", ") != want {
		t.Errorf("%s, want %s", strings.Join(got, ", "), want)
	}
}
