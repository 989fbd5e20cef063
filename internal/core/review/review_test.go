package review_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/grouping"
	"firethorn/internal/core/likeness"
	"firethorn/internal/core/review"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

type none struct{}

func (none) File(string, string) (*symbols.File, string) { return nil, "" }
func (none) Failed(err error)                            { panic(err) }

// town is a set of events, grouped and reviewed as a project's would be.
type town struct {
	t      *testing.T
	method grouping.Method
	events []*event.Event
}

// add adds n events: JSON of the rest, own frames as "file function", innermost first.
func (w *town) add(n int, rest string, frames ...string) {
	w.t.Helper()
	var list []string
	for _, f := range frames {
		file, function, _ := strings.Cut(f, " ")
		list = append(list, fmt.Sprintf(`{"function":%q,"file":%q,"line":3}`, function, file))
	}
	raw := `{` + strings.ReplaceAll(rest, "FRAMES", `"frames":[`+strings.Join(list, ",")+`]`) + `}`
	for range n {
		e, err := event.Decode([]byte(strings.ReplaceAll(raw, "@", fmt.Sprint(len(w.events)))), event.DefaultLimits)
		if err != nil {
			w.t.Fatalf("%v: %s", err, raw)
		}
		w.events = append(w.events, e)
	}
}

func (w *town) printed(m grouping.Method, e *event.Event) (fingerprint.Result, [][]event.Frame) {
	frames := symbolicate.Event(e, none{}, symbolicate.Options{Kinds: m.Kinds()})
	p, _ := m.Print(e, time.Time{}, frames)
	return p, frames
}

func (w *town) issues() (out []review.Issue) {
	number, variant := map[fingerprint.Key]int{}, map[string]int{}
	for _, e := range w.events {
		p, frames := w.printed(w.method, e)
		i, ok := number[p.Key]
		if !ok {
			i = len(out)
			number[p.Key], out = i, append(out, review.Issue{Number: int64(i + 1), Headline: p.Headline})
		}
		sketch := likeness.Of(e, frames, fingerprint.OwnKey(e))
		trace := fmt.Sprint(p.Variant, sketch.Own)
		v, ok := variant[trace]
		if !ok {
			v = len(out[i].Variants)
			attributes := map[string]string{}
			for _, n := range e.Attributes.Names() {
				attributes[n] = e.Attributes.Text(n)
			}
			variant[trace], out[i].Variants = v, append(out[i].Variants, review.Variant{Sketch: sketch, Attributes: attributes, Ruled: p.Ruling != nil})
		}
		out[i].Events++
		out[i].Users = 2
		out[i].Variants[v].Events++
	}
	return out
}

func (w *town) review() review.Review {
	r, _ := review.Find(w.issues(), w.method.Version, fingerprint.Version)
	return r
}

// apply takes a suggestion, and says how many issues there are then.
func (w *town) apply(f review.Finding) int {
	w.t.Helper()
	m := w.method
	if f.Version != 0 {
		m.Version = f.Version
	} else {
		set, faults := rules.Read(rules.WithRule("", f.Section, f.Rule))
		if len(faults) > 0 {
			w.t.Fatalf("the suggestion is no rule: %v\n%s", faults, f.Rule)
		}
		m.Rules = set
	}
	then := *w
	then.method = m
	return len(then.issues())
}

