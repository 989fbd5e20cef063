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
	} {
		if got := JSONStringEnd([]byte(c.in), 0); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
}
