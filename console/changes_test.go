package console

import "testing"

// TestChanges_AskAgainForWhatChanged: a decision reads the issue and the lists
// again, events what they count, and one's own decision nothing.
func TestChanges_AskAgainForWhatChanged(t *testing.T) {
	type m = map[string]any
	decided := m{"project": "quayside", "decided": m{"quayside/5": 7}}
	events := m{"project": "quayside", "events": []string{"quayside/5"}}
	anything := m{"project": "", "any": true}
	key := func(parts ...any) []any { return append([]any{"p"}, parts...) }
	var calls []call
	for _, c := range []struct {
		want   bool
		key    []any
		change m
	}{
		{true, key("quayside", "issue", 5), decided}, {true, key("quayside", "history", 5), decided}, {true, key("quayside", "owners", "quayside/5"), decided},
		{false, key("quayside", "issue", 6), decided}, {false, key("gangway", "issue", 5), decided}, {false, key("quayside", "event", 5, "newest"), decided},
		{true, key("quayside", "issues", m{}), decided}, {true, key("round"), decided}, {true, key("waiting"), decided}, {true, key("quayside", "round"), decided},
		{true, key("quayside", "event", 5, "newest"), events}, {false, key("quayside", "event", 5, "0193"), events}, {true, key("quayside", "history", 5), events}, {false, key("quayside", "owners", "quayside/5"), events},
		{true, key("quayside", "since", 5), events}, {true, key("quayside", "issues", m{}), events}, {false, key("quayside", "likely", "quayside/5"), events},
		{true, key("quayside", "issue", 5), anything}, {true, key("gangway", "history", 9), anything}, {false, key("quayside", "likely", "quayside/5"), anything},
		{false, []any{"me"}, anything}, {false, key("quayside", "issues", m{}), m{"project": "quayside"}},
	} {
		calls = append(calls, call{c.want, "asksAgain", []any{c.key, c.change}})
	}
	check(t, "changes", calls)
}
