package console

import (
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"

	"firethorn/internal/core/query"
)

// A search is edited as terms, and stays what it is.
func TestSearch_Terms(t *testing.T) {
	named := func(text string, from, to int, negated bool, name string, values ...string) m {
		return m{"text": text, "from": from, "to": to, "negated": negated, "name": name, "values": values}
	}
	bare := func(text string, from, to int, negated bool) m {
		return m{"text": text, "from": from, "to": to, "negated": negated}
	}
	check(t, "search", []call{
		{[]any{}, "terms", []any{"  "}},
		{[]any{bare("berth", 0, 5, false), named(`-os.name:iOS,"a b"`, 7, 25, true, "os.name", "iOS", "a b")}, "terms", []any{`berth  -os.name:iOS,"a b"`}},
		{[]any{bare("users:>10", 0, 9, false), bare("(a OR b:c)", 10, 20, false)}, "terms", []any{"users:>10 (a OR b:c)"}},
		{[]any{bare("a OR b c", 0, 8, false)}, "terms", []any{"a OR b c"}},
		{[]any{bare(`"no tide table"`, 0, 15, false)}, "terms", []any{`"no tide table"`}},
		{[]any{named(`"two words":"say \"hi\""`, 0, 24, false, "two words", `say "hi"`)}, "terms", []any{`"two words":"say \"hi\""`}},
		{"os.name:iOS", "toggled", []any{"", "os.name", "iOS", false}},
		{"", "toggled", []any{"os.name:iOS", "os.name", "iOS", false}},
		{"berth os.name:Android", "toggled", []any{"os.name:iOS berth", "os.name", "Android", false}},
		{"-os.name:iOS,Android", "toggled", []any{"-os.name:iOS", "os.name", "Android", true}},
		{"(a OR b) plan:gold", "toggled", []any{"a OR b", "plan", "gold", false}},
		{`plan:"a..b"`, "toggled", []any{"", "plan", "a..b", false}},
		{"os.name:iOS", "withTerm", []any{"os.name:iOS", "os.name:iOS"}},
		{true, "asks", []any{"os.name:iOS,Android", "os.name", "Android", false}}, {false, "asks", []any{"-os.name:iOS", "os.name", "iOS", false}},
		{`no "a:b" "OR" "-c"`, "ofWords", []any{"no a:b OR -c"}},
		{"-os.name:*", "absent", []any{"os.name"}}, {"plan:*go*", "holding", []any{"plan", "go"}}, {`plan:"a b"`, "holding", []any{"plan", "a b"}},
		{"plan:gold browser.name:Firefox", "mended", []any{"plan:gold brower.name:Firefox", 11, "browser.name"}},
		{true, "onlyWords", []any{"berth map"}}, {false, "onlyWords", []any{"os.name:"}}, {false, "onlyWords", []any{"a -b"}},
	})
}

// What the console writes into a search the service reads as the same value, whatever
// it holds.
func TestSearch_ServiceReadsWhatIsWritten(t *testing.T) {
	r := rand.New(rand.NewPCG(35, 1))
	letters := []rune(`ab "\:,()*<>.-שÅ`)
	word := func() string {
		out := make([]rune, 1+r.IntN(6))
		for i := range out {
			out[i] = letters[r.IntN(len(letters))]
		}
		return string(out)
	}
	var calls []call
	for range 300 {
		name, value := word(), word()
		if strings.TrimSpace(name) == "" {
			continue
		}
		negated := r.IntN(2) == 0
		var node query.Node = query.Term{Name: name, Values: []query.Value{query.Exactly(value)}}
		if negated {
			node = query.Not{Of: node}
		}
		calls = append(calls, call{query.String(node), "term", []any{name, []string{value}, negated}})
		calls = append(calls, call{query.String(node), "toggled", []any{"", name, value, negated}})
		calls = append(calls, call{"berth", "toggled", []any{"berth " + query.String(node), name, value, negated}})
	}
	check(t, "search", calls)
}

// The window is dragged, widened, and said.
func TestWindow(t *testing.T) {
	const noon = 1_795_435_200_000 // 2026-11-23T12:00Z
	hour := 3_600_000
	check(t, "window", []call{
		{"2026-11-23T10:00Z..2026-11-23T12:00Z", "between", []any{noon - 2*hour, noon}},
		{"2026-11-23T10:00Z..2026-11-23T12:01Z", "between", []any{noon - 2*hour + 1, noon + 1}},
		{[]any{noon - 2*hour, noon}, "ends", []any{"2026-11-23T10:00Z..2026-11-23T12:00Z"}}, {nil, "ends", []any{"14d"}}, {nil, "ends", []any{"2026-11-23T12:00Z..2026-11-23T10:00Z"}},
		{168, "hoursBack", []any{""}}, {36, "hoursBack", []any{"36h"}}, {0, "hoursBack", []any{"all"}}, {nil, "hoursBack", []any{"soon"}},
		{"2026-11-22T11:00Z..2026-11-22T15:00Z", "wider", []any{"2026-11-22T12:00Z..2026-11-22T14:00Z", noon}},
		{"24h", "wider", []any{"2026-11-23T10:00Z..2026-11-23T12:00Z", noon}},
		{"14d", "wider", []any{"", noon}}, {"", "wider", []any{"24h", noon}}, {"30d", "wider", []any{"14d", noon}}, {"all", "wider", []any{"30d", noon}}, {"all", "wider", []any{"all", noon}},
		{"the last 7 days", "windowInWords", []any{""}}, {"all that is kept", "windowInWords", []any{"all"}},
		{"23 Nov, 10:00 to 23 Nov, 12:00", "windowInWords", []any{"2026-11-23T10:00Z..2026-11-23T12:00Z"}}, {"2026-11-01", "windowInWords", []any{"2026-11-01"}},
	})
}

