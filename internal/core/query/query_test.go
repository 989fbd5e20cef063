package query_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	. "firethorn/internal/core/query"
)

// shown writes a tree so that its shape can be read.
func shown(n Node) string {
	list := func(all []Node) string {
		var out []string
		for _, x := range all {
			out = append(out, shown(x))
		}
		return strings.Join(out, " ")
	}
	switch n := n.(type) {
	case And:
		return "(and " + list(n.All) + ")"
	case Or:
		return "(or " + list(n.Any) + ")"
	case Not:
		return "(not " + shown(n.Of) + ")"
	case Word:
		if n.Phrase {
			return fmt.Sprintf("phrase<%s>", n.Text)
		}
		return fmt.Sprintf("word<%s>", n.Text)
	case Term:
		var values []string
		for _, v := range n.Values {
			values = append(values, strings.Join(v.Parts, "⁕"))
		}
		return fmt.Sprintf("<%s>=<%s>", n.Name, strings.Join(values, "|"))
	case Range:
		signs := map[bool]string{true: "=", false: ""}
		return fmt.Sprintf("<%s> from%s<%s> to%s<%s>", n.Name, signs[n.From.Inclusive], n.From.Text, signs[n.To.Inclusive], n.To.Text)
	}
	return "?"
}

func TestParse(t *testing.T) {
	for text, want := range map[string]string{
		"":                                 "(and )",
		"   ":                              "(and )",
		"berth":                            "word<berth>",
		`"no tide table"`:                  "phrase<no tide table>",
		"berth tide":                       "(and word<berth> word<tide>)",
		"os.name:iOS":                      "<os.name>=<iOS>",
		"plan:gold,silver":                 "<plan>=<gold|silver>",
		`plan:"two words","a,b",c`:         "<plan>=<two words|a,b|c>",
		`q:"say \"tide\" \\ \n"`:           `<q>=<say "tide" \ \n>`,
		"url.path:/berths/*":               "<url.path>=</berths/⁕>",
		"owner:*":                          "<owner>=<⁕>",
		"x:**a***b":                        "<x>=<⁕a⁕b>",
		`x:"*"`:                            "<x>=<*>",
		"-os.name:iOS":                     "(not <os.name>=<iOS>)",
		"-berth -(a b)":                    "(and (not word<berth>) (not (and word<a> word<b>)))",
		"users:>10":                        "<users> from<10> to<>",
		"users:>=10":                       "<users> from=<10> to<>",
		"users:<10":                        "<users> from<> to<10>",
		"users:<=10":                       "<users> from<> to=<10>",
		"events:10..20":                    "<events> from=<10> to=<20>",
		"t:-5..-1.5":                       "<t> from=<-5> to=<-1.5>",
		"release:4.2.0..4.3.0":             "<release> from=<4.2.0> to=<4.3.0>",
		"first:2026-11-01..2026-11-20":     "<first> from=<2026-11-01> to=<2026-11-20>",
		`x:"10..20"`:                       "<x>=<10..20>",
		"file:../lib":                      "<file>=<../lib>",
		"first:<2d":                        "<first> from<> to<2d>",
		`release:>="4.2.0 (877)"`:          "<release> from=<4.2.0 (877)> to<>",
		"(a OR b) -c":                      "(and (or word<a> word<b>) (not word<c>))",
		"a OR b c":                         "(or word<a> (and word<b> word<c>))",
		"(a OR (b OR c))":                  "(or word<a> word<b> word<c>)",
		"a (b c)":                          "(and word<a> word<b> word<c>)",
		`"OR"`:                             "phrase<OR>",
		"ORDER ORchid or":                  "(and word<ORDER> word<ORchid> word<or>)",
		"foo(bar)":                         "word<foo(bar)>",
		"(function:greet() x)":             "(and <function>=<greet()> word<x>)",
		`"odd name":1`:                     "<odd name>=<1>",
		"url:http://a.example/b:c":         "<url>=<http://a.example/b:c>",
		"name:فيري":                        "<name>=<فيري>",
		"a - b":                            "(and word<a> word<-> word<b>)",
		"é:ü":                              "<é>=<ü>",
		"-(-a)":                            "(not (not word<a>))",
		"a\tb\nc":                          "(and word<a> word<b> word<c>)",
		"x:10..20,30":                      "<x>=<10..20|30>",
		`x:""`:                             "<x>=<>",
		"trace:4bf92f3577b34da6a3ce929d0e": "<trace>=<4bf92f3577b34da6a3ce929d0e>",
	} {
		n, err := Parse(text)
		if err != nil {
			t.Errorf("%q: %v", text, err)
			continue
		}
		if got := shown(n); got != want {
			t.Errorf("%q: %s, want %s", text, got, want)
		}
		same(t, text, n)
	}
}

