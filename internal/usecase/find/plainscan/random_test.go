package plainscan

import (
	"fmt"
	"math/rand/v2"
	"time"

	"firethorn/internal/core/query"
)

// chance makes searches and events of a seeded generator.
type chance struct{ *rand.Rand }

func pick[T any](c chance, list ...T) T { return list[c.IntN(len(list))] }

// odd are values that need care: dots, quotes, colons, right-to-left text, numbers that
// are texts.
var odd = []string{"gold", "silver", "a.b", `he said "no"`, "x:y", "שלום", "ÅNGBÅT", "ångbåt", "12", "12.0", "1,5", "-gold", "OR", "two words", `back\slash`, "*"}

func (c chance) value() query.Value {
	switch c.IntN(8) {
	case 0:
		return query.Value{Parts: []string{"", ""}}
	case 1:
		return query.Value{Parts: []string{pick(c, "g", "A", "Si", "שׁ", "å", "1", ""), ""}}
	case 2:
		return query.Value{Parts: []string{"", pick(c, "d", "b", "t", "0", "")}}
	}
	return query.Exactly(pick(c, odd...))
}

func (c chance) leaf() query.Node {
	bound := func(texts ...string) (from, to query.Bound) {
		a, b := query.Bound{Text: pick(c, texts...), Inclusive: c.IntN(2) == 0}, query.Bound{Text: pick(c, texts...), Inclusive: c.IntN(2) == 0}
		switch c.IntN(3) {
		case 0:
			return a, query.Bound{}
		case 1:
			return query.Bound{}, b
		}
		a.Inclusive, b.Inclusive = true, true
		return a, b
	}
	ranged := func(name string, texts ...string) query.Node {
		from, to := bound(texts...)
		return query.Range{Name: name, From: from, To: to}
	}
	term := func(name string, values ...string) query.Node {
		return query.Term{Name: name, Values: []query.Value{query.Exactly(pick(c, values...))}}
	}
	switch c.IntN(22) {
	case 0, 1, 2, 3:
		values := []query.Value{c.value()}
		if c.IntN(4) == 0 {
			values = append(values, c.value())
		}
		return query.Term{Name: pick(c, "plan", "cart.count", "berth.zone", "os.name", "url.template", "error.type"), Values: values}
	case 4, 5:
		return ranged("cart.count", "0", "3", "12", "7.5", "-1")
	case 6:
		return term("user", "p-1", "p-2", "p-7@quay.example", "p-3@quay.example", "Nobody", "Anna Moss")
	case 7:
		return query.Term{Name: "user", Values: []query.Value{{Parts: []string{"", ""}}}}
	case 8:
		return term("release", "1.0.0", "1.2.0", "1.9.0")
	case 9:
		return ranged("release", "1.0.0", "1.1.0", "1.3.0")
	case 10:
		return term("environment", "production", "staging", "quayline")
	case 11:
		return term("severity", "error", "warning", "fatal")
	case 12:
		return ranged("severity", "info", "warn", "error", "fatal")
	case 13:
		return term("handled", "true", "false")
	case 14:
		return query.Term{Name: pick(c, "type", "function", "headline", "file", "message"), Values: []query.Value{{Parts: []string{pick(c, "T", "R", "f1", "f", "src/", "no "), ""}}}}
	case 15:
		return query.Word{Text: pick(c, "tide", "berth", "rangeerr", "f3", "no berth", "zzz", "thorough look"), Phrase: c.IntN(2) == 0}
	case 16:
		return term("state", "new", "accepted", "open", "all", "dismissed")
	case 17:
		return term("owner", "none", "me")
	case 18:
		return ranged(pick(c, "events", "users", "impact"), "1", "5", "20", "40")
	case 19:
		return ranged(pick(c, "first", "last"), "1d", "3d", "2026-11-20", "12h")
	case 20:
		return term("session", "s-1", "s-2", "s-99")
	}
	return ranged("appeared-in", "1.0.0", "1.1.0", "1.3.0")
}

// search makes a random search.
func (c chance) search(depth int) query.Node {
	if depth == 0 || c.IntN(3) == 0 {
		n := c.leaf()
		if c.IntN(4) == 0 {
			return query.Not{Of: n}
		}
		return n
	}
	var list []query.Node
	for range 2 + c.IntN(2) {
		list = append(list, c.search(depth-1))
	}
	switch c.IntN(5) {
	case 0, 1:
		return query.Or{Any: list}
	case 2:
		return query.Not{Of: query.And{All: list}}
	}
	return query.And{All: list}
}

// event makes a random event of the last days before a moment.
func (c chance) event(now time.Time, days int) map[string]any {
	function := c.IntN(8)
	at := map[string]any{}
	e := map[string]any{
		"time":     now.Add(-time.Duration(c.Int64N(int64(days) * int64(24*time.Hour)))).Format(time.RFC3339Nano),
		"severity": pick(c, "error", "error", "warning", "fatal", "info"), "stands_for": pick(c, 1, 1, 1, 4), "attributes": at,
		"exceptions": []any{map[string]any{"type": pick(c, "TypeError", "RangeError"), "message": pick(c, "no berth for the tide", "the crane is out"),
			"frames": []any{map[string]any{"function": fmt.Sprintf("f%d", function), "file": fmt.Sprintf("src/f%d.ts", function/2), "line": 17}}}},
		"resource": map[string]any{"deployment.environment.name": pick(c, "production", "staging")},
	}
	if c.IntN(5) > 0 {
		e["resource"].(map[string]any)["service.version"] = pick(c, "1.0.0", "1.1.0", "1.2.0", "1.3.0")
	}
	if c.IntN(3) > 0 {
		e["handled"] = c.IntN(2) == 0
	}
	if c.IntN(4) > 0 {
		who := fmt.Sprintf("p-%d", c.IntN(9))
		at["user.id"] = who
		if c.IntN(2) == 0 {
			at["user.email"] = who + "@quay.example"
		}
		if who == "p-1" || who == "p-2" {
			at["user.name"] = "Anna Moss"
		}
	}
	if c.IntN(3) > 0 {
		at["plan"] = pick(c, odd...)
	}
	if c.IntN(3) > 0 {
		at["cart.count"] = pick[any](c, 0, 3, 12, 7.5, "12", "many", true)
	}
	if c.IntN(2) > 0 {
		at["berth.zone"] = pick(c, odd...)
	}
	if c.IntN(2) > 0 {
		at["url.full"] = fmt.Sprintf("https://q.example/berths/%d/map", c.IntN(1000))
	}
	if c.IntN(4) == 0 {
		at["session.id"] = fmt.Sprintf("s-%d", c.IntN(5))
	}
	return e
}
