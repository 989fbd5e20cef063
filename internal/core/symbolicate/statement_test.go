package symbolicate

import (
	"strings"
	"testing"
)

func TestStatementAt(t *testing.T) {
	for want, c := range map[string]string{
		"const x = rows[0].tide":  "  const x =   rows[0]@.tide;  // high",
		"return rows.map(r => r)": "function f(){ return rows.@map(r => r) }",
		"open(gate)":              "a(); 😀(); open(@gate); b()",
		"last()":                  "x = {}; last@()",
		"":                        "foo({@})",
	} {
		line, at := strings.Replace(c, "@", "", 1), 0
		for _, r := range c[:strings.IndexByte(c, '@')] {
			if at++; r > 0xffff {
				at++
			}
		}
		if got := statementAt(line, at); got != want {
			t.Errorf("%s: %q, want %q", c, got, want)
		}
	}
	if got := statementAt(strings.Repeat("x", 5000), 2000); len(got) > mostStatement+len("…") {
		t.Errorf("%d bytes of a line without end", len(got))
	}
}
