package sourcemap

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

const plain = `{"version":3,"file":"app.js","sourceRoot":"src","sources":["a.ts",null,"node_modules/b.js"],"sourcesContent":["let a\nlet b",null,null],"names":["tideAt"],"ignoreList":[2],"debugId":"85314830-023F-4CF1-A267-535F4E37BB17","mappings":"AAAA,IAAIA;;EECJ,C,CDAA"}`

func TestFind(t *testing.T) {
	m, err := Parse([]byte(plain))
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		at   Pos
		ok   bool
		want string // source line:col name ignored exact
	}{
		"first segment":              {Pos{0, 0}, true, "src/a.ts 0:0  false true"},
		"between segments":           {Pos{0, 3}, true, "src/a.ts 0:0  false false"},
		"a segment with a name":      {Pos{0, 4}, true, "src/a.ts 0:4 tideAt false true"},
		"end of the line":            {Pos{0, 9999}, true, "src/a.ts 0:4 tideAt false false"},
		"an empty line":              {Pos{1, 0}, false, ""},
		"before the first on a line": {Pos{2, 1}, false, ""},
		"an ignored source":          {Pos{2, 2}, true, "src/node_modules/b.js 1:0  true true"},
		"a segment without a source": {Pos{2, 3}, false, ""},
		"a null source":              {Pos{2, 4}, true, " 1:0  false true"},
		"beyond the last line":       {Pos{3, 0}, false, ""},
		"negative":                   {Pos{-1, 0}, false, ""},
	} {
		t.Run(name, func(t *testing.T) {
			o, ok := m.Find(c.at)
			got := ""
			if ok {
				got = fmt.Sprintf("%s %d:%d %s %v %v", o.Source, o.Pos.Line, o.Pos.Col, o.Name, o.Ignored, o.Exact)
			}
			if ok != c.ok || got != c.want {
				t.Errorf("Find(%v) = %q, %v, want %q, %v", c.at, got, ok, c.want, c.ok)
			}
		})
	}
	if m.DebugID != "85314830-023f-4cf1-a267-535f4e37bb17" {
		t.Errorf("DebugID = %q", m.DebugID)
	}
	if text, ok := m.Content(0); !ok || text != "let a\nlet b" {
		t.Errorf("Content(0) = %q, %v", text, ok)
	}
	if _, ok := m.Content(1); ok {
		t.Error("Content(1) of a null content is there")
	}
}

func TestParse_TakesIndexMapsAndPrefixes(t *testing.T) {
	section := func(line, col int, source string) string {
		return fmt.Sprintf(`{"offset":{"line":%d,"column":%d},"map":{"version":3,"sources":[%q],"names":["n"],"mappings":"AAAAA"}}`, line, col, source)
	}
	index := `{"version":3,"sections":[` + section(0, 5, "a.ts") + `,` + section(2, 0, "b.ts") + `]}`
	m, err := Parse([]byte("\xef\xbb\xbf)]}'\n" + index))
	if err != nil {
		t.Fatal(err)
	}
	if o, ok := m.Find(Pos{0, 6}); !ok || o.Source != "a.ts" || o.Name != "n" {
		t.Errorf("first section: %+v, %v", o, ok)
	}
	if o, ok := m.Find(Pos{2, 0}); !ok || o.Source != "b.ts" {
		t.Errorf("second section: %+v, %v", o, ok)
	}
	if _, ok := m.Find(Pos{0, 4}); ok {
		t.Error("a position before the first section has an original")
	}
}

func TestParse_SortsSegments(t *testing.T) {
	m, err := Parse([]byte(`{"version":3,"sources":["a"],"names":[],"mappings":"UAAU,LAAA"}`))
	if err != nil {
		t.Fatal(err)
	}
	if o, ok := m.Find(Pos{0, 5}); !ok || o.Pos.Col != 10 {
		t.Errorf("Find = %+v, %v", o, ok)
	}
}

