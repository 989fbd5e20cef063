package scope

import (
	"cmp"
	"slices"
	"strings"
	"unsafe"

	"firethorn/internal/core/sourcemap"
)

// Scan reads code and returns its functions, whose names share its memory.
func Scan(code []byte) *Table {
	return ScanAs(unsafe.String(unsafe.SliceData(code), len(code)), Dialect{})
}

// ScanAs is Scan for code in a dialect.
func ScanAs(src string, dialect Dialect) *Table {
	p := parse(src, 0, dialect)
	t := &Table{Clean: !p.failed && !p.skipped}
	places := sourcemap.NewText(src)
	if !t.Clean {
		t.Problem = new(places.At(int(p.problem)))
	}
	p.fill(t, places)
	return t
}

// making is what decides whether a function makes errors.
type making struct {
	class   extended // of a constructor
	returns string   // the class of what it returns again
}

// Errors adds the classes that extend errors to those that are known of other
// sources, and says whether there were any. A class of the source's own counts
// before another of its name.
func (t *Table) Errors(known map[string]bool) (more bool) {
	for again := true; again; {
		again = false
		for _, c := range t.classes {
			if c.name != "" && !known[c.name] && (isError(c.base) || known[c.base]) {
				known[c.name], more, again = true, true, true
			}
		}
	}
	return more
}

// MarkErrors says again which functions make errors, by the classes that extend
// errors in all sources.
func (t *Table) MarkErrors(known map[string]bool) {
	own := map[string]bool{}
	for _, c := range t.classes {
		own[c.name] = own[c.name] || isError(c.base) || known[c.base]
	}
	fails := func(name string) bool {
		if mine, here := own[name]; here {
			return mine
		}
		return name != "" && (isError(name) || known[name])
	}
	for i, m := range t.making {
		if m.class.base != "" && fails(m.class.base) || m.returns != "" && fails(m.returns) {
			t.funcs[i].Makes = true
		}
	}
}

// fill gives t the functions that were found in order, each with its parent.
func (p *parser) fill(t *Table, places *sourcemap.Text) {
	end := int32(len(p.src))
	for i := range p.funcs {
		if f := &p.funcs[i]; f.end < 0 {
			f.end = end
		}
	}
	list := slices.DeleteFunc(p.funcs, func(f found) bool { return f.end <= f.start })
	slices.SortStableFunc(list, func(a, b found) int {
		return cmp.Or(cmp.Compare(a.start, b.start), cmp.Compare(b.end, a.end))
	})
	errors := p.errors()
	out := make([]Func, len(list))
	t.classes, t.making = p.classes, make([]making, len(list))
	var open []int
	for i := range list {
		f := &list[i]
		for len(open) > 0 && list[open[len(open)-1]].end <= f.start {
			open = open[:len(open)-1]
		}
		out[i] = f.placed(places)
		out[i].Makes = f.class > 0 && errors[p.classes[f.class-1].name] || f.class > 0 &&
			isError(p.classes[f.class-1].base) || f.returns != "" && (isError(f.returns) || errors[f.returns])
		if t.making[i].returns = f.returns; f.class > 0 {
			t.making[i].class = p.classes[f.class-1]
		}
		out[i].Parent = -1
		if len(open) > 0 {
			out[i].Parent = open[len(open)-1]
		}
		open = append(open, i)
	}
	t.funcs = out
}

// errors are the classes of the code that extend an error, also through others.
func (p *parser) errors() map[string]bool {
	out := map[string]bool{}
	for more := true; more; {
		more = false
		for _, c := range p.classes {
			if c.name != "" && !out[c.name] && (isError(c.base) || out[c.base]) {
				out[c.name], more = true, true
			}
		}
	}
	return out
}

// isError says whether a class is one of errors by its name.
func isError(name string) bool {
	return strings.HasSuffix(name, "Error") || strings.HasSuffix(name, "Exception") || name == "DOMException"
}

// placed is a function with its places as lines and columns.
func (f *found) placed(places *sourcemap.Text) Func {
	out := Func{
		Start: places.At(int(f.start)), End: places.At(int(f.end)), Body: places.At(int(f.body)), Kind: f.binding.kind,
		Name: f.name, Property: f.property, Member: f.binding.member,
		Class: f.owner, Assigned: f.assigned, Default: f.isDefault, Via: f.callee, ViaText: f.via.text,
		ViaMember: f.via.member,
	}
	if f.name != "" {
		out.NamePos = places.At(int(f.binding.at))
	}
	if f.owner != "" {
		out.ClassPos = places.At(int(f.ownerAt))
	}
	if f.inClass {
		out.ClassHead = places.At(int(f.classHead))
	}
	if f.callee != "" {
		out.ViaPos = places.At(int(f.calleeAt))
	}
	return out
}
