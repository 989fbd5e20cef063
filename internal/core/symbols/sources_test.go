package symbols

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// built is a kept build's map with some of its sources' text changed, and what
// was found of that.
func built(t *testing.T, build string, change func(source, text string) string) (m *sourcemap.Map, raw []byte) {
	t.Helper()
	raw, err := os.ReadFile("testdata/typed/" + build + "/main.js.map")
	if err != nil {
		t.Fatal(err)
	}
	var parts map[string]any
	if err := json.Unmarshal(raw, &parts); err != nil {
		t.Fatal(err)
	}
	contents := parts["sourcesContent"].([]any)
	for i, s := range parts["sources"].([]any) {
		contents[i] = change(s.(string), contents[i].(string))
	}
	if raw, err = json.Marshal(parts); err != nil {
		t.Fatal(err)
	}
	if m, err = sourcemap.Parse(raw); err != nil {
		t.Fatal(err)
	}
	return m, raw
}

// Texts that are not what a map was made from are found out, from where they
// differ on; texts as they were never are.
func TestCompile_DoubtsTextsOfAnotherBuild(t *testing.T) {
	insert := func(line int) func(source, text string) string {
		return func(source, text string) string {
			if !strings.HasSuffix(source, "functions.ts") {
				return text
			}
			lines := strings.SplitAfter(text, "\n")
			return strings.Join(lines[:line], "") + "const added = 1\n" + strings.Join(lines[line:], "")
		}
	}
	for name, c := range map[string]struct {
		change func(source, text string) string
		want   string // "" for no doubt; else what the doubt says
	}{
		"as they were":          {func(_, text string) string { return text }, ""},
		"a line at the top":     {insert(2), "line 1 "},
		"a line in the middle":  {insert(40), "line"},
		"carriage returns too":  {func(_, text string) string { return strings.ReplaceAll(text, "\n", "\r\n") }, ""},
		"carriage returns only": {func(_, text string) string { return strings.ReplaceAll(text, "\n", "\r") }, ""},
		"a byte order mark":     {func(_, text string) string { return "\ufeff" + text }, ""},
		"another file's":        {func(s, text string) string { return strings.Repeat("export const x = 1\n", 100) }, "line 1 "},
		"a broken one": {func(s, text string) string {
			if strings.HasSuffix(s, "classes.ts") {
				return text + "\n%%"
			}
			return text
		}, "cannot be read from line"},
	} {
		for _, build := range []string{"esbuild-min", "webpack-min", "rollup-terser", "parcel-min", "tsc-es5-bundle-uglify"} {
			t.Run(name+", "+build, func(t *testing.T) {
				m, _ := built(t, build, c.change)
				_, doubts, err := Compile(m, nil)
				if err != nil {
					t.Fatal(err)
				}
				if got := Doubts(doubts); c.want == "" && got != "" || !strings.Contains(got, c.want) {
					t.Errorf("doubts: %q, want %q", got, c.want)
				}
			})
		}
	}
}

// Where a text is of another build its functions are not believed: what stands
// before still is, and what stands behind comes from the built code, if at all.
func TestFunction_KeepsToWhatAgrees(t *testing.T) {
	m, _ := built(t, "esbuild-min", func(source, text string) string {
		if !strings.HasSuffix(source, "functions.ts") {
			return text
		}
		return strings.Replace(text, "export enum Tide", strings.Repeat("\n", 7)+"export enum Tide", 1)
	})
	compiled, doubts, err := Compile(m, nil)
	if err != nil || len(doubts) != 1 {
		t.Fatalf("%v, %v", doubts, err)
	}
	f := opened(t, compiled, 0)
	direct := NewDirect(m, nil)
	before, behind := 0, 0
	for seg := range m.Positions.All() {
		o, ok, err := f.Find(seg.Gen)
		if err != nil {
			t.Fatal(err)
		}
		if !ok || !strings.HasSuffix(o.Source, "functions.ts") {
			continue
		}
		got, known, err := f.Function(seg.Gen, o)
		if err != nil {
			t.Fatal(err)
		}
		if same, alike := direct.Function(seg.Gen, o); same != got || alike != known {
			t.Fatalf("%v: %v, %v compiled, %v, %v directly", o, got, known, same, alike)
		}
		switch {
		case o.Pos.Line < 30 && known:
			before++
		case o.Pos.Line > 60 && !known:
			behind++
		case o.Pos.Line < 30 || o.Pos.Line > 60:
			t.Errorf("%v is in %v, known %v", o, got, known)
		}
	}
	if before < 100 || behind < 100 {
		t.Errorf("%d places before and %d behind were looked at", before, behind)
	}
}

func TestDoubts_AreASentence(t *testing.T) {
	one := Doubt{"src/a.ts", "it cannot be read from line 3, column 1 on"}
	for want, list := range map[string][]Doubt{
		"": nil,
		"of one source function names come from the generated file, not from its own text; src/a.ts: it cannot be read from line 3, column 1 on":                                  {one},
		"of 4 sources function names come from the generated file, not from their own text; " + strings.Repeat("src/a.ts: it cannot be read from line 3, column 1 on; ", 3) + "…": {one, one, one, one},
	} {
		if got := Doubts(list); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// A source as large as the largest that tools make is read, and changes nothing
// about the others.
func TestCompile_TakesAHugeSource(t *testing.T) {
	m, err := sourcemap.Parse(
		[]byte(
			`{"version":3,"sources":["src/a.ts"],"sourcesContent":["` + strings.Repeat(
				`export const row = (x: { id: number }): number => x.id;\n`,
				370_000,
			) + `"],"mappings":"AAIgC"}`,
		),
	)
	if err != nil {
		t.Fatal(err)
	}
	compiled, doubts, err := Compile(m, nil)
	if err != nil || len(doubts) != 0 {
		t.Fatalf("%v, %v", doubts, err)
	}
	f := opened(t, compiled, 0)
	o, _, _ := f.Find(sourcemap.Pos{})
	if got, known, err := f.Function(sourcemap.Pos{}, o); got.Name != "row" || !known || err != nil {
		t.Errorf("%+v, %v, %v", got, known, err)
	}
}

// Both ways of asking count the line ends that the build counted.
func TestDirect_AnswersAsCompiledWithOtherLineEnds(t *testing.T) {
	m, _ := built(t, "parcel-min", func(_, text string) string { return strings.ReplaceAll(text, "\n", "\r") })
	compiled, _, err := Compile(m, nil)
	if err != nil {
		t.Fatal(err)
	}
	f, direct, named := opened(t, compiled, 0), NewDirect(m, nil), 0
	for seg := range m.Positions.All() {
		o, ok, err := f.Find(seg.Gen)
		if err != nil {
			t.Fatal(err)
		}
		if !ok {
			continue
		}
		got, known, err := f.Function(seg.Gen, o)
		if err != nil {
			t.Fatal(err)
		}
		if same, alike := direct.Function(seg.Gen, o); same != got || alike != known {
			t.Fatalf("%v: %v, %v compiled, %v, %v directly", o, got, known, same, alike)
		}
		if got.Name != "" {
			named++
		}
	}
	if named < 500 {
		t.Errorf("%d places have a name", named)
	}
}
