package console

import (
	"strings"
	"testing"

	"firethorn/internal/core/rules"
)

// What the form writes is a rule that the rules file takes, wherever its section is.
func TestAlerts(t *testing.T) {
	form := m{"name": `too "many"`, "becomes": []any{}, "search": `plan:gold environment:"it's"`, "newest": true, "users": "30", "events": "", "within": "2h", "again": "1d", "to": []any{"harbour chat", "owner"}}
	with := func(change m) m {
		out := m{}
		for k, v := range form {
			out[k] = v
		}
		for k, v := range change {
			out[k] = v
		}
		return out
	}
	rule := "  - name: \"too \\\"many\\\"\"\n    when: 'in_newest_release && matches(\"plan:gold environment:\\\"it''s\\\"\")'\n    users: 30\n    within: 2h\n    to: [\"harbour chat\", \"owner\"]\n    again: 1d\n"
	check(t, "alerts", []call{
		{"became(\"new\")", "condition", []any{with(m{"becomes": []any{"new"}, "search": "", "newest": false})}},
		{"(became(\"new\") || became(\"regressed\")) && in_newest_release", "condition", []any{with(m{"becomes": []any{"new", "regressed"}, "search": ""})}},
		{"true", "condition", []any{with(m{"search": " ", "newest": false})}},
		{"", "wrongWith", []any{form}},
		{"Give the alert a name.", "wrongWith", []any{with(m{"name": " "})}},
		{"Choose a change of an issue, or a number of users or events.", "wrongWith", []any{with(m{"users": ""})}},
		{"Choose a change of an issue, or a number of users or events. For both, create two alerts.", "wrongWith", []any{with(m{"becomes": []any{"new"}})}},
		{"Users and events are whole numbers.", "wrongWith", []any{with(m{"users": "-3"})}},
		{"Choose who is notified.", "wrongWith", []any{with(m{"to": []any{}})}},
		{rule, "ruleYaml", []any{form}},
	})
	for what, file := range map[string]string{
		"no file": "", "no section": "intake:\n  - {name: a, when: 'true', do: drop}\n", "an empty section": "alerts: []\nintake: []\n",
		"a section":                "alerts:\n  - name: first\n    when: became(\"new\")\n    to: [members]\n\n# what is let in\nintake: []\n",
		"a section without indent": "alerts:\n- name: first\n  when: became(\"new\")\n  to: [members]\n",
		"a section with a comment": "alerts: # who hears of what\n  - {name: first, when: 'became(\"new\")', to: [members]}\n",
	} {
		got := given[string](t, "alerts", "withRule", file, rule)
		set, faults := rules.Read(got)
		if len(faults) > 0 {
			t.Errorf("%s: %v in\n%s", what, faults, got)
			continue
		}
		if n := strings.Count(file, "first") + 1; len(set.Alerts) != n || set.Alerts[n-1].Name != `too "many"` || set.Alerts[n-1].Users != 30 {
			t.Errorf("%s: %d rules in\n%s", what, len(set.Alerts), got)
		}
		if strings.Contains(file, "intake") && !strings.Contains(got, "intake:") {
			t.Errorf("%s: the section intake is lost:\n%s", what, got)
		}
	}
}
