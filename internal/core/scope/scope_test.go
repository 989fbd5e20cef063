package scope

import (
	"strings"
	"testing"

	"firethorn/internal/core/sourcemap"
)

// enclosing names the function around each "@" in code, from the inside out.
func enclosing(t *testing.T, code string) []string {
	t.Helper()
	return enclosingIn(t, code, Dialect{})
}

// enclosingIn is enclosing for a dialect, where "§" represents an "@" of the code.
func enclosingIn(t *testing.T, code string, dialect Dialect) []string {
	t.Helper()
	var marks []sourcemap.Pos
	var clean strings.Builder
	pos := sourcemap.Pos{}
	for _, r := range code {
		switch {
		case r == '@':
			marks = append(marks, pos)
			continue
		case r == '\n':
			pos.Line, pos.Col = pos.Line+1, 0
		case r > 0xffff:
			pos.Col += 2
		default:
			pos.Col++
		}
		clean.WriteRune(r)
	}
	table := ScanAs(strings.ReplaceAll(clean.String(), "§", "@"), dialect)
	var out []string
	for _, m := range marks {
		var path []string
		for i, ok := table.Find(m); ok; i, ok = table.At(i).Parent, table.At(i).Parent >= 0 {
			f := table.At(i)
			name := f.Name
			if name == "" {
				name = "-"
			}
			if f.Class != "" || f.Default && f.Property {
				name = f.Class + "." + name
			}
			path = append(path, name)
		}
		out = append(out, strings.Join(path, "<"))
	}
	return out
}

func TestScan_NamesTheEnclosingFunction(t *testing.T) {
	for name, c := range map[string]struct{ code, want string }{
		"declaration":              {"function a(){@x}@", "a|"},
		"nested":                   {"function a(){function b(){@}@}", "b<a|a"},
		"bound arrow":              {"const a=(x)=>{@},b=y=>@y+1,c=async z=>{@}", "a|b|c"},
		"arrow ended by comma":     {"f(x=>x@.y,@2)", "-|"},
		"arrow ended by ternary":   {"q?x=>@x:@y", "-|"},
		"ternary in an arrow":      {"const a=x=>x?@1:@2;@", "a|a|"},
		"arrow in brackets":        {"const a=x=>({k:@x});@", "a|"},
		"method":                   {"class G{open(t){@}static async shut(){@}get w(){@}#p(){@}}", "G.open|G.shut|G.w|G.#p"},
		"class expression":         {"var G=class extends B{constructor(){@super()}}", "G.constructor"},
		"object methods":           {"var o={a(){@},b:function(){@},c:()=>{@},'d e'(){@},async*f(){@}}", "a|b|c|d e|f"},
		"assigned property":        {"a.b.c=function(){@}", "c"},
		"named expression":         {"x=function y(){@}", "y"},
		"control is no method":     {"function a(){if(x){@}for(;;){@}while(y){@}switch(z){case 1:{@}}}", "a|a|a|a"},
		"callback":                 {"function a(){b.map(function(x){@})}", "-<a"},
		"regular expression":       {"function a(){return/[/{]}/.test(x)&&@y}function b(){return c/2/@d}", "a|b"},
		"regexp behind if":         {"function a(){if(x)/}/.test(y);@}", "a"},
		"regexp behind a block":    {"function a(){if(x){}/}/.test(y);@}function b(){}/}{/.test(c);@(function(){@}/2,{c(){@}}/3)", "a||-|c"},
		"template":                 {"const a=()=>`x${b(()=>{@})}y${@1}`;@", "-<a|a|"},
		"strings hold brackets":    {"function a(){return'}'+\"{\"+@x}", "a"},
		"default parameter":        {"function a(b=()=>@1){@}", "b<a|a"},
		"arrow returns an arrow":   {"const a=x=>y=>@x+y;@", "-<a|"},
		"immediately called":       {"(()=>{@})();(function(){@})();@", "-|-|"},
		"wide characters":          {"var s='😀é';function a(){@}", "a"},
		"lines":                    {"function a(){\n  const b = () => 1\n  const c = 2@\n}\n@", "a|"},
		"object behind an arrow":   {"const a=()=>{return{b(){@}}};@", "b<a|"},
		"class field":              {"class G{a=()=>{@};b=1;c(){@}}", "G.a|G.c"},
		"keywords as names":        {"class G{catch(){@}get(){@}}", "G.catch|G.get"},
		"property called function": {"a.function(1);function b(){@}", "b"},
		"hash bang":                {"#!/usr/bin/env node\nfunction a(){@}", "a"},
		"label and block":          {"function a(){l:{@}@}", "a|a"},
		"cut off":                  {"function a(){function b(){@}", "b<a"},
	} {
		t.Run(name, func(t *testing.T) {
			if got := strings.Join(enclosing(t, c.code), "|"); got != c.want {
				t.Errorf("enclosing(%s) = %s, want %s", c.code, got, c.want)
			}
		})
	}
}

func FuzzScan(f *testing.F) {
	f.Add("const a=x=>({b(){return`${c}`}});class D{e(){}}", int32(20), false, false)
	f.Add("abstract class A<T extends B> { @c d = <U,>(e: U): e is F => <g h={i}>j</g> }", int32(20), true, true)
	f.Fuzz(func(t *testing.T, code string, col int32, types, markup bool) {
		table := ScanAs(code, Dialect{Types: types, Markup: markup})
		for i := range table.Len() {
			fn := table.At(i)
			if after(fn.Start, fn.End) || fn.Parent >= i {
				t.Fatalf("function %d of %q: %+v ends before it starts or lies outside its parent", i, code, fn)
			}
		}
		if i, ok := table.Find(sourcemap.Pos{Col: col}); ok && i >= table.Len() {
			t.Fatalf("Find gives function %d of %d", i, table.Len())
		}
	})
}
