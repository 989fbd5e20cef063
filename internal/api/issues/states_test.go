package issues

import "testing"

func TestStatesOf_ExpandsOpenAndAll(t *testing.T) {
	for want, names := range map[int][]string{3: {"open"}, 6: {"all"}, 1: {"fixed"}, 4: {"open", "fixed", "new"}, 0: {}} {
		if got := statesOf(names); len(got) != want {
			t.Errorf("statesOf(%v) = %v, want %d states", names, got, want)
		}
	}
}
