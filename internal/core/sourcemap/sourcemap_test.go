package sourcemap

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"runtime"
	"slices"
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

const unsorted = `{"version":3,"sources":["a"],"names":[],"mappings":"UAAU,LAAA"}`

func TestParse_SortsSegments(t *testing.T) {
	m, err := Parse([]byte(unsorted))
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
		"number too long":      {m("gggggggB"), "mappings, byte 7: a number does not fit in 32 bits"},
		"number too large":     {m("ggggggE"), "mappings, byte 6: a number does not fit in 32 bits"},
		"an empty segment":     {m("AAAA,,AAAA"), "mappings, byte 4: a comma with no segment behind it"},
		"a comma first":        {m(",AAAA"), "mappings, byte 0: "},
		"a comma last":         {m("AAAA,"), "mappings, byte 4: a comma"},
		"a comma before ;":     {m("AAAA;AAAA,;"), "mappings, byte 9: a comma"},
		"so in unsorted ones":  {m("U,LAAA,,A"), "mappings, byte 6: a comma"},
		"mappings of a kind":   {`{"version":3,"mappings":7}`, `"mappings" is no string`},
		"a version in quotes":  {`{"version":"3","mappings":""}`, `"version" is "3"`},
		"a list":               {`[1,2]`, "which is a JSON object"},
		"behind the end":       {`{"version":3,"mappings":""} x`, "byte 28: text behind the end"},
		"a cut text":           {`{"version":3,"mappings":"AAAA`, "byte 29: the text ends inside a string"},
		"a line break within":  {"{\"version\":3,\"mappings\":\"A\n\"}", "byte 26: a control character"},
		"a wrong escape":       {`{"version":3,"x":"\q"}`, "byte 18: this is no escape"},
		"a wrong number":       {`{"version":3,"x":01}`, "byte 17: this is no number"},
		"deep values":          {`{"version":3,"x":` + strings.Repeat("[", 100_000), "byte 1017: values are nested more than 1000 deep"},
		"sections and more":    {`{"version":3,"mappings":"","sections":[]}`, "no \"mappings\" of its own"},
		"sections of a kind":   {`{"version":3,"sections":{}}`, "\"sections\" is no list"},
		"section of a kind":    {`{"version":3,"sections":[1]}`, "section 0: a section is no object"},
		"no offset":            {`{"version":3,"sections":[{"map":` + m("") + `}]}`, "section 0: a section has no \"offset\""},
		"half an offset":       {`{"version":3,"sections":[{"offset":{"line":0},"map":` + m("") + `}]}`, "section 0: the \"offset\" of a section needs"},
		"no map":               {`{"version":3,"sections":[{"offset":{"line":0,"column":0}}]}`, "section 0: a section has no \"map\""},
		"overlapping sections": {`{"version":3,"sections":[{"offset":{"line":1,"column":0},"map":` + m("") + `},{"offset":{"line":0,"column":0},"map":` + m("") + `}]}`, "section 1: sections are not in order"},
		"index maps too deep":  {strings.Repeat(`{"version":3,"sections":[{"offset":{"line":0,"column":0},"map":`, 5000), "index maps lie within index maps more than 16 deep"},
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

// Where the standard says "optionally report an error" the rest of the map holds.
func TestParse_TakesWhatTheStandardLeavesOpen(t *testing.T) {
	section := func(line, col int, mappings string) string {
		return fmt.Sprintf(`{"offset":{"line":%d,"column":%d},"map":{"version":3,"sources":["a"],"mappings":%q}}`, line, col, mappings)
	}
	for name, c := range map[string]struct {
		in      string
		dropped int
		at      Pos
		want    string // "source line:col", "" for none
	}{
		"members of another kind":      {`{"version":3,"file":7,"sourceRoot":[],"names":{},"ignoreList":"x","sourcesContent":1,"sources":["a"],"mappings":"AAAA"}`, 5, Pos{0, 0}, "a 0:0"},
		"null for each of them":        {`{"version":3,"file":null,"sourceRoot":null,"names":null,"ignoreList":null,"sourcesContent":null,"sources":["a"],"mappings":"AAAA"}`, 0, Pos{0, 0}, "a 0:0"},
		"a source that is a number":    {`{"version":3,"sources":[5,"b"],"mappings":"AAAA,CCAA"}`, 1, Pos{0, 1}, "b 0:0"},
		"more texts than sources":      {`{"version":3,"sources":["a"],"sourcesContent":["x","y"],"mappings":"AAAA"}`, 1, Pos{0, 0}, "a 0:0"},
		"no sources":                   {`{"version":3,"mappings":"A,AAAA"}`, 1, Pos{0, 0}, ""},
		"zeros in front of a number":   {`{"version":3,"sources":["a"],"mappings":"KAAgggggggggA"}`, 0, Pos{0, 5}, "a 0:0"},
		"the largest number":           {`{"version":3,"sources":["a"],"mappings":"AAA+/////D"}`, 0, Pos{0, 0}, "a 0:2147483647"},
		"the smallest number":          {`{"version":3,"sources":["a"],"mappings":"AAAA,CAAB,CAAA"}`, 2, Pos{0, 0}, "a 0:0"},
		"a column beyond 32 bits":      {`{"version":3,"sources":["a"],"mappings":"AAAA,+/////D,C"}`, 1, Pos{0, 9}, "a 0:0"},
		"an escaped slash":             {`{"version":3,"sources":["a"],"mappings":"AAA+\/\/\/\/\/D"}`, 0, Pos{0, 0}, "a 0:2147483647"},
		"a root for some sections":     {`{"version":3,"sections":[` + section(0, 0, "AAAA") + `,{"offset":{"line":1,"column":0},"map":{"version":3,"sourceRoot":"src/","sources":["b"],"mappings":"AAAA"}}]}`, 0, Pos{1, 0}, "src/b 0:0"},
		"none for those before":        {`{"version":3,"sections":[` + section(0, 0, "AAAA") + `,{"offset":{"line":1,"column":0},"map":{"version":3,"sourceRoot":"src/","sources":["b"],"mappings":"AAAA"}}]}`, 0, Pos{0, 0}, "a 0:0"},
		"a section over the next":      {`{"version":3,"sections":[` + section(0, 0, "AAAA,UAAU,UAAU;AAAA") + `,` + section(0, 15, "AAAE") + `]}`, 2, Pos{0, 25}, "a 0:2"},
		"what lies before it":          {`{"version":3,"sections":[` + section(0, 0, "AAAA,UAAU,UAAU;AAAA") + `,` + section(0, 15, "AAAE") + `]}`, 2, Pos{0, 14}, "a 0:10"},
		"sections within a section":    {`{"version":3,"sections":[{"offset":{"line":2,"column":3},"map":{"version":3,"sections":[` + section(0, 4, "AAAA") + `,` + section(1, 4, "AAAC") + `]}}]}`, 0, Pos{2, 7}, "a 0:0"},
		"and their later lines":        {`{"version":3,"sections":[{"offset":{"line":2,"column":3},"map":{"version":3,"sections":[` + section(0, 4, "AAAA") + `,` + section(1, 4, "AAAC") + `]}}]}`, 0, Pos{3, 4}, "a 0:1"},
		"a section a billion lines on": {`{"version":3,"sections":[` + section(0, 0, "AAAA") + `,` + section(1_000_000_000, 2_000_000_000, "AAAC") + `]}`, 0, Pos{1_000_000_000, 2_000_000_001}, "a 0:1"},
		"sections beyond 32 bits":      {`{"version":3,"sections":[{"offset":{"line":2000000000,"column":0},"map":{"version":3,"sections":[` + section(2_000_000_000, 0, "AAAA") + `]}}]}`, 1, Pos{0, 0}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			m, err := Parse([]byte(c.in))
			if err != nil {
				t.Fatal(err)
			}
			got := ""
			if o, ok := m.Find(c.at); ok {
				got = fmt.Sprintf("%s %d:%d", o.Source, o.Pos.Line, o.Pos.Col)
			}
			if m.Dropped() != c.dropped || got != c.want {
				t.Errorf("%d let go, %v comes from %q; want %d and %q", m.Dropped(), c.at, got, c.dropped, c.want)
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

// What is taken is JSON; segments come in order, name what is there, and are
// found at their own place; written again they read the same.
func FuzzParse(f *testing.F) {
	for _, raw := range []string{plain, unsorted, `{"version":3,"sections":[{"offset":{"line":0,"column":3},"map":` + plain + `},{"offset":{"line":1,"column":0},"map":` + unsorted + `}]}`,
		`{"version":3,"sources":["a"],"names":["n"],"ignoreList":[0,9],"mappings":"AAAAA,D,CAAAC;;;gggggggggA,AADD"}`, ")]}'\n" + `{"version":3.0,"x":[{"y":[-1.5e3,true,"\u0041\\"]}],"mappings":";"}`} {
		f.Add([]byte(raw), int32(0), int32(4))
	}
	f.Fuzz(func(t *testing.T, raw []byte, line, col int32) {
		m, err := Parse(raw)
		if err != nil {
			if _, ok := errors.AsType[*SyntaxError](err); !ok || m != nil {
				t.Fatalf("Parse = %v, %v", m, err)
			}
			return
		}
		text := bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf"))
		if bytes.HasPrefix(text, []byte(")]}'")) {
			text = text[max(0, bytes.IndexAny(text, "\r\n")):]
		}
		if !json.Valid(text) {
			t.Fatal("this is no JSON")
		}
		m.Find(Pos{line, col})
		var again writer
		all := slices.Collect(m.Positions.All())
		for i, s := range all {
			if s.Source >= int32(m.Sources()) || s.Name >= int32(m.Names()) || s.Orig.Line < 0 || s.Orig.Col < 0 || s.Gen.Line < 0 || s.Gen.Col < 0 {
				t.Fatalf("segment %d: %+v", i, s)
			}
			if i > 0 && s.Gen.Before(all[i-1].Gen) {
				t.Fatalf("segments %d: %+v after %+v", i, s, all[i-1])
			}
			last := i+1 == len(all) || s.Gen != all[i+1].Gen
			if found, ok := m.Positions.Find(s.Gen); last && (!ok || found != s) {
				t.Fatalf("at %v: %+v, %v, want %+v", s.Gen, found, ok, s)
			}
			again.add(s)
		}
		if len(all) != m.Segments() || !slices.Equal(all, slices.Collect(again.p.All())) {
			t.Fatalf("%d segments of %d are written anew as %v", len(all), m.Segments(), slices.Collect(again.p.All()))
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

// However a map is made, reading it takes a small multiple of its size: what is
// allocated in all is bounded here, which is more than what is held at once.
func TestParse_TakesLittleMemory(t *testing.T) {
	const size = 4 << 20
	fill := func(before, s, after string) string {
		return before + strings.Repeat(s, (size-len(before)-len(after))/len(s)) + after
	}
	for name, c := range map[string]struct {
		in    string
		times int // of its size
		fails bool
	}{
		"separators":             {fill(`{"version":3,"mappings":"`, ";", `"}`), 1, false},
		"one line":               {fill(`{"version":3,"mappings":"`, "C,", `A"}`), 2, false},
		"out of order":           {fill(`{"version":3,"mappings":"`, "C,D,", `A"}`), 24, false},
		"columns that overflow":  {fill(`{"version":3,"mappings":"`, "+/////D,", `A"}`), 8, false},
		"columns that run back":  {fill(`{"version":3,"mappings":"`, "/////H,", `A"}`), 8, false},
		"a number without end":   {fill(`{"version":3,"mappings":"`, "g", `A"}`), 2, false},
		"sources":                {fill(`{"version":3,"mappings":"","sources":[`, `"",`, `""]}`), 8, false},
		"names that are numbers": {fill(`{"version":3,"mappings":"","names":[`, `0,`, `0]}`), 16, false},
		"an ignore list":         {fill(`{"version":3,"mappings":"","ignoreList":[`, `0,`, `0]}`), 16, false},
		"members":                {fill(`{"version":3,"mappings":""`, `,"x":0`, `}`), 2, false},
		"deep values":            {fill(`{"version":3,"mappings":"","x":`, `[`, ``), 1, true},
		"deep objects":           {fill(`{"version":3,"mappings":"","x":`, `{"a":`, ``), 1, true},
		"index maps in each":     {fill(`{"version":3,"sections":[`, `{"offset":{"line":0,"column":0},"map":{"version":3,"sections":[`, ``), 1, true},
		"sections":               {fill(`{"version":3,"sections":[`, `{"offset":{"line":1,"column":0},"map":{}},`, `]}`), 1, true},
		"a string without end":   {fill(`{"version":3,"mappings":"`, "A", ``), 1, true},
	} {
		t.Run(name, func(t *testing.T) {
			raw := []byte(c.in)
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			m, err := Parse(raw)
			runtime.ReadMemStats(&after)
			if (err != nil) != c.fails {
				t.Fatalf("Parse = %v", err)
			}
			if took := int(after.TotalAlloc - before.TotalAlloc); took > c.times*len(raw)+1<<20 {
				t.Errorf("%d bytes were allocated for %d, %.1f times", took, len(raw), float64(took)/float64(len(raw)))
			}
			if m != nil && held(m) > 4*len(raw) {
				t.Errorf("the map holds %d bytes", held(m))
			}
		})
	}
}

// held is the memory of a map in bytes.
func held(m *Map) int {
	return len(m.scan.raw) + len(m.Positions.Text) + 28*len(m.Positions.Marks) + 4*(len(m.sources)+len(m.contents)+len(m.names))
}