// same says whether a tree prints back to an equal one.
func same(t *testing.T, text string, n Node) {
	t.Helper()
	printed := String(n)
	again, err := Parse(printed)
	if err != nil {
		t.Fatalf("%q is printed as %q: %v", text, printed, err)
	}
	if shown(again) != shown(n) {
		t.Fatalf("%q is printed as %q: %s, was %s", text, printed, shown(again), shown(n))
	}
	if twice := String(again); twice != printed {
		t.Fatalf("%q is printed as %q, then as %q", text, printed, twice)
	}
}

func TestParse_SaysWhatIsWrongAndWhere(t *testing.T) {
	for _, c := range []struct {
		text   string
		column int
		has    string
	}{
		{"a )", 3, "closes nothing"}, {"(a", 1, "not closed"}, {"a (b (c)", 3, "not closed"}, {"()", 1, "nothing in these brackets"},
		{`say "tide`, 5, "quote is not closed"}, {`""`, 1, "nothing in these quotes"}, {"a OR", 5, "OR needs a term on each side"}, {"OR b", 1, "OR needs a term on each side"},
		{"(a OR OR b)", 7, "OR needs a term on each side"}, {"plan:", 6, "a value is expected behind plan:"}, {"plan:a,,b", 8, "a value is expected"},
		{"plan:a,", 8, "a value is expected"}, {"users:>", 8, "a value is expected behind >"}, {":x", 1, "the colon needs a name before it"},
		{"--a", 1, "one - is enough"}, {`a"b"`, 2, "a quote begins a phrase"}, {`"a"b`, 4, "a space belongs"}, {`x:"a"b`, 3, "a value ends"},
		{"f(x", 2, "not closed"}, {"x:f(y z", 4, "not closed"}, {`"":x`, 1, "nothing in these quotes"},
		{strings.Repeat("a", 2001), 2001, "at most 2000"}, {strings.Repeat("a ", 65), 129, "at most 64"},
		{strings.Repeat("(", 9) + "a" + strings.Repeat(")", 9), 9, "at most 8 deep"}, {strings.Repeat("(", 1900), 9, "at most 8 deep"},
	} {
		n, err := Parse(c.text)
		e, ok := err.(*Error)
		if !ok {
			t.Errorf("%.30q is read as %v", c.text, n)
			continue
		}
		if e.Column != c.column || !strings.Contains(e.Message, c.has) {
			t.Errorf("%.30q: column %d, %s; want column %d, %s", c.text, e.Column, e.Message, c.column, c.has)
		}
	}
}

func TestCheck(t *testing.T) {
	attributes := []string{"browser.name", "os.name", "plan", "vehicle.kind"}
	for text, want := range map[string]string{
		"os.name:iOS state:open,new users:>10 handled:false severity:>=warn first:<2d last:2026-11-01..2026-11-20 release:>=4.2.0 owner:me": "",
		"brower.name:x":      `1 unknown field "brower.name" at column 1; did you mean browser.name? [browser.name]`,
		"a sate:new":         `3 unknown field "sate" at column 3; did you mean state? [state]`,
		"qwertyuiop:1":       `1 unknown field "qwertyuiop" at column 1`,
		"users:many":         `1 users: "many" is no number`,
		"users:>1e999":       `1 users: "1e999" is no number`,
		"users:1*":           "1 users: a wildcard says nothing here",
		"users:*":            "1 users: it is always there; give a value",
		"first:<2y":          `1 first: "2y" is neither an age, such as 2d, nor a date, such as 2026-11-20`,
		"handled:yes":        `1 handled: it is true or false, not "yes"`,
		"severity:loud":      `1 severity: "loud" is no severity; there are trace, debug, info, warn, error, fatal`,
		"state:regresed":     `1 state: "regresed" is none of them: new, accepted, regressed, parked, fixed, dismissed, open, all [regressed]`,
		"owner:>a":           "1 owner is not compared by size; write owner:VALUE",
		"(x:1 OR -users:no)": `2 unknown field "x" at column 2|10 users: "no" is no number`,
	} {
		n, err := Parse(text)
		if err != nil {
			t.Fatalf("%q: %v", text, err)
		}
		var got []string
		for _, e := range Check(n, attributes) {
			s := fmt.Sprint(e.Column, " ", e.Message)
			if e.Nearest != "" {
				s += " [" + e.Nearest + "]"
			}
			got = append(got, s)
		}
		if s := strings.Join(got, "|"); s != want {
			t.Errorf("%q: %s, want %s", text, s, want)
		}
	}
	n, err := Parse("anything.at.all:x")
	if err != nil || len(Check(n, nil)) != 0 {
		t.Errorf("where no attribute is known, each may be one: %v", err)
	}
}

