package rules

import "testing"

func TestWithGroupingOf(t *testing.T) {
	const now = "# ours\nintake:\n  - name: crawlers\n    when: 'true'\n    do: drop\n\n# how\ngrouping:\n  - {name: a, when: 'true', extend: x}\nscrub:\n  - {name: s, kinds: email} # these\n"
	const before = "frames:\n- {name: f, path: x, do: own}\ngrouping: [{name: b, when: 'true', extend: y}]\nscrub: [{name: other, kinds: ip}]\n"
	got := WithGroupingOf(now, before)
	want := "# ours\nintake:\n  - name: crawlers\n    when: 'true'\n    do: drop\n\n# how\nscrub:\n  - {name: s, kinds: email} # these\nframes:\n- {name: f, path: x, do: own}\ngrouping: [{name: b, when: 'true', extend: y}]\n"
	if got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	a, b := read(t, got), read(t, before)
	if !a.GroupsAs(b) || a.GroupsAs(read(t, now)) {
		t.Error("the file does not group as the one it was taken from")
	}
	if none := read(t, WithGroupingOf(now, "")); !none.GroupsAs(nil) || len(none.Intake) != 1 || len(none.Scrub) != 1 {
		t.Errorf("without: %+v", none)
	}
	if got := WithGroupingOf("grouping: [{name: a, when: 'true', extend: x}]\n", ""); got != "" {
		t.Errorf("nothing is left: %q", got)
	}
}

func TestWithRule_PutsItFirst(t *testing.T) {
	const rule = "- name: 'new one'\n  when: 'origin.function == \"a: b\"'\n  extend:\n    - '${x.y}'\n    - z\n"
	for name, text := range map[string]string{
		"no file":               "",
		"no section":            "# ours\nintake:\n  - {name: a, when: 'true', do: keep}\n",
		"a section":             "grouping:\n  # first\n  - name: old\n    when: 'true'\n    extend: x\nscrub: [{name: s, kinds: ip}]\n",
		"not indented":          "grouping:\n- name: old\n  when: 'true'\n  extend: x\n",
		"a section in flow":     "grouping: [{name: old, when: 'true', extend: x}]\nscrub: [{name: s, kinds: ip}]\n",
		"flow on several lines": "grouping: [\n  {name: old, when: 'true', extend: x}\n]\n",
		"an empty section":      "grouping:\nscrub: [{name: s, kinds: ip}]\n",
		"an empty list":         "grouping: []\n",
	} {
		got := WithRule(text, "grouping", rule)
		set, faults := Read(got)
		if len(faults) > 0 || len(set.Grouping) == 0 || set.Grouping[0].Name != "new one" || len(set.Grouping[0].Extend) != 2 {
			t.Errorf("%s: %v\n%s", name, faults, got)
			continue
		}
		before := read(t, text)
		if len(set.Grouping) != len(before.Grouping)+1 || len(set.Scrub) != len(before.Scrub) || len(set.Intake) != len(before.Intake) {
			t.Errorf("%s: rules are lost:\n%s", name, got)
		}
	}
}
