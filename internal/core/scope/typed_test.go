package scope

import (
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// TypeScript and JSX: the function around each "@".
func TestScanAs_ReadsTypesAndMarkup(t *testing.T) {
	types, markup := Dialect{Types: true}, Dialect{Types: true, Markup: true}
	for name, c := range map[string]struct {
		dialect    Dialect
		code, want string
	}{
		"annotations":                  {types, "function a(x: number, y?: {z: () => void}): asserts x is 1 {@}", "a"},
		"generic arrow":                {types, "const a = <T extends {b: U}, U = T[]>(x: T): U => {@}", "a"},
		"generic arrow beside tags":    {markup, "const a = <T,>(x: T) => {@}; const b = <T extends X>(x: T) => {@}; const c = <b>{() => {@}}</b>", "a|b|children"},
		"async generic arrow":          {types, "const a = async <T>(x: T): Promise<T> => {@}", "a"},
		"type of an arrow":             {types, "const a: (x: () => void) => (y: T) => void = (x) => {@}", "a"},
		"a type in parentheses":        {types, "const a = (f: (...x: A) => R): ((...x: A) => R) => {@}", "a"},
		"satisfies and as":             {types, "const a = ((x) => {@}) satisfies F as G, b = {c: () => {@}} satisfies H", "a|c"},
		"not null":                     {types, "a.b! = function () {@}; c![0]!.d = () => {@}", "a.b|d"},
		"assertion before":             {types, "const a = <F>((x) => {@}), b = <const T,>(x: T) => {@}", "a|b"},
		"overloads are none":           {types, "function a(x: 1): 1\nfunction a(x: 2): 2\nfunction a(x: any) {@}", "a"},
		"abstract and declared":        {types, "abstract class A { abstract b(): void; declare c: () => void; d?(): void; e() {@} }", "A.e"},
		"ternary or return type":       {types, "const a = q ? (b) : c => {@}, d = q ? (b): c => {@} : e", "-|-"},
		"compared or generic":          {types, "const a = () => b < c && d > (e@), f = g<H>(() => {@}), i = j < (k) ? l : (m) => {@}", "a|-|-"},
		"shifts and arguments":         {types, "f<<T>(x: T) => void>(y => {@}); a = 1 << 2; b = () => {@}", "-|b"},
		"instantiation":                {types, "const a = b<C>, d = e<F>; const g = () => {@}", "g"},
		"parameter defaults":           {types, "function a(b: F = () => {@}, {c = () => {@}}: {c?: F} = {}, [d = () => {@}]: F[] = []) {@}", "b<a|c<a|d<a|a"},
		"parameter properties":         {types, "class A { constructor(private readonly b: F = () => {@}, public c?: G) {@} }", "b<A.constructor|A.constructor"},
		"fields":                       {types, "class A { private b = () => {@}; static readonly c: F = function () {@}; #d = async () => {@}; e = f(() => {@}) }", "A.b|A.c|A.#d|-<A.-"},
		"static block":                 {types, "class A { static { b(() => {@}); @ } }", "-<A.-|A.-"},
		"accessors":                    {types, "class A { get b(): T {@} set b(v: T) {@} static async *c<T>(): X<T> {@} accessor d = () => {@}; get; set = () => {@} }", "A.b|A.b|A.c|A.d|A.set"},
		"words as names":               {types, "class A { type() {@} declare() {@} static() {@} async() {@} get<T>() {@} of = () => {@} }", "A.type|A.declare|A.static|A.async|A.get|A.of"},
		"computed members":             {types, "class A { ['b']() {@} [Symbol.iterator]() {@} ['c' + 'd'] = () => {@}; [e]() {@} [f: string]: unknown; g() {@} }", "A.b|A.[Symbol.iterator]|A.cd|A.-|A.g"},
		"decorators":                   {types, "@a(() => {@}) export class B { @c @d.e(() => {@}) f() {@} @g() h = () => {@}; i(@j k: T) {@} }", "-|-|B.f|B.h|B.i"},
		"enumerations and namespaces":  {types, "const enum A { B = c(() => {@}) } namespace D.E { export const f = () => {@} } declare module 'g' { function h(): void } function i() {@}", "-|f|i"},
		"words that are names":         {types, "type = 1; declare = () => {@}; interface\nx = () => {@}; abstract(() => {@}); let module = () => {@}", "declare|x|-|module"},
		"types without code":           {types, "type A<T> = T extends (infer U extends X)[] ? {[K in keyof T as `a${K}`]-?: () => U} : never\ninterface B extends C<D> { (x: 1): 2; new (y: 3): B }\nconst e = () => {@}", "e"},
		"imports and exports":          {types, "import type {A} from 'a'; import b = require('b'); export = () => {@}", "-"},
		"exported by default":          {types, "export default abstract class { a() {@} }", ".a"},
		"a function by default":        {types, "export default (x: T) => {@}", "-"},
		"tags":                         {markup, "const A = () => <b c={() => {@}} {...d(() => {@})} e='it\\'>x isn't {f.map(g => {@})} < /b></b>", "c<A|-<A|-<A"},
		"tags in tags":                 {markup, "function A() { return <><B.C<T> d-e={<i/>} f:g=\"}\">{'{'}</B.C>{/* } */}{@}</> }", "A"},
		"the only child":               {markup, "a = <B> {() => {@}} </B>; c = <D>{() => {@}}{e}</D>", "children|-"},
		"decorated export":             {types, "export default @a class B { c() {@} }", "B.c"},
		"a class within an expression": {types, "const A = <T extends X>(B: T) => class extends B<C> implements D { e() {@} }", "e<A"},
		"predicates":                   {types, "class A { b(this: A): this is B {@} static c(x: unknown): x is D {@} }", "A.b|A.c"},
		"optional calls":               {types, "a?.b<C>?.(d => {@}); e?.[f](g => {@})", "-|-"},
		"using":                        {types, "await using a = b(() => {@}); for (using c of d) {@}", "-|"},
		"regular expressions":          {types, "const a = (x: T) => /[/]}/.test(x) ? @1 : x / 2 / @3", "a|a"},
		"an implicit constructor":      {types, "@class A extends B {}", "A.-"},
	} {
		t.Run(name, func(t *testing.T) {
			if name == "decorators" || name == "decorated export" || name == "parameter defaults" {
				c.code = strings.NewReplacer("@a", "§a", "@c", "§c", "@d", "§d", "@g", "§g", "@j", "§j").Replace(c.code)
			}
			if got := strings.Join(enclosingIn(t, c.code, c.dialect), "|"); got != c.want {
				t.Errorf("%s: %s, want %s", c.code, got, c.want)
			}
		})
	}
}

// What is no program is said so, with the place; what stands before it is there.
func TestScanAs_SaysWhereItStops(t *testing.T) {
	for code, want := range map[string]sourcemap.Pos{
		"function a() {}\nconst = 1":     {Line: 1, Col: 6},
		"function a() { x( }\nfoo(1 2)":  {Line: 0, Col: 18},
		"function a() {}\nlet b = 'c\n'": {Line: 1, Col: 10},
		"function a() {}\n/* open":       {Line: 1, Col: 0},
		"function a() {}\n`${":           {Line: 1, Col: 3},
	} {
		table := ScanAs(code, Dialect{Types: true})
		if table.Clean || table.Problem == nil || *table.Problem != want {
			t.Errorf("%q: clean %v, fault %v, want %v", code, table.Clean, table.Problem, want)
		}
		if table.Len() == 0 || table.At(0).Name != "a" {
			t.Errorf("%q: the function before is not found", code)
		}
	}
	// A function that cannot be read hides none of those behind it.
	table := ScanAs("function a(){ @@ '}' }function b(){}", Dialect{})
	if table.Clean || table.Len() != 2 || table.At(1).Name != "b" {
		t.Errorf("%+v", table)
	}
}

// Code that is made to take for ever, or all memory, ends: how deep it may be
// nested is bounded, and how far may be looked ahead. What is found is in order.
func TestScanAs_EndsSoon(t *testing.T) {
	for name, unit := range map[string]string{
		"parentheses": "(", "brackets": "[", "braces": "{", "calls": "f(", "templates": "`${", "arrows": "a=>", "conditionals": "a?(b):", "tags": "<a>",
		"types": "<T>(", "generics": "a<b<", "classes": "class A{b=", "functions": "function a(){", "prefixes": "!", "types in types": "type A=(", "assignments": "a=", "members": "{a:",
		"generic arrows": "a?<T>(b):c=>", "new": "new ", "await": "await ", "labels": "a:", "ifs": "if(a)", "private": "#", "escapes": "\\u{", "regular": "a=/", "comments": "/*", "generic calls": "a<<T>(",
	} {
		code := strings.Repeat(unit, 1<<18/len(unit))
		for _, d := range []Dialect{{}, {Types: true}, {Types: true, Markup: true}} {
			table := ScanAs(code, d)
			for i := range table.Len() {
				if f := table.At(i); after(f.Start, f.End) || f.Parent >= i {
					t.Fatalf("%s, %+v: function %d: %+v", name, d, i, f)
				}
			}
		}
	}
}

func TestScanSource_ReadsComponents(t *testing.T) {
	const vue = "<!-- <script>not()</script> -->\n<script lang=\"ts\">\nexport const a = (x: T) => { 1 }\n</script>\n<script setup lang='ts' generic=\"T extends U<V>\">\nimport b from 'b'\nb()\nconst c = () => { 2 }\n</script>\n<template><p @click=\"() => d()\"/></template>\n"
	const svelte = "<script module>\nfunction a() { 1 }\n</script>\n<script lang=\"ts\">\nlet b: number = 1\nconst c = (): void => { 2 }\n</script>\n{#each b as d}{c()}{/each}\n"
	const astro = "---\nconst { a } = Astro.props\nconst b = (x: number) => { 1 }\n---\n<p>{b(1)}</p>\n<script>\nfunction c(x: T) { 2 }\n</script>\n"
	for name, c := range map[string]struct {
		file, text string
		at         sourcemap.Pos
		want       string
		kind       Kind
	}{
		"vue, its module":       {"src/Deck.vue", vue, sourcemap.Pos{Line: 2, Col: 30}, "a", Plain},
		"vue, set up":           {"src/Deck.vue", vue, sourcemap.Pos{Line: 6, Col: 1}, "Deck.setup", Plain},
		"vue, within":           {"src/Deck.vue", vue, sourcemap.Pos{Line: 7, Col: 18}, "c", Plain},
		"vue, markup":           {"src/Deck.vue", vue, sourcemap.Pos{Line: 9, Col: 30}, "", Outside},
		"vue, a comment":        {"src/Deck.vue", vue, sourcemap.Pos{Line: 0, Col: 14}, "", Outside},
		"vue, cut up":           {"Deck.vue?vue&type=script&lang.ts", "const a = (x: T) => { 1 }", sourcemap.Pos{Col: 22}, "a", Plain},
		"svelte, its module":    {"Quay.svelte", svelte, sourcemap.Pos{Line: 1, Col: 15}, "a", Plain},
		"svelte, its component": {"Quay.svelte", svelte, sourcemap.Pos{Line: 4, Col: 4}, "Quay", Plain},
		"svelte, within":        {"Quay.svelte", svelte, sourcemap.Pos{Line: 5, Col: 24}, "c", Plain},
		"svelte, markup":        {"Quay.svelte", svelte, sourcemap.Pos{Line: 7, Col: 16}, "", Outside},
		"astro, its front":      {"pages/index.astro", astro, sourcemap.Pos{Line: 1, Col: 8}, "index", Plain},
		"astro, within":         {"pages/index.astro", astro, sourcemap.Pos{Line: 2, Col: 27}, "b", Plain},
		"astro, markup":         {"pages/index.astro", astro, sourcemap.Pos{Line: 4, Col: 4}, "", Outside},
		"astro, its script":     {"pages/index.astro", astro, sourcemap.Pos{Line: 6, Col: 20}, "c", Plain},
	} {
		t.Run(name, func(t *testing.T) {
			table := ScanSource(c.file, c.text)
			if table == nil || !table.Clean || table.Problem != nil {
				t.Fatalf("%+v", table)
			}
			i, ok := table.Find(c.at)
			if !ok {
				t.Fatal("nothing is found there")
			}
			f := table.At(i)
			name := f.Name
			if f.Class != "" {
				name = f.Class + "." + name
			}
			if name != c.want || f.Kind != c.kind {
				t.Errorf("%q, kind %d, want %q, kind %d", name, f.Kind, c.want, c.kind)
			}
		})
	}
	made := ScanSource("Deck.vue", "<script>class A {}</script><script setup>class Sunk extends Error { constructor() { super() } }</script>")
	if i, ok := made.Find(sourcemap.Pos{Col: 77}); !ok || !made.At(i).Makes || made.At(i).Class != "Sunk" {
		t.Errorf("a class in the second script: %+v", made)
	}
	broken := ScanSource("Deck.vue", "<script>const = 1</script><script setup>function a() {}</script>")
	if !broken.Clean || broken.Problem == nil || broken.Len() != 4 || broken.At(0).Kind != Outside || broken.At(2).Name != "a" {
		t.Errorf("a script that cannot be read: %+v", broken)
	}
}

// Names tell what a source is; those that do not are read as what they look like.
func TestScanSource_KnowsWhatIsNoScript(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		want bool
	}{
		"a.css": {"a { b: c }", false}, "a.json": {"[1]", false}, "a.html": {"<p>", false}, "webpack/runtime/define": {"function a() {}", true},
		"webpack/style": {"a { b: c; d }e f", false}, "a.js": {"const a: T = () => <b/>", true}, "a.ts?query": {"let a = <T>() => 1", true}, "a.es6": {"let a", true},
	} {
		if got := ScanSource(name, c.text); (got != nil && got.Clean) != c.want {
			t.Errorf("%s: %+v, want %v", name, got, c.want)
		}
	}
}

