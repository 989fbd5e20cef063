package scope

import (
	"testing"

	"firethorn/internal/core/sourcemap"
)

func TestTable_MarkOnBehalf(t *testing.T) {
	for src, want := range map[string]bool{
		"export function invariant(ok: unknown, words: string): asserts ok {\n  if (!ok) throw new Problem(words)\n}":                                        true,
		"function need<T>(value: T | null, what: string): T {\n if (value === null || value === undefined) { throw new E(`no ${what}`) }\n return value!\n}": true,
		"const must = (x, m) => { if (x == null) throw new Error(m); return x }":                                                                             true,
		"async function ask(path) {\n const a = await fetch(path)\n if (!a.ok) throw new AnswerError(a.status, path)\n return a.json()\n}":                   true,
		"const ask = async (path: string, more?: Init) => (await fetch(base + path, { ...more, mode: 'cors' })).json()":                                      true,
		"function ask(path) { return window.fetch(`${base}${path}`) }":                                                                                       true,
		"function found(x) {\n if (!x) throw new E('not found')\n return x\n}":                                                                               false,
		"function fareOf(k) {\n if (!k) throw new E('no fare for ' + k)\n}":                                                                                  false,
		"function reserve(booking, seat) { if (!seat) throw new E('no seat'); booking.seats.push(seat) }":                                                    false,
		"function pay(cents) { if (cents <= 0) throw new E(cents); return cents }":                                                                           false,
		"function board(booking) { if (!booking.seats) throw new E('none'); return booking }":                                                                false,
		"async function loadBerth(id) { const a = await fetch(`/v2/berths/${id}`); return a.json() }":                                                        false,
		"async function loadPrices() { return (await fetch('/prices')).json() }":                                                                             false,
		"function fetchAll(list) { return list.map(x => x) }":                                                                                                false,
		"function empty() {}": false,
	} {
		table := ScanAs(src, Dialect{Types: true})
		text := sourcemap.NewText(src)
		table.MarkOnBehalf(func(i int) string {
			from, _ := text.Offset(table.At(i).Start)
			to, _ := text.Offset(table.At(i).End)
			return src[from:to]
		}, map[string]bool{})
		if table.Len() == 0 || table.At(0).OnBehalf != want {
			t.Errorf("%v for\n%s", !want, src)
		}
	}
	src := "async function ask(p) { return fetch(p) }\nasync function twice(p) { try { return await ask(p) } catch { return await ask(p) } }\nasync function crew(s) { return await twice('/crews/' + s) }\n"
	table, text := ScanAs(src, Dialect{}), sourcemap.NewText(src)
	asking := map[string]bool{}
	of := func(i int) string {
		from, _ := text.Offset(table.At(i).Start)
		to, _ := text.Offset(table.At(i).End)
		return src[from:to]
	}
	table.MarkOnBehalf(of, asking)
	table.MarkForwards(of, asking)
	if !table.At(0).OnBehalf || !table.At(1).OnBehalf || table.At(2).OnBehalf {
		t.Errorf("ask %v, twice %v, crew %v", table.At(0).OnBehalf, table.At(1).OnBehalf, table.At(2).OnBehalf)
	}
}
