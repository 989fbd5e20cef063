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
