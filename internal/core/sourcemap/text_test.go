package sourcemap

import (
	"strings"
	"testing"
	"unicode/utf16"
)

func TestText_KnowsPlacesBothWays(t *testing.T) {
	for name, src := range map[string]string{
		"empty":             "",
		"lines":             "a\nbc\n\nd",
		"wide":              strings.Repeat("é😀\n漢 b", 200),
		"one long line":     strings.Repeat("x😀", 1000),
		"a byte order mark": "\ufeffa = 1\nb",
		"carriage returns":  "a\r\nb\r\n",
	} {
		text := NewText(src)
		want := Pos{}
		for off, r := range src + "\x00" {
			if off == 0 && r == '\ufeff' {
				continue
			}
			if got := text.At(off); got != want {
				t.Fatalf("%s: offset %d is at %v, want %v", name, off, got, want)
			}
			if got, ok := text.Offset(want); got != off || !ok {
				t.Fatalf("%s: %v is at offset %d, %v, want %d", name, want, got, ok, off)
			}
			if want.Col += int32(len(utf16.Encode([]rune{r}))); r == '\n' {
				want = Pos{Line: want.Line + 1}
			}
		}
	}
	text := NewText("ab\ncd")
	for _, p := range []Pos{{Line: 0, Col: 3}, {Line: 1, Col: 3}, {Line: 2}, {Line: -1}} {
		if off, ok := text.Offset(p); ok {
			t.Errorf("%v is at offset %d", p, off)
		}
	}
}
