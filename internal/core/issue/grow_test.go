package issue

import "testing"

func TestGrow(t *testing.T) {
	for users, want := range map[int64]int64{0: 0, 9: 0, 10: 10, 99: 10, 100: 100, 101: 100, 999_999: 100_000, 1_000_000: 1_000_000, 1<<63 - 1: 1_000_000_000_000_000_000} {
		if got := GrownTo(users); got != want {
			t.Errorf("GrownTo(%d) = %d, want %d", users, got, want)
		}
	}
	for _, s := range statuses() {
		e := Grow(s, 1000)
		if (e != nil) != (s.State == Accepted) {
			t.Errorf("%s: %+v", s.State, e)
		}
		if e != nil && (e.Text != "it hit 1,000 users by now" || e.Before != nil || len(e.Notify) != 1) {
			t.Errorf("%+v", e)
		}
	}
}
