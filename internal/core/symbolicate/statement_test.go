package symbolicate

import (
	"strings"
	"testing"

	"firethorn/internal/core/event"
	"firethorn/internal/core/sourcemap"
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
	if got := statementAt(strings.Repeat("x", 5000), 2000); len(got) > maxStatement+len("…") {
		t.Errorf("%d bytes of a line without end", len(got))
	}
}

// Where no function can be known the build's own name for it is not kept: what
// its source says there represents it, where that is known.
func TestFrame_NeverKeepsANameOfTheBuild(t *testing.T) {
	raw := event.RawFrame{Function: "t", File: "https://q.example/app.js", Line: 1, Column: 19}
	for name, c := range map[string]struct {
		content, code string
		line          int
		want          event.Frame
	}{
		"a map alone":                 {`"function tideAt(day: number) { return rows[day] }"`, "", 1, event.Frame{Function: "tideAt"}},
		"of a text that is no script": {`"function tideAt( {\nreturn   rows[day]; }"`, "", 1, event.Frame{Statement: "return rows[day]"}},
		"without the text":            {`null`, "", 1, event.Frame{}},
		"with the bundle":             {`null`, "function t(a){return a}", 1, event.Frame{}},
		"outside of the map":          {`"let a"`, "", 2, event.Frame{}},
	} {
		t.Run(name, func(t *testing.T) {
			// Column 18 comes from line 2, column 9 of the source, or line 1, column 32 where it has one line.
			mappings := "kBACS"
			if !strings.Contains(c.content, `\n`) {
				mappings = "kBAA+B"
			}
			m, err := sourcemap.Parse(
				[]byte(
					`{"version":3,"sources":["src/tides.ts"],"sourcesContent":[` + c.content + `],"names":[],"mappings":"` + mappings + `"}`,
				),
			)
			if err != nil {
				t.Fatal(err)
			}
			var code []byte
			if c.code != "" {
				code = []byte(c.code)
			}
			at := raw
			at.Line = c.line
			got := Frame(at, compile(t, m, code), "", Options{Clean: strings.ToLower})
			if got.Function != c.want.Function || got.Statement != c.want.Statement || got.Raw.Function != "t" {
				t.Errorf(
					"function %q, statement %q, raw %q; want %q, %q",
					got.Function,
					got.Statement,
					got.Raw.Function,
					c.want.Function,
					c.want.Statement,
				)
			}
			if (got.WhyRaw == "") != (c.want.Function != "" || c.code != "") {
				t.Errorf("why raw: %q", got.WhyRaw)
			}
		})
	}
}
