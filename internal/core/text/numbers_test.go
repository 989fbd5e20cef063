package text

import "testing"

func TestCounted(t *testing.T) {
	for n, want := range map[int64]string{0: "0 users", 1: "1 user", 2: "2 users", 999: "999 users", 1204: "1,204 users", 1_000_000: "1,000,000 users", -120: "-120 users", -1204: "-1,204 users"} {
		if got := Counted(n, "user"); got != want {
			t.Errorf("%d: %q, want %q", n, got, want)
		}
	}
}
