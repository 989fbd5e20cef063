package console

import "testing"

func TestRoles(t *testing.T) {
	me := func(everywhere string, roles map[string]string) map[string]any {
		m := map[string]any{"roles": roles}
		if everywhere != "" {
			m["everywhere"] = everywhere
		}
		return m
	}
	some := map[string]string{"quayside": "viewer", "gangway": "maintainer"}
	check(t, "roles", []call{
		{"viewer", "roleIn", []any{me("", some), "quayside"}}, {"maintainer", "roleIn", []any{me("", some), "gangway"}}, {"", "roleIn", []any{me("", some), "bosun"}},
		{"member", "roleIn", []any{me("member", some), "quayside"}}, {"maintainer", "roleIn", []any{me("member", some), "gangway"}}, {"member", "roleIn", []any{me("member", some), "bosun"}},
		{"", "roleIn", []any{me("captain", map[string]string{}), "bosun"}},
		{true, "atLeast", []any{"maintainer", "member"}}, {true, "atLeast", []any{"member", "member"}}, {false, "atLeast", []any{"viewer", "member"}}, {false, "atLeast", []any{"", "viewer"}},
		{"no role", "rolesWords", []any{map[string]any{"operator": false}}},
		{"operator; member of all projects", "rolesWords", []any{map[string]any{"operator": true, "everywhere": "member"}}},
		{"maintainer of a, c; viewer of b", "rolesWords", []any{map[string]any{"operator": false, "roles": []map[string]string{
			{"project": "a", "role": "maintainer"}, {"project": "b", "role": "viewer"}, {"project": "c", "role": "maintainer"}}}}},
		{"viewer of a, b; and in 30 more projects", "rolesWords", []any{map[string]any{"operator": false, "more_roles": 30, "roles": []map[string]string{
			{"project": "a", "role": "viewer"}, {"project": "b", "role": "viewer"}}}}},
	})
}

func TestTokens(t *testing.T) {
	draft := func(kind, label string, days int, chosen []string, projects ...string) map[string]any {
		return map[string]any{"kind": kind, "label": label, "days": days, "chosen": append([]string{}, chosen...), "projects": append([]string{}, projects...)}
	}
	triage := []string{"issues:read", "issues:triage"}
	check(t, "tokens", []call{
		{"Name its purpose.", "missing", []any{draft("person", "  ", 90, nil), false}},
		{"", "missing", []any{draft("person", "terminal", 90, nil), false}},
		{"Choose the projects it is good for.", "missing", []any{draft("build", "ci", 90, nil), false}},
		{"", "missing", []any{draft("build", "ci", 90, nil), true}}, {"", "missing", []any{draft("build", "ci", 90, nil, "quayside"), false}},
		{"Choose its permissions.", "missing", []any{draft("service", "bot", 90, nil, "quayside"), false}},
		{map[string]any{"label": "ci", "scope": "build", "projects": []string{"quayside"}, "days": 90}, "asked", []any{draft("build", " ci ", 90, triage, "quayside")}},
		{map[string]any{"label": "bot", "scope": "service", "permissions": triage, "never": true}, "asked", []any{draft("service", "bot", 0, triage)}},
		{"firethorn token create --scope build --projects quayside,gangway --days 30 'the ferry'\\''s build'", "commandOf", []any{draft("build", "the ferry's build", 30, nil, "quayside", "gangway")}},
		{"firethorn token create --scope service --permission issues:read --permission issues:triage --never -- -x", "commandOf", []any{draft("service", "-x", 0, triage)}},
		{"everything", "mayWords", []any{"service", []string{"issues:read", "admin"}}},
		{"all permissions of the person", "mayWords", []any{"person", []string{"symbols:push", "releases:announce", "rules:check", "rules:push", "issues:read", "issues:triage", "events:read", "export"}}},
		{"issues:read, issues:triage", "mayWords", []any{"person", triage}},
		{"symbols:push, releases:announce, rules:check, rules:push", "mayWords", []any{"build", []string{"symbols:push", "releases:announce", "rules:check", "rules:push"}}},
	})
	check(t, "link", []call{
		{"abcdefghijklmnopqrstuvwxyz012345", "linkSecret", []any{" http://127.0.0.1:7420/sign-in#abcdefghijklmnopqrstuvwxyz012345\n"}},
		{"abcdefghijklmnopqrstuvwxyz012345", "linkSecret", []any{"abcdefghijklmnopqrstuvwxyz012345"}}, {"", "linkSecret", []any{"http://127.0.0.1:7420/sign-in"}}, {"", "linkSecret", []any{"tide"}},
	})
}

func TestFew(t *testing.T) {
	texts := []string{"Maren Holt maren.holt@marrowsound.example", "Oke Farrow oke@marrowsound.example", "Ole Holt ole@marrowsound.example"}
	var all []string
	var first []int
	for i := range 450 {
		all = append(all, "Clerk")
		if i < 200 {
			first = append(first, i)
		}
	}
	check(t, "few", []call{
		{m{"shown": []int{0, 1, 2}, "fit": 3}, "few", []any{texts, ""}}, {m{"shown": []int{0, 2}, "fit": 2}, "few", []any{texts, " holt"}},
		{m{"shown": []int{2}, "fit": 1}, "few", []any{texts, "HOLT ole"}}, {m{"shown": []int{}, "fit": 0}, "few", []any{texts, "tide"}},
		{m{"shown": first, "fit": 450}, "few", []any{all, "clerk"}},
	})
}

func TestBrowsers(t *testing.T) {
	const mozilla = "Mozilla/5.0 "
	check(t, "browsers", []call{
		{"Firefox 151 on Linux", "browserOf", []any{mozilla + "(X11; Linux x86_64; rv:151.0) Gecko/20100101 Firefox/151.0"}},
		{"Chrome 148 on Windows", "browserOf", []any{mozilla + "(Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/148.0.0.0 Safari/537.36"}},
		{"Edge 148 on Windows", "browserOf", []any{mozilla + "(Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/148.0.0.0 Safari/537.36 Edg/148.0.0.0"}},
		{"Safari 26 on iOS", "browserOf", []any{mozilla + "(iPhone; CPU iPhone OS 26_1 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/26.1 Mobile/15E148 Safari/604.1"}},
		{"Safari 26 on macOS", "browserOf", []any{mozilla + "(Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/26.1 Safari/605.1.15"}},
		{"curl/8.9", "browserOf", []any{"curl/8.9"}}, {"unknown browser", "browserOf", []any{""}},
	})
}
