package text

import "testing"

func TestGlob(t *testing.T) {
	for _, c := range []struct {
		pattern, text string
		want          bool
	}{
		{"", "", true}, {"", "a", false}, {"*", "", true}, {"*", "anything", true}, {"a*c", "abbbc", true}, {"a*c", "abbb", false},
		{"*bot*", "Mozilla (crawlbot/2.1)", true}, {"*bot", "crawlbot/2", false}, {"a?c", "abc", true}, {"a?c", "ac", false}, {"a?c", "aéc", true},
		{"src/*/tides.ts", "src/a/b/tides.ts", true}, {"a*b*c", "a-b-b-c", true}, {"[a]", "[a]", true}, {"a**", "a", true}, {"A", "a", false},
	} {
		if got := Glob(c.pattern, c.text); got != c.want {
			t.Errorf("Glob(%q, %q) = %v", c.pattern, c.text, got)
		}
		if got := Glob(c.pattern, []byte(c.text)); got != c.want {
			t.Errorf("Glob(%q, bytes of %q) = %v", c.pattern, c.text, got)
		}
	}
}
