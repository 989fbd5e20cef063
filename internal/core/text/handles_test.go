package text

import "testing"

func TestHandle(t *testing.T) {
	for handle, want := range map[string]bool{"maren.holt": true, "Maren.Holt": true, "marenholt": true, "maren-holt": true, "m.holt": true, "maren": false, "holt": false, "": false, "mholt": false} {
		if got := Handle(handle, "Maren Holt", "m.holt@marrowsound.example"); got != want {
			t.Errorf("%q means her: %v, want %v", handle, got, want)
		}
	}
}