func TestMatch(t *testing.T) {
	for _, c := range []struct {
		search, text string
		want         bool
	}{
		{"a:iOS", "ios", true}, {"a:iOS", "iOS 18", false}, {"a:/berths/*", "/berths/7", true}, {"a:/berths/*", "/x/berths/7", false},
		{"a:*berths*", "/x/Berths/7", true}, {"a:a*b*c", "a-b-c", true}, {"a:a*b*c", "a-c-b", false}, {"a:ab*ba", "aba", false}, {"a:ab*ba", "abba", true},
		{"a:*", "", true}, {"a:*x", "x", true}, {`a:"*"`, "*", true}, {`a:"*"`, "x", false}, {"a:Ü*", "über", true},
	} {
		n, err := Parse(c.search)
		if err != nil {
			t.Fatal(err)
		}
		if got := n.(Term).Values[0].Match(c.text); got != c.want {
			t.Errorf("%s, %q: %v", c.search, c.text, got)
		}
	}
}

func TestSpanOf(t *testing.T) {
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	day := func(d int) time.Time { return time.Date(2026, 11, d, 0, 0, 0, 0, time.UTC) }
	for text, want := range map[string]Span{
		"first:<2d":                    {From: now.Add(-48 * time.Hour)},
		"first:>90m":                   {To: now.Add(-90 * time.Minute)},
		"first:2026-11-01..2026-11-20": {From: day(1), To: day(21)},
		"first:>2026-11-20":            {From: day(21)},
		"first:>=2026-11-20":           {From: day(20)},
		"first:<2026-11-20":            {To: day(20)},
		"first:<=2026-11-20":           {To: day(21)},
	} {
		n, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		if got, ok := SpanOf(n.(Range), now, time.UTC); !ok || got != want {
			t.Errorf("%s: %v, want %v", text, got, want)
		}
	}
	if _, ok := SpanOf(Range{From: Bound{Text: "2026-13-01"}}, now, time.UTC); ok {
		t.Error("there is a thirteenth month")
	}
}

func TestSeverityOf(t *testing.T) {
	warn, _ := SeverityOf("warn")
	warning, ok := SeverityOf("WARNING")
	fatal, _ := SeverityOf("fatal")
	if !ok || warn != warning || fatal <= warn {
		t.Errorf("%d, %d, %d", warn, warning, fatal)
	}
}

func TestCursorAt(t *testing.T) {
	for _, c := range []struct {
		text string // the cursor stands at ‸
		want Cursor
	}{
		{"‸", Cursor{"", "", 0, 0}}, {"os.n‸", Cursor{"", "os.n", 0, 4}}, {"os.n‸ame:iOS", Cursor{"", "os.n", 0, 7}}, {"a os.name:i‸", Cursor{"os.name", "i", 10, 11}},
		{"os.name:i‸OS x", Cursor{"os.name", "i", 8, 11}}, {"plan:gold,si‸", Cursor{"plan", "si", 10, 12}}, {`plan:"two w‸`, Cursor{"plan", "two w", 5, 11}},
		{"-os‸", Cursor{"", "os", 1, 3}}, {"(a OR pl‸)", Cursor{"", "pl", 6, 8}}, {"users:>1‸", Cursor{"users", "1", 7, 8}}, {"users:>=1‸", Cursor{"users", "1", 8, 9}},
		{"a ‸b", Cursor{"", "", 2, 3}}, {"é:ü‸", Cursor{"é", "ü", 2, 3}}, {`"odd name":x‸`, Cursor{"odd name", "x", 11, 12}},
	} {
		before, _, _ := strings.Cut(c.text, "‸")
		if got := CursorAt(strings.Replace(c.text, "‸", "", 1), len([]rune(before))); got != c.want {
			t.Errorf("%s: %+v, want %+v", c.text, got, c.want)
		}
	}
}

func TestFields_AreEachOnce(t *testing.T) {
	seen := map[string]bool{}
	for _, f := range Fields() {
		if seen[f.Name] || !f.Event && !f.Issue || (f.Kind == OneOf) != (len(f.Words) > 0) {
			t.Errorf("%+v", f)
		}
		seen[f.Name] = true
		if got, ok := FieldOf(f.Name); !ok || !reflect.DeepEqual(got, f) {
			t.Errorf("%s is found as %+v", f.Name, got)
		}
	}
}

// Whatever is written, it is read or refused with a column in it, and what is read
// prints back to the same.
func FuzzParse(f *testing.F) {
	for _, text := range []string{"", "a b", `x:"y\"z",w -(c OR d:>3) e:1..2`, "((((((((", `"`, "a:*b*c", "OR", "-", "--", "a)b(c", "\u202e:\u2028"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		n, err := Parse(text)
		if err != nil {
			e, ok := err.(*Error)
			if !ok || e.Column < 1 || e.Column > len([]rune(text))+1 || e.Message == "" {
				t.Fatalf("%q: %v", text, err)
			}
			return
		}
		same(t, strings.ToValidUTF8(text, "\ufffd"), n)
		Check(n, []string{"os.name"})
		for at := 0; at <= min(300, len([]rune(text))); at++ {
			if c := CursorAt(text, at); c.From > c.To || c.To > len([]rune(text)) || c.From > at {
				t.Fatalf("%q at %d: %+v", text, at, c)
			}
		}
	})
}
