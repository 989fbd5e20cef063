package symbols

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// large is a map of 20,000 lines with functions of one line each, and a source
// of 30,000 lines.
func large(t testing.TB) (m *sourcemap.Map, code string) {
	t.Helper()
	var c, mappings, text strings.Builder
	for i := range 20_000 {
		fmt.Fprintf(&c, "function f%d(a){return a.b(c)}\n", i)
		mappings.WriteString("AAAA,SAASA,EAAE,MAAI,CAAC;")
	}
	for i := range 30_000 {
		fmt.Fprintf(&text, "line %d of the tide table\\n", i)
	}
	raw := `{"version":3,"sources":["src/a.ts","src/b.ts",null],"sourcesContent":["` + text.String() + `",null,null],"names":["tideAt"],"ignoreList":[1],"mappings":"` + mappings.String() + `"}`
	m, err := sourcemap.Parse([]byte(raw))
	if err != nil {
		t.Fatal(err)
	}
	return m, c.String()
}

func compiled(t testing.TB, m *sourcemap.Map, code []byte) []byte {
	t.Helper()
	raw, _, err := Compile(m, code)
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

func opened(t testing.TB, raw []byte, keep int) *File {
	t.Helper()
	f, err := Open(bytes.NewReader(raw), int64(len(raw)), keep)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// Without compiling the answers are the same.
func TestDirect_AnswersAsTheCompiledForm(t *testing.T) {
	for _, name := range []string{"esbuild-min", "rollup-terser", "rollup-uglify", "webpack-min"} {
		for _, typed := range []bool{false, true} {
			raw, err := os.ReadFile("testdata/names/" + name + ".mjs.map")
			if err != nil {
				t.Fatal(err)
			}
			if typed {
				raw = bytes.ReplaceAll(raw, []byte(`js",`), []byte(`js?",`))
			}
			code, err := os.ReadFile("testdata/names/" + name + ".mjs")
			if err != nil {
				t.Fatal(err)
			}
			m, err := sourcemap.Parse(raw)
			if err != nil {
				t.Fatal(err)
			}
			f, d := opened(t, compiled(t, m, code), 1<<20), NewDirect(m, code)
			named := 0
			for s := range m.Positions.All() {
				o, _, err := f.Find(s.Gen)
				if err != nil {
					t.Fatal(err)
				}
				want, known, err := f.Function(s.Gen, o)
				if err != nil {
					t.Fatal(err)
				}
				if got, ok := d.Function(s.Gen, o); got != want || ok != known {
					t.Fatalf("%s at %v: %+v, %v, want %+v, %v", name, s.Gen, got, ok, want, known)
				}
				if want.Name != "" {
					named++
				}
			}
			if named < 500 {
				t.Errorf("%s: only %d places lie in functions with a name", name, named)
			}
		}
	}
}

// What is compiled answers as the map itself does, at segments, between them,
// before the first and behind the last.
func TestFind_AnswersAsTheMap(t *testing.T) {
	m, code := large(t)
	f := opened(t, compiled(t, m, []byte(code)), 1<<20)
	maps := map[*sourcemap.Map]*File{m: f}
	for _, name := range []string{"esbuild-min", "webpack-plain", "rollup-uglify"} {
		raw, err := os.ReadFile("testdata/names/" + name + ".mjs.map")
		if err != nil {
			t.Fatal(err)
		}
		real, err := sourcemap.Parse(raw)
		if err != nil {
			t.Fatal(err)
		}
		maps[real] = opened(t, compiled(t, real, nil), 0)
	}
	asked := 0
	for m, f := range maps {
		i := 0
		for s := range m.Positions.All() {
			if i++; i%7 != 0 {
				continue
			}
			for _, at := range []sourcemap.Pos{s.Gen, {Line: s.Gen.Line, Col: s.Gen.Col + 1}, {Line: s.Gen.Line}, {Line: s.Gen.Line, Col: s.Gen.Col + 1e6}, {Line: s.Gen.Line + 1e6}} {
				want, ok := m.Find(at)
				got, found, err := f.Find(at)
				if err != nil || found != ok || got != want {
					t.Fatalf("at %v: %+v, %v, %v; the map says %+v, %v", at, got, found, err, want, ok)
				}
				asked++
			}
		}
		if segments, sources, _ := f.Counts(); f.Lines() != m.Lines() || segments != m.Segments() || sources != m.Sources() {
			t.Errorf("%d lines, %d segments, %d sources", f.Lines(), segments, sources)
		}
	}
	if asked < 10_000 {
		t.Errorf("only %d positions were asked for", asked)
	}
}

// counting counts what is read.
type counting struct {
	r     io.ReaderAt
	calls int
	bytes int
}

func (c *counting) ReadAt(p []byte, off int64) (int, error) {
	c.calls++
	c.bytes += len(p)
	return c.r.ReadAt(p, off)
}

func TestFile_ReadsTheBlocksItNeeds(t *testing.T) {
	m, code := large(t)
	raw := compiled(t, m, []byte(code))
	c := &counting{r: bytes.NewReader(raw)}
	f, err := Open(c, int64(len(raw)), 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	if c.calls != 2 || c.bytes > 20_000 {
		t.Errorf("opening reads %d times, %d bytes of %d", c.calls, c.bytes, len(raw))
	}
	for range 2 { // the second time from what was kept
		o, ok, err := f.Find(sourcemap.Pos{Line: 12_345, Col: 15})
		if err != nil || !ok {
			t.Fatal(o, ok, err)
		}
		if fn, known, err := f.Function(sourcemap.Pos{Line: 12_345, Col: 15}, o); err != nil || !known || fn.Name != "tideAt" {
			t.Errorf("function %+v, %v, %v", fn, known, err)
		}
		if lines, err := f.SourceLines(0, 20_000, 20_001, 100); err != nil || strings.Join(lines, "|") != "line 20000 of the tide table|line 20001 of the tide table" {
			t.Errorf("%q, %v", lines, err)
		}
	}
	if c.calls != 2+5 || c.bytes > 60_000 {
		t.Errorf("a frame reads %d times, %d bytes of %d", c.calls-2, c.bytes, len(raw))
	}
}

func TestSourceLines(t *testing.T) {
	wide := strings.Repeat("x", 100_000)
	text := "first\r\nsecond\n" + wide + "\nfourth\n\n" + wide + "y"
	quoted := strings.NewReplacer("\r", `\r`, "\n", `\n`).Replace(text)
	m, err := sourcemap.Parse([]byte(`{"version":3,"sources":["a","b"],"sourcesContent":["` + quoted + `",""],"mappings":"AAAA"}`))
	if err != nil {
		t.Fatal(err)
	}
	f := opened(t, compiled(t, m, nil), 0)
	for name, c := range map[string]struct {
		from, to int
		want     string
	}{
		"all":                    {0, 99, "first|second|xxxxx|fourth||xxxxx"},
		"the first":              {0, 0, "first"},
		"before the first":       {-5, 1, "first|second"},
		"behind a wide line":     {3, 4, "fourth|"},
		"a wide line":            {2, 2, "xxxxx"},
		"the last, without end":  {5, 5, "xxxxx"},
		"behind the end":         {6, 9, ""},
		"the wrong way round":    {3, 1, ""},
		"from within wide lines": {2, 3, "xxxxx|fourth"},
	} {
		t.Run(name, func(t *testing.T) {
			limit := 5
			if name == "all" || name == "the first" || strings.HasPrefix(name, "before") || strings.HasPrefix(name, "behind a") || strings.HasPrefix(name, "from") {
				limit = 6
			}
			lines, err := f.SourceLines(0, c.from, c.to, limit)
			for i, l := range lines {
				lines[i] = strings.Replace(l, "xxxxxx", "xxxxx", 1)
			}
			if got := strings.Join(lines, "|"); err != nil || got != c.want {
				t.Errorf("lines %d to %d = %q, %v, want %q", c.from, c.to, got, err, c.want)
			}
		})
	}
	if got, ok, err := f.Content(0); got != text || !ok || err != nil {
		t.Errorf("the whole text has %d bytes, %v, %v, want %d", len(got), ok, err, len(text))
	}
	if got, ok, err := f.Content(1); got != "" || !ok || err != nil {
		t.Errorf("an empty text: %q, %v, %v", got, ok, err)
	}
	if _, ok, _ := f.Content(2); ok {
		t.Error("a source that is not there has a text")
	}
}

// Where the source itself can be read its functions are known without the
// code; where neither is there, nothing is claimed.
func TestFunction_WithoutTheCode(t *testing.T) {
	for name, c := range map[string]struct {
		source, content string
		known           bool
		want            Function
	}{
		"JavaScript":           {"src/a.js", `"class G { open() {} }"`, true, Function{Name: "G.open"}},
		"anonymous":            {"src/a.js", `"function a(){ b(() => 1)}"`, true, Function{Within: "a › b"}},
		"with types":           {"src/a.ts", `"class G { open(){} }"`, true, Function{Name: "G.open"}},
		"markup":               {"src/a.js", `"let a = <b>{f(() => 1)}</b>;"`, true, Function{Within: "f"}},
		"a style sheet":        {"src/a.css", `".a { color: red }   "`, false, Function{}},
		"an open bracket":      {"src/a.js", `"class G { open() {} "`, false, Function{}},
		"without its text":     {"src/a.js", `null`, false, Function{}},
		"outside of functions": {"src/a.js", `"let a = 1                  "`, true, Function{}},
	} {
		t.Run(name, func(t *testing.T) {
			m, err := sourcemap.Parse([]byte(`{"version":3,"sources":["` + c.source + `"],"sourcesContent":[` + c.content + `],"mappings":"AAAiB"}`))
			if err != nil {
				t.Fatal(err)
			}
			f := opened(t, compiled(t, m, nil), 0)
			o, _, _ := f.Find(sourcemap.Pos{})
			if got, known, err := f.Function(sourcemap.Pos{}, o); got != c.want || known != c.known || err != nil {
				t.Errorf("Function = %+v, %v, %v, want %+v, %v", got, known, err, c.want, c.known)
			}
		})
	}
}

// A byte that is not as it was written is an error wherever it is read, never
// another answer.
func TestFile_NeverAnswersFromDamage(t *testing.T) {
	raw, err := os.ReadFile("testdata/names/esbuild-min.mjs.map")
	if err != nil {
		t.Fatal(err)
	}
	code, err := os.ReadFile("testdata/names/esbuild-min.mjs")
	if err != nil {
		t.Fatal(err)
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		t.Fatal(err)
	}
	good := compiled(t, m, code)
	type answer struct {
		o     sourcemap.Original
		fn    Function
		lines string
	}
	ask := func(f *File, at sourcemap.Pos) (a answer, err error) {
		if a.o, _, err = f.Find(at); err != nil {
			return a, err
		}
		if a.fn, _, err = f.Function(at, a.o); err != nil {
			return a, err
		}
		lines, err := f.SourceLines(a.o.Index, int(a.o.Pos.Line)-3, int(a.o.Pos.Line)+3, 200)
		a.lines = strings.Join(lines, "\n")
		return a, err
	}
	rng := rand.New(rand.NewPCG(1, 2))
	failed := 0
	for range 3000 {
		bad := bytes.Clone(good)
		bad[rng.IntN(len(bad))] ^= byte(1 + rng.IntN(255))
		at := sourcemap.Pos{Line: 0, Col: rng.Int32N(4000)}
		want, err := ask(opened(t, good, 0), at)
		if err != nil {
			t.Fatal(err)
		}
		f, err := Open(bytes.NewReader(bad), int64(len(bad)), 0)
		var got answer
		if err == nil {
			got, err = ask(f, at)
		}
		if err != nil {
			failed++
			_, damage := errors.AsType[*DamageError](err)
			_, version := errors.AsType[*VersionError](err)
			if !damage && !version {
				t.Fatalf("%v is no DamageError", err)
			}
		} else if got != want {
			t.Fatalf("at %v: %+v, want %+v", at, got, want)
		}
	}
	if failed < 300 {
		t.Errorf("only %d of 3000 damages were met", failed)
	}
	for n := range len(good) {
		if _, err := Open(bytes.NewReader(good[:n]), int64(n), 0); err == nil {
			t.Fatalf("the first %d bytes of %d open", n, len(good))
		}
	}
}

// Whatever stands in a block whose sum is right, it is read without a panic
// and in bounds.
func FuzzBlocks(f *testing.F) {
	m, err := sourcemap.Parse([]byte(`{"version":3,"sources":["a.js"],"sourcesContent":["function a(){ b(() => 1)}"],"names":["n"],"mappings":"AAAAA,CAAC;AACA"}`))
	if err != nil {
		f.Fatal(err)
	}
	raw := compiled(f, m, []byte("function a(){b(()=>1)}"))
	file := opened(f, raw, 0)
	for k, list := range file.dir {
		for _, e := range list {
			block, err := unpack(raw[e.off:e.off+int64(e.stored)], e.length)
			if err != nil {
				f.Fatal(err)
			}
			f.Add(k, block, int32(1), int32(3))
		}
	}
	f.Add(int(kinds), []byte{1, 1, 1, 1, 1, 1, 0, 0, 3, 3, 9, 0, 0, 0, 0, 0}, int32(0), int32(0))
	f.Fuzz(func(t *testing.T, k int, block []byte, line, col int32) {
		at := sourcemap.Pos{Line: line, Col: col}
		n := numbers{b: block}
		switch kind(k) {
		case positions:
			p := readPositions(&n)
			if !n.bad {
				p.Find(at)
			}
		case functions:
			readBoundaries(&n, at)
		case labels, sources:
			readList(&n, true)
		case names:
			readList(&n, false)
		default:
			if file := (&File{}); file.directory(block, int64(len(block))) {
				file.around(positions, at)
				file.textBlock(int(line), int(col))
			}
		}
	})
}
