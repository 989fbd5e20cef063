package console

import "testing"

func TestRound(t *testing.T) {
	item := func(id string) map[string]any { return map[string]any{"id": id, "state": "new", "version": 1} }
	entry := func(id string, more ...any) map[string]any {
		e := map[string]any{"item": item(id)}
		for i := 0; i < len(more); i += 2 {
			e[more[i].(string)] = more[i+1]
		}
		return e
	}
	round := func(at int, steps []any, entries ...any) map[string]any {
		return map[string]any{"entries": entries, "at": at, "steps": steps}
	}
	step := func(id, kind string) map[string]any { return map[string]any{"id": id, "kind": kind} }
	by := func(words, who string) map[string]any { return map[string]any{"words": words, "by": who} }
	none := []any{}
	dismissed := []any{map[string]any{"issue": "q/1", "actor": "Operator", "words": "dismissed"}}
	nothing := round(0, none, []any{}...)
	nothing["entries"] = []any{}
	three := round(0, none, entry("q/1"), entry("q/2"), entry("q/3"))
	check(t, "round", []call{
		{three, "join", []any{nothing, []any{item("q/1"), item("q/2"), item("q/3")}, []any{}}},
		// What comes meanwhile stands behind the others; what others decided is said.
		{round(0, none, entry("q/1"), entry("q/2", "done", by("Oke Farrow: accepted", "other")), entry("q/3"), entry("q/4")), "join", []any{three, []any{item("q/4"), item("q/1"), item("q/3")}, []any{map[string]any{"issue": "q/2", "actor": "Oke Farrow", "words": "accepted"}}}},
		{round(0, none, entry("q/1", "done", by("it woke", "other"))), "join", []any{round(0, none, entry("q/1")), []any{}, []any{map[string]any{"issue": "q/1", "actor": "", "words": "it woke"}}}},
		// What others decided and took back waits again; mine stays mine.
		{round(0, none, entry("q/1")), "join", []any{round(0, none, entry("q/1", "done", by("x", "other"))), []any{item("q/1")}, []any{}}},
		{round(1, []any{step("q/1", "decision")}, entry("q/1", "done", by("…", "me"))), "join", []any{round(1, []any{step("q/1", "decision")}, entry("q/1", "done", by("…", "me"))), []any{item("q/1")}, []any{}}},
		// A list that was asked for before the service answered me does not know what I did: it is no news.
		{map[string]any{"entries": []any{entry("q/1", "unanswered", 0, "answered", 3)}, "at": 0, "steps": none, "answers": 3}, "answered",
			[]any{map[string]any{"entries": []any{entry("q/1", "unanswered", 1)}, "at": 0, "steps": none, "answers": 2}, "q/1"}},
		{round(0, none, entry("q/1", "unanswered", 2), entry("q/2")), "asked", []any{round(0, none, entry("q/1", "unanswered", 1), entry("q/2")), "q/1"}},
		{round(0, none, entry("q/1", "unanswered", 1)), "join", []any{round(0, none, entry("q/1", "unanswered", 1)), []any{}, dismissed, 5}},
		{round(0, none, entry("q/1", "answered", 3)), "join", []any{round(0, none, entry("q/1", "answered", 3)), []any{}, dismissed, 2}},
		{round(0, none, entry("q/1", "answered", 3, "done", by("Operator: dismissed", "other"))), "join", []any{round(0, none, entry("q/1", "answered", 3)), []any{}, dismissed, 3}},
		// After the end something new is claimed at once.
		{round(1, none, entry("q/1", "later", true), entry("q/2")), "join", []any{round(1, none, entry("q/1", "later", true)), []any{item("q/1"), item("q/2")}, []any{}}},
		{round(1, []any{step("q/1", "decision")}, entry("q/1", "done", by("…", "me")), entry("q/2"), entry("q/3")), "decided", []any{three, "q/1", "…"}},
		{round(3, []any{step("q/3", "later")}, entry("q/1", "later", true), entry("q/2", "later", true), entry("q/3", "later", true)), "later", []any{round(2, none, entry("q/1", "later", true), entry("q/2", "later", true), entry("q/3")), "q/3", "later"}},
		// From the last one it goes on with what was left before.
		{round(1, []any{step("q/3", "seen")}, entry("q/1", "later", true), entry("q/2"), entry("q/3", "later", true)), "later", []any{round(2, none, entry("q/1", "later", true), entry("q/2"), entry("q/3")), "q/3", "seen"}},
		{round(1, none, entry("q/1", "done", by("accepted", "me")), entry("q/2")), "confirmed", []any{round(1, none, entry("q/1", "done", by("…", "me")), entry("q/2")), "q/1", "accepted"}},
		{round(0, none, entry("q/1"), entry("q/2")), "confirmed", []any{round(0, none, entry("q/1"), entry("q/2")), "q/1", "accepted"}}, // undone by now
		// What is undone waits again; a severity or a comment was no decision.
		{round(0, []any{step("q/2", "decision")}, entry("q/1"), entry("q/2")), "again", []any{round(1, []any{step("q/2", "decision"), step("q/1", "decision")}, entry("q/1", "done", by("…", "me")), entry("q/2")), "q/1"}},
		{round(0, none, entry("q/1"), entry("q/2")), "again", []any{round(1, []any{step("q/1", "seen")}, entry("q/1", "later", true), entry("q/2")), "q/1"}},
		{round(0, none, entry("q/1", "later", true), entry("q/2")), "again", []any{round(1, []any{step("q/1", "severity")}, entry("q/1", "later", true), entry("q/2")), "q/1"}},
		{round(1, none, entry("q/1"), entry("q/2")), "again", []any{round(0, none, entry("q/1"), entry("q/2", "later", true)), "q/2"}},
		{round(0, []any{step("q/1", "comment")}, entry("q/1"), entry("q/2")), "stepped", []any{round(0, none, entry("q/1"), entry("q/2")), step("q/1", "comment")}},
		{round(2, none, entry("q/1"), entry("q/2"), entry("q/3")), "look", []any{three, 9}},
		{nothing, "look", []any{nothing, 1}},
		{map[string]any{"waiting": 1, "mine": 1, "others": 1, "later": 1}, "tally", []any{round(0, none, entry("q/1"), entry("q/2", "done", by("", "me")), entry("q/3", "done", by("", "other")), entry("q/4", "later", true))}},
		{[]any{item("q/3"), item("q/1")}, "upcoming", []any{round(1, none, entry("q/1"), entry("q/2"), entry("q/3")), 2}},
		{[]any{item("q/1")}, "upcoming", []any{round(1, none, entry("q/1"), entry("q/2"), entry("q/3", "later", true)), 2}},
		{"fatal", "severer", []any{"error", 1}}, {nil, "severer", []any{"fatal", 1}}, {nil, "severer", []any{"debug", -1}}, {"info", "severer", []any{"warning", -1}}, {nil, "severer", []any{"odd", 1}},
		{"in 4.2.1: the release it was fixed in", "sequel", []any{"came back in 4.2.1: the release it was fixed in"}}, {"30 events", "sequel", []any{"surging: 30 events"}}, {"in 4.2.0", "sequel", []any{"new in 4.2.0"}}, {"it hit 10 users by now", "sequel", []any{"it hit 10 users by now"}},
		{[]any{map[string]any{"actor": "Oke Farrow", "kind": "fix"}}, "byPeople", []any{[]any{map[string]any{"actor": "", "kind": "regressed"}, map[string]any{"actor": "Oke Farrow", "kind": "fix"}, map[string]any{"actor": "Maren Holt", "kind": "accept", "undone": true}, map[string]any{"actor": "Maren Holt", "kind": "undo"}}}},
		{"42 s", "took", []any{42}}, {"4 min 02 s", "took", []any{242}},
	})
}

func TestScoring(t *testing.T) {
	check(t, "scoring", []call{
		{40.5, "numberOf", []any{" 40,5 ", 0, 1000}}, {nil, "numberOf", []any{"many", 0, 1000}}, {nil, "numberOf", []any{"", 0, 1000}}, {nil, "numberOf", []any{"-1", 0, 1000}}, {nil, "numberOf", []any{"1e9", 0, 1000}}, {nil, "numberOf", []any{"Infinity", 0, 1000}},
		{"▲ 3", "moved", []any{2, 5}}, {"▼ 1", "moved", []any{2, 1}}, {"=", "moved", []any{2, 2}}, {"new", "moved", []any{2, nil}},
		{5.0, "asShare", []any{0.05}}, {12.3, "asShare", []any{0.123}},
	})
}