func TestFind_EachWithARuleThatMends(t *testing.T) {
	for name, c := range map[string]struct {
		plant   func(w *town)
		version int
		kind    review.Kind
		words   string
		issues  int // before
		then    int
	}{
		"an application's key that is never alike": {func(w *town) {
			w.add(5, `"exceptions":[{"type":"ScanError","message":"no ticket",FRAMES}],"attributes":{"request.id":"r-@"},"grouping":{"extend":["${request.id}"]}`, "src/scan.ts scan", "src/server.ts handle")
			w.add(2, `"exceptions":[{"type":"RateError","message":"no rate",FRAMES}]`, "src/rate.ts rate", "src/server.ts handle")
		}, 0, review.Pieces, "ScanError in scan is in 5 issues", 6, 2},
		"functions that a compiler numbers": {func(w *town) {
			for _, n := range []string{"1", "2"} {
				w.add(3, `"exceptions":[{"type":"*roster.LockError","message":"taken",FRAMES}],"attributes":{"request.id":"r-@"},"grouping":{"extend":["${request.id}"]}`, "roster/lock.go roster.(*Roster).Load.func"+n, "roster/main.go main.main")
			}
		}, 0, review.Pieces, "is in 6 issues", 6, 1},
		"a helper that a compiler numbers": {func(w *town) {
			w.add(4, `"exceptions":[{"type":"*roster.LockError","message":"taken",FRAMES}]`, "roster/feed.go roster.take.func1", "roster/berths.go roster.berths", "roster/map.go roster.draw")
			w.add(4, `"exceptions":[{"type":"*roster.LockError","message":"taken",FRAMES}]`, "roster/feed.go roster.take.func2", "roster/tides.go roster.tides", "roster/table.go roster.fill")
		}, 0, review.Mixed, "looks like 2 causes", 1, 2},
		"a function that moved": {func(w *town) {
			for _, f := range []string{"src/a/tides.ts", "src/b/tides.ts"} {
				w.add(3, `"exceptions":[{"type":"RangeError","message":"no day",FRAMES}]`, f+" tideAt", "src/draw.ts row", "src/draw.ts draw", "src/main.ts main")
			}
		}, 0, review.Pieces, "RangeError in tideAt is in 2 issues", 2, 1},
		"timeouts of one upstream": {func(w *town) {
			for _, f := range []string{"openGate", "closeGate", "countSeats", "callCrew"} {
				w.add(2, `"exceptions":[{"type":"TimeoutError","message":"harbour.example:443 did not answer within @00 ms",FRAMES}],"attributes":{"server.address":"harbour.example"}`, "src/"+f+".ts "+f)
			}
		}, 0, review.Pieces, "did not answer within", 4, 1},
		"codes in messages, version 2": {func(w *town) {
			for _, c := range []string{"7fKq2xPd", "a4Rt9w2B", "9zQx1y7W"} {
				w.add(2, `"message":"booking `+c+` could not be read"`)
			}
		}, 2, review.Pieces, "could not be read", 3, 1},
		"an application's key for everything": {func(w *town) {
			w.add(4, `"exceptions":[{"type":"DbError","message":"no row",FRAMES}],"grouping":{"replace":["database"]}`, "src/crew.ts crewOf", "src/plan.ts plan")
			w.add(4, `"exceptions":[{"type":"DbError","message":"locked",FRAMES}],"grouping":{"replace":["database"]}`, "src/fares.ts fareOf", "src/shop.ts buy")
		}, 0, review.Mixed, "looks like 2 causes", 1, 2},
		"a helper that nobody knows": {func(w *town) {
			w.add(4, `"exceptions":[{"type":"FeedError","message":"empty",FRAMES}]`, "src/feed.ts take", "src/berths.ts berths", "src/map.ts draw")
			w.add(4, `"exceptions":[{"type":"FeedError","message":"empty",FRAMES}]`, "src/feed.ts take", "src/tides.ts tides", "src/table.ts fill")
		}, 0, review.Mixed, "looks like 2 causes", 1, 2},
	} {
		t.Run(name, func(t *testing.T) {
			w := &town{t: t, method: grouping.Method{Version: c.version}}
			if c.version == 0 {
				w.method.Version = fingerprint.Version
			}
			c.plant(w)
			if n := len(w.issues()); n != c.issues {
				t.Fatalf("%d issues before, want %d", n, c.issues)
			}
			r := w.review()
			if len(r.Findings) != 1 || r.Findings[0].Kind != c.kind || !strings.Contains(r.Findings[0].Text, c.words) {
				t.Fatalf("%+v", r.Findings)
			}
			if r.Variability() == 0 {
				t.Error("nothing is variable")
			}
			if n := w.apply(r.Findings[0]); n != c.then {
				t.Errorf("%d issues with the suggestion, want %d:\n%s", n, c.then, r.Findings[0].Rule)
			}
		})
	}
}

func TestFind_LeavesGoodGroupingAlone(t *testing.T) {
	w := &town{t: t, method: grouping.Method{Version: fingerprint.Version}}
	w.add(4, `"exceptions":[{"type":"ScanError","message":"no ticket",FRAMES}]`, "src/scan.ts scan", "src/server.ts handle", "src/main.ts main")
	w.add(4, `"exceptions":[{"type":"ScanError","message":"no ticket",FRAMES}]`, "src/scan.ts scan", "src/retry.ts again", "src/server.ts handle", "src/main.ts main")
	w.add(4, `"exceptions":[{"type":"RateError","message":"no rate",FRAMES}]`, "src/rate.ts rate", "src/server.ts handle", "src/main.ts main")
	// A mistake of the function itself is one cause, no matter who calls it.
	for _, caller := range []string{"src/a.ts a", "src/b.ts b"} {
		w.add(4, `"exceptions":[{"type":"TypeError","message":"Cannot read properties of undefined (reading 'tide')",FRAMES}]`, "src/tides.ts tideAt", caller, caller+"Main")
	}
	w.add(4, `"message":"no crew"`)
	if r := w.review(); len(r.Findings) != 0 || r.Causes != 4 || r.Variability() != 0 {
		t.Errorf("%+v", r)
	}
}

func TestFind_NoiseIsManyEventsOfFew(t *testing.T) {
	w := &town{t: t, method: grouping.Method{Version: fingerprint.Version}}
	w.add(1, `"exceptions":[{"type":"LoopError","message":"again",FRAMES}]`, "src/loop.ts turn", "src/main.ts main")
	is := w.issues()
	is[0].Events, is[0].Users = 1400, 1
	r, _ := review.Find(is, 3, 3)
	if len(r.Findings) != 1 || r.Findings[0].Kind != review.Noise || !strings.Contains(r.Findings[0].Text, "for one user") {
		t.Fatalf("%+v", r.Findings)
	}
	set, faults := rules.Read(rules.WithRule("", r.Findings[0].Section, r.Findings[0].Rule))
	if len(faults) > 0 || len(set.Intake) != 1 || !set.Intake[0].Drop {
		t.Errorf("%v\n%s", faults, r.Findings[0].Rule)
	}
	is[0].Users = 1000
	if r, _ := review.Find(is, 3, 3); len(r.Findings) != 0 {
		t.Errorf("many users are no noise: %+v", r.Findings)
	}
}
