package console

import "testing"

// Shares have as many places as tell them from all; projects come worst first.
func TestHealth(t *testing.T) {
	share := func(share, low, high float64) m { return m{"share": share, "low": low, "high": high} }
	project := func(name string, wrong []string, back, fresh int) m {
		return m{"project": name, "wrong": wrong, "came_back": back, "new_issues": fresh}
	}
	a, b, c, d := project("bosun", []string{}, 0, 3), project("gangway", []string{}, 2, 0), project("quayside", []string{"4.2.0 is worse"}, 0, 0), project("anchor", []string{}, 0, 3)
	check(t, "health", []call{
		{"100 %", "percent", []any{1}}, {"0 %", "percent", []any{0}}, {"99.95 %", "percent", []any{0.9995}}, {"66.7 %", "percent", []any{2.0 / 3}}, {"0.42 %", "percent", []any{0.0042}},
		{"97.11 % (96.84 to 97.36)", "withInterval", []any{share(0.9711, 0.9684, 0.9736)}},
		{0.958, "lowest", []any{[]m{share(0.99, 0.97, 1), share(0.98, 0.96, 1)}}}, {0.988, "lowest", []any{[]m{}}},
		{0, "place", []any{0.5, 0.98}}, {1, "place", []any{1, 0.98}},
		{"+12 %", "changed", []any{112, 100}}, {"−50 %", "changed", []any{50, 100}}, {"±0 %", "changed", []any{1000, 1001}}, {"", "changed", []any{7, 0}},
		{[]m{c, b, d, a}, "worstFirst", []any{[]m{a, b, c, d}}},
	})
}

func TestStrip_InWords(t *testing.T) {
	strip := m{"at": []int{0, 3600}, "stacked": [][]int{{1, 3}}, "events": []int{1, 3}, "users": []int{}, "interval": 3600}
	none := m{"at": []int{0}, "stacked": [][]int{{0}}, "events": []int{0}, "users": []int{}, "interval": 60}
	check(t, "strip", []call{
		{"No session in this time", "stripInWords", []any{none, "x", "session"}},
		{0, "momentAt", []any{strip, 10}},
	})
}
