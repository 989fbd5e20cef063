package text

import "testing"

func TestNearest_IsSilentWhereNoneIsNear(t *testing.T) {
	words := []string{"fingerprint", "issue", "release", "rules", "Status"}
	for word, want := range map[string]string{"isue": "issue", "ruels": "rules", "status": "Status", "finger-print": "fingerprint",
		"sign-in": "", "relaese": "release", "tide": "", "": ""} {
		if got := Nearest(word, words); got != want {
			t.Errorf("Nearest(%q) = %q, want %q", word, got, want)
		}
	}
}