func TestParse_SaysWhereAMapIsBroken(t *testing.T) {
	m := func(mappings string) string {
		return `{"version":3,"sources":["a"],"names":["n"],"mappings":"` + mappings + `"}`
	}
	for name, c := range map[string]struct{ in, want string }{
		"no JSON":              {"<html>", "this is no source map"},
		"another version":      {`{"version":2,"mappings":""}`, `"version" is 2`},
		"no version":           {`{"mappings":""}`, `"version" is missing`},
		"no mappings":          {`{"version":3,"sources":[]}`, `"mappings" is missing`},
		"no base64":            {m("AAAA,A!"), "mappings, byte 6: this is no base64 character"},
		"wide character":       {m("AAAAŁ"), "mappings, byte 4: this is no base64 character"},
		"ends in a number":     {m("AAAg"), "mappings, byte 4: the text ends inside a number"},
		"two fields":           {m("AA"), "mappings, byte 0: a segment has 1, 4 or 5 fields"},
		"six fields":           {m("AAAAAA"), "mappings, byte 5: a segment has more than 5 fields"},
		"number too long":      {m("gggggggA"), "mappings, byte 7: a number is too long"},
		"overlapping sections": {`{"version":3,"sections":[{"offset":{"line":1,"column":0},"map":` + m("") + `},{"offset":{"line":0,"column":0},"map":` + m("") + `}]}`, "section 1: sections are not in order"},
		"index within index":   {`{"version":3,"sections":[{"offset":{"line":0,"column":0},"map":{"version":3,"sections":[]}}]}`, "an index map within an index map"},
		"broken section":       {`{"version":3,"sections":[{"offset":{"line":0,"column":0},"map":` + m("AA") + `}]}`, "section 0: mappings, byte 0"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Parse([]byte(c.in))
			if _, ok := errors.AsType[*SyntaxError](err); !ok || !strings.Contains(err.Error(), c.want) {
				t.Errorf("Parse = %v, want a SyntaxError with %q", err, c.want)
			}
		})
	}
}

// What names something that is not there is let go; what stands beside it is
// answered as before, and the place itself comes from nowhere.
func TestParse_LetsGoOfWhatNamesNothing(t *testing.T) {
	for name, c := range map[string]struct {
		mappings, ignore string
		dropped          int
		at               map[int32]string // column → "source:column name", "" for none
	}{
		"an unknown source":          {"AAAA,KCAA,KDAK", "[]", 1, map[int32]string{0: "a:0", 5: "", 9: "", 10: "a:5"}},
		"a line below 0":             {"AAAA,KADA,KACA", "[]", 1, map[int32]string{0: "a:0", 5: "", 10: "a:0"}},
		"an unknown name":            {"AAAAC,KAAKD", "[]", 1, map[int32]string{0: "a:0", 5: "a:5 n"}},
		"a generated column below 0": {"D,KAAA", "[]", 1, map[int32]string{4: "a:0"}},
		"an ignored source":          {"AAAA", "[0,7,-1]", 2, map[int32]string{0: "a:0"}},
		"nothing wrong":              {"AAAAA,KAAK", "[0]", 0, map[int32]string{0: "a:0 n", 5: "a:5"}},
	} {
		t.Run(name, func(t *testing.T) {
			m, err := Parse([]byte(`{"version":3,"sources":["a"],"names":["n"],"ignoreList":` + c.ignore + `,"mappings":"` + c.mappings + `"}`))
			if err != nil {
				t.Fatal(err)
			}
			if m.Dropped() != c.dropped {
				t.Errorf("%d were let go, want %d", m.Dropped(), c.dropped)
			}
			for col, want := range c.at {
				got := ""
				if o, ok := m.Find(Pos{0, col}); ok {
					got = strings.TrimSpace(fmt.Sprintf("%s:%d %s", o.Source, o.Pos.Col, o.Name))
				}
				if got != want {
					t.Errorf("column %d comes from %q, want %q", col, got, want)
				}
			}
		})
	}
}

