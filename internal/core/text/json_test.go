package text

import (
	"strings"
	"testing"
)

func TestJSONStringEnd(t *testing.T) {
	long := `"` + strings.Repeat(`\n at tideAt`, 50_000) + `"`
	for name, c := range map[string]struct {
		in   string
		want int
	}{
		"plain": {`"abc",1`, 5}, "empty": {`""`, 2}, "an escaped quote": {`"a\"b"`, 6}, "an escaped backslash at the end": {`"a\\"x"`, 5}, "both": {`"\\\""`, 6},
		"no end": {`"abc`, 4}, "cut in an escape": {`"abc\`, 5}, "the last quote is escaped": {`"abc\"`, 6}, "many escapes": {long, len(long)},
		"an escape at the end of what is looked at first": {`"` + strings.Repeat("a", shortString-1) + `\"b"c`, shortString + 4}, "a quote right behind it": {`"` + strings.Repeat("a", shortString) + `"`, shortString + 2},
		"a long one": {`"` + strings.Repeat("a", 1000) + `\"\\"`, 1006}, "cut in an escape there": {`"` + strings.Repeat("a", shortString-1) + `\`, shortString + 1},
	} {
		if got := JSONStringEnd([]byte(c.in), 0); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
}
