package symbolicate

import (
	"fmt"
	"strings"
	"testing"
)

func TestExcerpt(t *testing.T) {
	var b strings.Builder
	for i := range 30 {
		fmt.Fprintf(&b, "line %d\r\n", i+1)
	}
	text := b.String()
	for _, c := range []struct {
		line, first, last int
	}{{1, 1, 8}, {15, 8, 22}, {30, 23, 30}, {31, 0, 0}, {0, 0, 0}, {-3, 0, 0}} {
		got := Excerpt(Lines(text), c.line, 0)
		if c.first == 0 {
			if got != nil {
				t.Errorf("line %d: %v", c.line, got)
			}
			continue
		}
		if len(got) != c.last-c.first+1 || got[0].Line != c.first || got[0].Text != fmt.Sprint("line ", c.first) || got[len(got)-1].Text != fmt.Sprint("line ", c.last) {
			t.Errorf("line %d: %v", c.line, got)
		}
	}
	long := "first\n" + strings.Repeat("ä", 600) + "HERE" + strings.Repeat("ö", 600) + "\nlast"
	got := Excerpt(Lines(long), 2, 602)
	if len(got) != 3 || got[1].From != 602-sideOfColumn || !strings.Contains(got[1].Text, "HERE") || len([]rune(got[1].Text)) != 2*sideOfColumn {
		t.Errorf("a long line: %+v", got)
	}
	for _, column := range []int{-1, 5, 5000, farthestColumn + 1} { // before the part that is cut, behind the line, too far
		if got := Excerpt(Lines(long), 2, column); len(got) != 3 || got[1].From != 0 || len(got[1].Text) > maxSourceLine || got[1].Text == "" {
			t.Errorf("column %d: %+v", column, got)
		}
	}
	if got := Excerpt(Lines("a\xff\n"), 1, 0); len(got) != 1 || got[0].Text != "a\ufffd" {
		t.Errorf("bytes that are no text: %+v", got)
	}
}