func TestScanAs_TakesOtherLineEnds(t *testing.T) {
	for name, code := range map[string]string{
		"carriage returns and line feeds": "function a() {\r\n  let b = 1\r\n  return () => 2\r\n}\r\n",
		"a byte order mark":               "\ufefffunction a() {\n  let b = 1\n  return () => 2\n}\n",
		"carriage returns":                "function a() {\r  let b = 1\r  return () => 2\r}",
		"line separators":                 "function a() {\u2028  let b = 1\u2029  return () => 2\u2028}",
	} {
		if table := ScanAs(code, Dialect{Types: true}); !table.Clean || table.Len() != 2 || table.At(0).Name != "a" || table.At(0).Start != (sourcemap.Pos{}) {
			t.Errorf("%s: %+v", name, table)
		}
	}
}

// Constructors of errors, and functions that return a new one, are told from
// others by what is written, whatever they are called.
func TestScanAs_KnowsWhatMakesErrors(t *testing.T) {
	const code = `class Sunk extends Failed { constructor(m: string) { super(m) } static of() { return new Sunk('a') } depth() { return new Map() } }
abstract class Failed extends Base.HttpError { }
class Berth extends Pier { constructor() { super() } }
function fault(m: string): Sunk { if (m) { return new Sunk(m) } throw 1 }
const other = (m: string) => new errors.RangeError(m)
const quick = () => new Date(); function plain() { return Error('x') } function inner() { return () => new TypeError() }`
	table := ScanAs(code, Dialect{Types: true})
	var makes []string
	for i := range table.Len() {
		if f := table.At(i); f.Makes {
			name := f.Name
			if f.Class != "" {
				name = f.Class + "." + name
			}
			makes = append(makes, name)
		}
	}
	if got, want := strings.Join(makes, " "), "Sunk.constructor Sunk.of Failed. fault other "; got != want {
		t.Errorf("%q make errors, want %q", got, want)
	}
}
