package console

import (
	"testing"
	"time"
)

func TestSettle(t *testing.T) {
	form := func(change map[string]any) map[string]any {
		f := map[string]any{"until": "", "events": "", "users": "", "doubled": false, "nextRelease": false, "newEnvironment": false}
		for k, v := range change {
			f[k] = v
		}
		return f
	}
	check(t, "settle", []call{
		{map[string]any{"release": "4.2.1"}, "fixOf", []any{"release", " 4.2.1 ", "", ""}},
		{nil, "fixOf", []any{"release", " ", "8ac1f00d", ""}},
		{map[string]any{"next": true, "why": "soon"}, "fixOf", []any{"next", "4.2.1", "", " soon "}},
		{map[string]any{"commit": "8ac1f00d"}, "fixOf", []any{"commit", "4.2.1", "8ac1f00d", ""}},
		{nil, "fixOf", []any{"commit", "", "the last one", ""}},
		{map[string]any{"now": true}, "fixOf", []any{"now", "", "", ""}},
		{nil, "parkOf", []any{form(nil)}},
		{nil, "parkOf", []any{form(map[string]any{"users": "-3", "events": "0"})}},
		{map[string]any{"users": 10, "until": "2026-12-24T00:00:00Z", "next_release": true}, "parkOf", []any{form(map[string]any{"users": "10", "until": "2026-12-24", "nextRelease": true})}},
		{"10 more users or the next release", "parkWords", []any{form(map[string]any{"users": "10", "nextRelease": true})}},
		{"1 more user or 2 others", "parkWords", []any{form(map[string]any{"users": "1", "doubled": true, "newEnvironment": true})}},
	})
}

func TestMany(t *testing.T) {
	rows := []string{"q/1", "q/2", "q/3", "q/4"}
	refused := []any{map[string]any{"issue": "q/3", "why": "it changed"}}
	check(t, "many", []call{
		{[]string{"q/2", "q/3", "q/4"}, "markRange", []any{rows, []string{"q/2"}, "q/2", "q/4"}},
		{[]string{"q/3", "q/1", "q/2"}, "markRange", []any{rows, []string{"q/3"}, "q/3", "q/1"}},
		{[]string{"q/2"}, "markRange", []any{rows, []string{}, "q/9", "q/2"}},
		{"3 issues dismissed. Undo takes it back", "manyWords", []any{"dismiss", 3, []any{}}},
		{"1 issue accepted; q/3 stays as it is: it changed. Undo takes it back", "manyWords", []any{"accept", 1, refused}},
		{"0 issues parked; 2 issues stay as they are, q/3 for one: it changed", "manyWords", []any{"park", 0, append(refused, refused[0])}},
		{"undone for 1,200 issues", "undoneWords", []any{1200, []any{}}},
		{"Mark 2 issues fixed", "askWords", []any{"fix", 2}},
	})
}

func TestGoodLink(t *testing.T) {
	check(t, "link", []call{
		{"https://quayside.example/a?b#c", "goodLink", []any{"https://quayside.example/a?b#c"}}, {"mailto:oke@marrowsound.example", "goodLink", []any{"mailto:oke@marrowsound.example"}},
		{"", "goodLink", []any{"javascript:alert(1)"}}, {"", "goodLink", []any{"java\tscript:alert(1)"}}, {"", "goodLink", []any{" data:text/html,x"}}, {"", "goodLink", []any{"//evil.example"}}, {"", "goodLink", []any{"/api/session"}}, {"", "goodLink", []any{"vbscript:x"}},
	})
}

func TestDays(t *testing.T) {
	now := float64(time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC).UnixMilli())
	check(t, "days", []call{
		{"Today", "dayTitle", []any{"2026-11-26T11:59:00Z", now}},
		{"Yesterday", "dayTitle", []any{"2026-11-25T12:00:00Z", now}},
		{"Tuesday 24 November", "dayTitle", []any{"2026-11-24T12:00:00Z", now}},
		{"Wednesday 26 November 2025", "dayTitle", []any{"2025-11-26T12:00:00Z", now}},
		{[]any{}, "byDay", []any{[]any{}, now}},
		{[]any{
			map[string]any{"title": "Today", "items": []any{map[string]any{"at": "2026-11-26T12:00:00Z", "id": 3}, map[string]any{"at": "2026-11-26T11:00:00Z", "id": 2}}},
			map[string]any{"title": "Yesterday", "items": []any{map[string]any{"at": "2026-11-25T12:00:00Z", "id": 1}}},
		}, "byDay", []any{[]any{map[string]any{"at": "2026-11-26T12:00:00Z", "id": 3}, map[string]any{"at": "2026-11-26T11:00:00Z", "id": 2}, map[string]any{"at": "2026-11-25T12:00:00Z", "id": 1}}, now}},
	})
}