// encode writes segments the long way, as an independent check of decoding.
func encode(lines [][][]int64) string {
	const alphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"
	var b strings.Builder
	var prev [5]int64
	for i, line := range lines {
		if i > 0 {
			b.WriteByte(';')
		}
		prev[0] = 0
		for j, seg := range line {
			if j > 0 {
				b.WriteByte(',')
			}
			for k, v := range seg {
				d := v - prev[k]
				prev[k] = v
				u := uint64(d) << 1
				if d < 0 {
					u = uint64(-d)<<1 | 1
				}
				for {
					digit := u & 31
					if u >>= 5; u > 0 {
						digit |= 32
					}
					b.WriteByte(alphabet[digit])
					if u == 0 {
						break
					}
				}
			}
		}
	}
	return b.String()
}

func randomMap(rng *rand.Rand, lines, perLine int) ([][][]int64, string) {
	segs := make([][][]int64, lines)
	for l := range segs {
		col := int64(0)
		for range rng.IntN(perLine + 1) {
			col += 1 + rng.Int64N(40)
			seg := []int64{col, rng.Int64N(3), rng.Int64N(5000), rng.Int64N(200)}
			if rng.IntN(3) == 0 {
				seg = append(seg, rng.Int64N(2))
			}
			segs[l] = append(segs[l], seg)
		}
	}
	return segs, `{"version":3,"sources":["a","b","c"],"names":["x","y"],"mappings":"` + encode(segs) + `"}`
}

func TestFind_AgreesWithALinearSearch(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		segs, raw := randomMap(rng, 20, 30)
		m, err := Parse([]byte(raw))
		if err != nil {
			t.Fatal(err)
		}
		for range 200 {
			p := Pos{rng.Int32N(21), rng.Int32N(1400)}
			var want []int64
			if int(p.Line) < len(segs) {
				for _, s := range segs[p.Line] {
					if s[0] <= int64(p.Col) {
						want = s
					}
				}
			}
			o, ok := m.Find(p)
			if ok != (want != nil) || ok && (int64(o.Index) != want[1] || int64(o.Pos.Line) != want[2] || int64(o.Pos.Col) != want[3]) {
				t.Fatalf("Find(%v) = %+v, %v, want %v", p, o, ok, want)
			}
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(plain), int32(0), int32(4))
	f.Fuzz(func(t *testing.T, raw []byte, line, col int32) {
		m, err := Parse(raw)
		if (m == nil) == (err == nil) {
			t.Fatal("neither or both of map and error")
		}
		if err != nil {
			return
		}
		if o, ok := m.Find(Pos{line, col}); ok && (o.Index < 0 || o.Index >= len(m.Sources()) || o.Pos.Line < 0) {
			t.Fatalf("Find gives %+v", o)
		}
	})
}

// A map of 60,000 lines with 20 segments each, as a large bundle has.
func BenchmarkParse(b *testing.B) {
	_, raw := randomMap(rand.New(rand.NewPCG(1, 2)), 60_000, 40)
	b.Run(fmt.Sprintf("map=%dMB", len(raw)>>20), func(b *testing.B) {
		b.SetBytes(int64(len(raw)))
		b.ReportAllocs()
		for b.Loop() {
			if _, err := Parse([]byte(raw)); err != nil {
				b.Fatal(err)
			}
		}
	})
}

func BenchmarkFind(b *testing.B) {
	rng := rand.New(rand.NewPCG(1, 2))
	_, raw := randomMap(rng, 60_000, 40)
	m, err := Parse([]byte(raw))
	if err != nil {
		b.Fatal(err)
	}
	b.ReportAllocs()
	for b.Loop() {
		m.Find(Pos{rng.Int32N(60_000), rng.Int32N(800)})
	}
}
