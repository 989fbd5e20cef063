package console

import "testing"

// TestUndo_TakesBackOnlyWhatNobodyBuiltOn: a decision can be undone until
// somebody else decides on top of it.
func TestUndo_TakesBackOnlyWhatNobodyBuiltOn(t *testing.T) {
	type m = map[string]any
	one := func(id string, before, now int) m {
		return m{"kind": "one", "id": id, "before": before, "now": now, "words": "accepted " + id}
	}
	many := m{"kind": "many", "project": "quayside", "bulk": 7, "words": "dismissed 3 issues"}
	check(t, "undo", []call{
		{[]m{one("q/1", 3, 4), one("q/2", 1, 2)}, "did", []any{[]m{one("q/1", 3, 4)}, one("q/2", 1, 2)}},
		{"dismissed quayside/5", "stepWords", []any{"dismiss", "quayside/5"}},
		// Mine on mine: the first is good again, at the version that undoing made.
		{[]m{one("q/1", 3, 6)}, "undone", []any{[]m{one("q/1", 3, 4), one("q/1", 4, 5)}, 6}},
		// Somebody decided between the two (4 became 5): the first is theirs to judge now.
		{[]m{many}, "undone", []any{[]m{one("q/1", 3, 4), many, one("q/1", 5, 6)}, 7}},
		{[]m{one("q/2", 1, 2)}, "undone", []any{[]m{one("q/2", 1, 2), one("q/1", 4, 5)}, 6}},
		{[]m{one("q/1", 3, 4)}, "undone", []any{[]m{one("q/1", 3, 4), many}, nil}},
		{[]m{}, "undone", []any{[]m{}, nil}},
	})
	check(t, "current", []call{
		{0, "notCurrent", []any{[]m{{"status": "success", "data": 1, "dataUpdatedAt": 5}, {"status": "error", "dataUpdatedAt": 0}}}},
		{7, "notCurrent", []any{[]m{{"status": "error", "data": 1, "dataUpdatedAt": 9}, {"status": "error", "data": 1, "dataUpdatedAt": 7, "error": m{"status": 502}}}}},
		{0, "notCurrent", []any{[]m{{"status": "error", "data": 1, "dataUpdatedAt": 9, "error": m{"status": 404}}}}},
		{true, "lost", []any{m{"error": m{"status": 500}}}}, {false, "lost", []any{m{"error": m{"status": 500}, "data": 1}}},
		{true, "lost", []any{m{"error": m{"status": 404}, "data": 1}}}, {false, "lost", []any{m{"error": nil, "data": nil}}},
	})
}