// Bars stand on each other, marks lie where they belong.
func TestStrip(t *testing.T) {
	at := func(h string) string { return "2026-11-23T" + h + ":00:00Z" }
	series := []m{
		{"value": "a", "points": []m{{"at": at("10"), "events": 2, "users": 1}, {"at": at("11"), "events": 0, "users": 0}}},
		{"value": "b", "points": []m{{"at": at("10"), "events": 3, "users": 3}, {"at": at("11"), "events": 4, "users": 2}}},
	}
	const ten = 1_795_428_000
	two := m{"at": []int{ten, ten + 3600}, "stacked": [][]int{{2, 0}, {5, 4}}, "events": []int{5, 4}, "users": []int{}, "interval": 3600}
	one := m{"at": []int{ten, ten + 3600}, "stacked": [][]int{{2, 0}}, "events": []int{2, 0}, "users": []int{1, 0}, "interval": 3600}
	check(t, "strip", []call{
		{two, "strip", []any{series, 3600}}, {one, "strip", []any{series[:1], 3600}},
		{m{"at": []int{}, "stacked": []int{}, "events": []int{}, "users": []int{}, "interval": 60}, "strip", []any{[]m{}, 60}},
		{[]m{{"at": ten + 1800, "words": "4.2.0 first seen", "kind": "release"}, {"at": ten + 3600, "words": "4.2.0 deployed to production", "kind": "deploy"}}, "marksIn",
			[]any{[]m{{"version": "4.2.0", "first_seen": "2026-11-23T10:30:00Z", "deploys": []m{{"environment": "production", "at": at("11")}, {"environment": "staging", "at": at("12")}}}}, two}},
		{0, "momentAt", []any{two, ten + 3599}}, {1, "momentAt", []any{two, ten + 9000}},
	})
}

func TestPalette(t *testing.T) {
	page := func(name string) m { return m{"kind": "page", "name": name} }
	list := []m{page("Impact"), page("Releases"), page("Sessions"), page("Set-up")}
	check(t, "palette", []call{
		{[]m{page("Sessions"), page("Set-up"), page("Releases")}, "fitting", []any{list, "se"}}, {[]m{}, "fitting", []any{list, "tides"}}, {list[:2], "fitting", []any{list, "", 2}},
		{"quayside/12", "issueNamed", []any{"12", "quayside"}}, {"bosun/3", "issueNamed", []any{" bosun/3 ", "quayside"}}, {nil, "issueNamed", []any{"12", ""}}, {nil, "issueNamed", []any{"tide 12", "quayside"}},
	})
}

func TestPeople(t *testing.T) {
	u := m{"identities": m{"user.email": []string{"ines@quay.example"}, "user.id": []string{"p-1", "p-0"}, "user.name": nil}, "events": 3, "first": "2026-11-01T10:00:00Z", "last": "2026-11-02T10:00:00Z"}
	odd := m{"identities": m{"user.name": []string{`=SUM("a,b")`}}, "events": 1, "first": "a", "last": "b"}
	check(t, "people", []call{
		{"p-1", "nameOf", []any{u}}, {"p-1 · ines@quay.example", "allNames", []any{u}}, {"no name is kept", "allNames", []any{m{"identities": m{}}}},
		{"user.id,user.email,user.name,enduser.id,enduser.pseudo.id,app.installation.id,events,first,last\r\np-1,ines@quay.example,,,,,3,2026-11-01T10:00:00Z,2026-11-02T10:00:00Z\r\n,,\"'=SUM(\"\"a,b\"\")\",,,,1,a,b\r\n", "csv", []any{[]m{u, odd}}},
	})
}

// The chart library stays in a part of its own, loaded with the first chart, and small.
func TestChart_IsLoadedByItselfAndSmall(t *testing.T) {
	out, err := exec.Command("sh", "-c", "ls dist/app/assets/plot-*.js 2>/dev/null").Output()
	file := strings.TrimSpace(string(out))
	if err != nil || file == "" {
		t.Skip("the console is not built")
	}
	size, err := exec.Command("sh", "-c", "gzip -c "+file+" | wc -c").Output()
	if err != nil {
		t.Fatal(err)
	}
	if n := strings.TrimSpace(string(size)); len(n) > 5 || len(n) == 5 && n > "60000" {
		t.Errorf("%s takes %s bytes as gzip, at most 60,000", file, n)
	}
}
