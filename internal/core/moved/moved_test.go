package moved

import (
	"fmt"
	"strings"
	"testing"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/scope"
)

const drawTides = `function drawTides(port, days) {
	const rows = days.filter(day => day.port === port).map(day => ({ low: lowWater(day.height), high: highWater(day.height), at: day.at }))
	if (rows.length === 0) throw new RangeError("no tides at " + port.name + " in " + days.length + " days")
	return rows.sort((a, b) => a.at - b.at).map(row => row.low + " to " + row.high).join(", ")
}`

// places are the functions of a release by name, as module and text.
type places map[string][][2]string

func (p places) Named(name string) (out []Placed, known bool) {
	for _, x := range p[name] {
		out = append(out, Placed{x[0], scope.DigestOf(x[1])})
	}
	return out, p != nil
}

func origin(module, name, text string) Origin {
	return Origin{Stays: "type RangeError " + name, At: []Function{{module, name}}, Text: scope.DigestOf(text)}
}

func TestStep_Follows(t *testing.T) {
	edited := strings.Replace(drawTides, "return rows", "audit(port.name, days.length)\n\tmetrics.count('tides', { port: port.name, rows: rows.length, days: days.length, zone: port.zone })\n\treturn rows", 1)
	other := "function drawTides(canvas) {\n\tfor (const gate of canvas.gates) canvas.fill(gate.x, gate.y, gate.open ? colours.open : colours.shut)\n\tcanvas.flush(canvas.frames.at(-1))\n}"
	renamed := func(from, to string) bool { return from == "src/tables.ts" && to == "src/tides/tables.ts" }
	for name, c := range map[string]struct {
		text    string // now
		newer   places
		older   places
		renames Renames
		want    bool
	}{
		"it moved":                   {drawTides, places{"drawTides": {{"src/tides/tables.ts", drawTides}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, true},
		"and was edited":             {edited, places{"drawTides": {{"src/tides/tables.ts", edited}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, true},
		"edited, and one of two":     {edited, places{"drawTides": {{"src/tides/tables.ts", edited}, {"src/canvas.ts", other}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, false},
		"edited, but git renamed it": {edited, places{"drawTides": {{"src/tides/tables.ts", edited}, {"src/canvas.ts", other}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, renamed, true},
		"another text":               {other, places{"drawTides": {{"src/tides/tables.ts", other}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, false},
		"the old place is there":     {drawTides, places{"drawTides": {{"src/tides/tables.ts", drawTides}, {"src/tables.ts", other}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, false},
		"two have the text now":      {drawTides, places{"drawTides": {{"src/tides/tables.ts", drawTides}, {"src/b.ts", drawTides}}}, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, false},
		"two had it":                 {drawTides, places{"drawTides": {{"src/tides/tables.ts", drawTides}}}, places{"drawTides": {{"src/tables.ts", drawTides}, {"src/b.ts", drawTides}}}, nil, false},
		"the newer is not known":     {drawTides, nil, places{"drawTides": {{"src/tables.ts", drawTides}}}, nil, false},
		"the older is gone":          {drawTides, places{"drawTides": {{"src/tides/tables.ts", drawTides}}}, nil, nil, true},
	} {
		step := Step{Now: origin("src/tides/tables.ts", "drawTides", c.text), Then: origin("src/tables.ts", "drawTides", drawTides), Newer: c.newer, Older: c.older, Renames: c.renames}
		if from, to, like, ok := step.Follows(); ok != c.want {
			t.Errorf("%s: %v, %v to %v, %.2f alike", name, ok, from, to, like)
		}
	}
	many := places{}
	for i := range 10_000 {
		many["drawTides"] = append(many["drawTides"], [2]string{fmt.Sprint("src/", i, ".ts"), "function drawTides() {}"})
	}
	many["drawTides"] = many["drawTides"][:maxNamed+1]
	if _, _, _, ok := (Step{Now: origin("src/tides/tables.ts", "drawTides", drawTides), Then: origin("src/tables.ts", "drawTides", drawTides), Newer: many, Older: many}).Follows(); ok {
		t.Error("among so many of one name nobody can tell")
	}
}

// history has one function that moved twice.
type history struct{}

func (history) Before(a, b string) bool { return a < b }

func (history) Sources(release string) Sources {
	return places{"drawTides": {{map[string]string{"1": "src/a.ts", "2": "src/b.ts", "3": "src/c.ts"}[release], drawTides}}}
}

func TestGroup_FollowsWhateverTheOrder(t *testing.T) {
	seen := []Seen{
		{fingerprint.Key{1}, "1", origin("src/a.ts", "drawTides", drawTides)},
		{fingerprint.Key{2}, "2", origin("src/b.ts", "drawTides", drawTides)},
		{fingerprint.Key{3}, "3", origin("src/c.ts", "drawTides", drawTides)},
		{fingerprint.Key{4}, "3", origin("src/d.ts", "closeGate", drawTides)},
	}
	for _, order := range [][]int{{0, 1, 2, 3}, {3, 2, 1, 0}, {1, 3, 0, 2}} {
		var list []Seen
		for _, i := range order {
			list = append(list, seen[i])
		}
		got := Group(list, history{})
		if len(got) != 2 || got[fingerprint.Key{2}].Key != (fingerprint.Key{1}) || got[fingerprint.Key{3}].Key != (fingerprint.Key{1}) {
			t.Errorf("in the order %v: %v", order, got)
		}
		if words := got[fingerprint.Key{2}].String(); words != "followed: drawTides moved from src/a.ts to src/b.ts in 2" {
			t.Error(words)
		}
	}
}
