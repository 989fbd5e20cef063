package console

import "testing"

// What a form of settings asks for: only what changed, and nothing that cannot be.
func TestSettings(t *testing.T) {
	project := m{"origins": []string{"https://quayside.example"}, "keep_days": 30, "keep_symbols": 180, "allowance": m{"minute": 100, "day": 0},
		"release_order": "auto", "log_messages": "off"}
	before := m{"origins": "https://quayside.example", "keepDays": "30", "keepSymbols": "180", "minute": "100", "day": "0", "order": "auto", "logs": "off", "countries": "off", "cutOff": "not", "repository": "", "link": ""}
	with := func(changes m) m {
		out := m{}
		for k, v := range before {
			out[k] = v
		}
		for k, v := range changes {
			out[k] = v
		}
		return out
	}
	check(t, "settings", []call{
		{before, "settingsOf", []any{project}},
		{m{"body": m{}, "wrong": ""}, "changesOf", []any{before, before}},
		{m{"body": m{"origins": []string{}, "keep_days": 90}, "wrong": ""}, "changesOf", []any{before, with(m{"origins": " \n", "keepDays": "90"})}},
		{m{"body": m{"origins": []string{"*"}, "allowance_minute": -1, "repository": "https://code.example/q.git"}, "wrong": ""}, "changesOf",
			[]any{before, with(m{"origins": " * ", "minute": "-1", "repository": " https://code.example/q.git "})}},
		{m{"body": m{"cut_off_crashes": true}, "wrong": ""}, "changesOf", []any{before, with(m{"cutOff": "crashed"})}},
		{m{"body": m{"locate_users": true}, "wrong": ""}, "changesOf", []any{before, with(m{"countries": "on"})}},
		{m{"body": m{}, "wrong": "Events a day: write a whole number from -1 to 4,000,000,000."}, "changesOf", []any{before, with(m{"day": "many"})}},
		{m{"body": m{}, "wrong": "Days of symbols: write a whole number from 1 to 3,650."}, "changesOf", []any{before, with(m{"keepSymbols": ""})}},
		{m{"body": m{}, "wrong": "quayside.example is no origin: write it like https://quayside.example, without a path."}, "changesOf", []any{before, with(m{"origins": "quayside.example"})}},
	})
}
