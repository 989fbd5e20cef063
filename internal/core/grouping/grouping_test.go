package grouping_test

import (
	"encoding/hex"
	"fmt"
	"testing"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/grouping"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

type none struct{}

func (none) File(string, string) (*symbols.File, string) { return nil, "" }
func (none) Failed(err error)                            { panic(err) }

func method(t testing.TB, text string) grouping.Method {
	t.Helper()
	set, faults := rules.Read(text)
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return grouping.Method{Rules: set}
}

// decode makes an event of own frames, innermost first.
func decode(t testing.TB, extra string, functions ...string) *event.Event {
	t.Helper()
	frames := ""
	for i, f := range functions {
		if i > 0 {
			frames += ","
		}
		frames += fmt.Sprintf(`{"function":%q,"file":"src/%s.ts","line":%d}`, f, f, i+3)
	}
	e, err := event.Decode([]byte(`{"exceptions":[{"type":"GateError","message":"gate 7 is shut","frames":[`+frames+`]}]`+extra+`}`), event.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	return e
}

func printed(m grouping.Method, e *event.Event) fingerprint.Result {
	p, _ := m.Print(e, time.Time{}, symbolicate.Event(e, none{}, symbolicate.Options{Kinds: m.Kinds()}))
	return p
}

func TestPrint_RulesAddAndReplace(t *testing.T) {
	e := decode(t, `,"attributes":{"gate.lane":"car"},"grouping":{"extend":["${gate.lane}"]}`, "openGate", "boardAll")
	plain := printed(grouping.Method{}, decode(t, "", "openGate", "boardAll"))
	said := printed(grouping.Method{}, e)
	extended := printed(method(t, "grouping: [{name: lanes, when: 'true', extend: 'lane ${gate.lane}'}]"), e)
	replaced := printed(method(t, "grouping: [{name: lanes, when: 'true', replace: 'lane ${gate.lane}', headline: 'Lane ${gate.lane}'}]"), e)
	freed := printed(method(t, "grouping: [{name: free, when: 'true', replace: '${computed}'}]"), e)
	if extended.Key == said.Key || extended.Base != said.Base || extended.Variant == said.Variant || extended.Ruling.Rule != "lanes" || len(extended.Parts) != len(said.Parts)+1 {
		t.Errorf("extended: %+v", extended)
	}
	if len(replaced.Parts) != 1 || replaced.Parts[0].Value != "lane car" || replaced.Headline != "Lane car" || replaced.Caller != "" || len(replaced.Left) <= len(said.Left) {
		t.Errorf("replaced: %+v", replaced)
	}
	if freed.Parts[0].Value != hex.EncodeToString(plain.Key[:]) {
		t.Errorf("computed is %s, want %x", freed.Parts[0].Value, plain.Key)
	}
	e.Grouping.Replace = []string{"all of it"}
	if again := printed(method(t, "grouping: [{name: free, when: 'true', replace: '${computed}'}]"), e); again.Key != freed.Key {
		t.Error("what the application puts instead is in the computed fingerprint")
	}
}

func TestPrint_LooksThroughWhatAruleNames(t *testing.T) {
	m := method(t, "frames: [{name: gates, module: src/open*, do: look-through}]")
	car, foot := printed(m, decode(t, "", "openGate", "boardCars")), printed(m, decode(t, "", "openGate", "boardPeople"))
	if car.Headline != "GateError in boardCars" || foot.Headline != "GateError in boardPeople" || car.Key == foot.Key {
		t.Errorf("%q, %q", car.Headline, foot.Headline)
	}
	if alone := printed(m, decode(t, "", "openGate")); alone.Headline != "GateError in openGate" {
		t.Errorf("without a caller: %q", alone.Headline)
	}
	// A mistake in the function itself is looked through as well: the rule says so.
	e := decode(t, "", "openGate", "boardCars")
	e.Exceptions[0].Message = "Cannot read properties of undefined (reading 'lane')"
	if p := printed(m, e); p.Origin.Function != "boardCars" {
		t.Errorf("a mistake of its own: blamed %s", p.Origin.Function)
	}
	if p := printed(grouping.Method{}, e); p.Origin.Function != "openGate" {
		t.Errorf("without the rule: blamed %s", p.Origin.Function)
	}
}

func TestPrint_VersionsDiffer(t *testing.T) {
	of := func(version int, message string) fingerprint.Key {
		e := decode(t, "")
		e.Exceptions[0].Message = message
		return printed(grouping.Method{Version: version}, e).Key
	}
	for _, c := range []struct {
		a, b       string
		two, three bool // whether they are one
	}{
		{"no booking 7fKq2xPd", "no booking a4Rt9w2B", false, true},
		{"no gate 7", "no gate 12", true, true},
		{"no digest of sha256", "no digest of sha512", true, true},
		{"no table utf8mb4", "no table latin1", false, false},
		{"waited 2h30m15s", "waited 11h59m30s", true, true},
	} {
		if got := of(2, c.a) == of(2, c.b); got != c.two {
			t.Errorf("version 2: %q and %q are one: %v", c.a, c.b, got)
		}
		if got := of(3, c.a) == of(3, c.b); got != c.three {
			t.Errorf("version 3: %q and %q are one: %v", c.a, c.b, got)
		}
	}
}

func TestRemark_IsAsReadAnew(t *testing.T) {
	first := method(t, "frames: [{name: theirs, path: src/open*, do: vendor}]")
	then := method(t, "frames: [{name: gates, function: board*, do: look-through}]")
	e := decode(t, "", "openGate", "boardCars", "main")
	frames := symbolicate.Event(e, none{}, symbolicate.Options{Kinds: first.Kinds()})
	hits := map[string]int{}
	symbolicate.Remark(e, frames, symbolicate.Options{Kinds: then.Kinds(), Hit: func(r string) { hits[r]++ }})
	want := symbolicate.Event(e, none{}, symbolicate.Options{Kinds: then.Kinds()})
	for j, f := range frames[0] {
		if w := want[0][j]; f.Kind != w.Kind || f.LookThrough != w.LookThrough || f.Origin != w.Origin {
			t.Errorf("frame %d is %+v, want %+v", j, f, w)
		}
	}
	if hits["gates"] != 1 || frames[0][0].Kind != event.Own {
		t.Errorf("hits %v, frames %+v", hits, frames[0])
	}
}

// BenchmarkPrint: one event of 30 own frames whose origin, message and
// attributes rules look at; none of the rules but the last fits.
func BenchmarkPrint(b *testing.B) {
	functions := make([]string, 30)
	for i := range functions {
		functions[i] = fmt.Sprintf("step%c%c", 'a'+i%26, 'a'+i/26)
	}
	e := decode(b, `,"attributes":{"gate.lane":"car","url.full":"https://quayside.example/day/366"}`, functions...)
	for _, n := range []int{0, 20, 500} {
		b.Run(fmt.Sprintf("rules=%d", n), func(b *testing.B) {
			text := "grouping:\n"
			for i := range n {
				switch {
				case i == n-1:
					text += "- {name: last, when: 'exception.type == \"GateError\"', extend: '${gate.lane}'}\n"
				case i%3 == 0:
					text += fmt.Sprintf("- {name: r%d, when: 'exception.type == \"Other%d\"', replace: other}\n", i, i)
				case i%3 == 1:
					text += fmt.Sprintf("- {name: r%d, when: 'origin.function == \"f%d\" && origin.module.glob(\"src/*\")', extend: x}\n", i, i)
				default:
					text += fmt.Sprintf("- {name: r%d, when: 'attr(\"gate.name\") == \"gate %d\" || message.startsWith(\"%d\")', extend: x}\n", i, i, i)
				}
			}
			m := method(b, text)
			frames := symbolicate.Event(e, none{}, symbolicate.Options{})
			b.ReportAllocs()
			for b.Loop() {
				if p, trouble := m.Print(e, time.Time{}, frames); len(trouble) > 0 || n > 0 && p.Ruling == nil {
					b.Fatal(trouble)
				}
			}
		})
	}
}
