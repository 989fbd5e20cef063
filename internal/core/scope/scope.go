// Package scope finds the functions of JavaScript and TypeScript source: start, end, name, and the
// enclosing function. A stack frame names a position. Readers want the function around it, under its
// original name.
//
// Input is the text of a script or module, built or as it was written, with
// types and markup (JSX) where its Dialect has them, or of a component (Vue,
// Svelte, Astro) that holds such scripts; output is a Table of functions.
// Positions are 0-based lines and UTF-16 columns, as source maps have them.
// Damaged code gives the functions read before the break. It is read once, by
// recursive descent, and no syntax tree is built. Files:
//
//	lex.go, kinds.go       tokens
//	parse.go               the parser's state, looking ahead, what a function is bound to
//	statement.go, module.go, expression.go, literal.go, function.go, member.go
//	                       the grammar of ECMA-262
//	types.go, declare.go, markup.go
//	                       TypeScript and JSX
//	component.go           the scripts of Vue, Svelte and Astro
//	table.go               from offsets to positions
package scope

import (
	"sort"

	"firethorn/internal/core/sourcemap"
)

// Kind is what a function is to its class or object.
type Kind uint8

// The kinds of functions. Methods of objects are Plain: their name says all.
// What a field is set to, and a static block, are functions too (ECMA-262,
// ClassFieldDefinitionEvaluation): of the constructor, and of the class.
// Outside is no function but what of a component was not read: its markup.
const (
	Plain Kind = iota
	Getter
	Setter
	Constructor
	FieldInitializer
	StaticInitializer
	Outside
)

// Func is one function of the code.
type Func struct {
	Start, End sourcemap.Pos // from the head (its first modifier, "function", "(" or name) to the end of the body
	Body       sourcemap.Pos // where the body begins
	Parent     int           // index of the enclosing function, -1 at the top
	Kind       Kind
	Name       string        // as the code has it, "" when it has none; "[Symbol.iterator]" for such a member
	NamePos    sourcemap.Pos // where Name stands, when it has one
	Property   bool          // Name is a property or method name, which minifiers keep
	Member     bool          // it is written as a member of a class or object: "name() {}"
	Class      string        // the class it is a member of, as the code has it
	ClassPos   sourcemap.Pos // where Class stands
	ClassHead  sourcemap.Pos // where "class" stands, when it is a member of one
	// Class is only what the function was assigned to: it is a class when its name begins with a
	// capital.
	Assigned  bool
	Via       string        // the function it is an argument of: "get", as the code has it
	ViaPos    sourcemap.Pos // where that stands
	ViaMember bool          // it is called as a member, whose name minifiers keep
	ViaText   string        // the text that is the first argument there: "/tides"
	Default   bool          // the default export of a module, without a name
	OnBehalf  bool          // it fails on behalf of its callers (Table.MarkOnBehalf)
	Makes     bool          // it makes an error: a constructor of one, or a function that returns a new one
}

// Table holds the functions of one file, sorted by where they start.
type Table struct {
	funcs   []Func
	classes []extended // with what they extend
	making  []making   // of each function
	// forwards are the functions that each one hands its own parameter to.
	forwards [][]string
	// Clean says that the code was read to its end without a fault: that all its
	// functions are there. Of a component the scripts with a fault are Outside.
	Clean bool
	// Problem is where the code is no program, as far as that could be told; nil: it is.
	Problem *sourcemap.Pos
}

// Find returns the innermost function around p and its index; ok is false at
// the top level.
func (t *Table) Find(p sourcemap.Pos) (i int, ok bool) {
	i = sort.Search(len(t.funcs), func(i int) bool { return after(t.funcs[i].Start, p) }) - 1
	for i >= 0 && !after(t.funcs[i].End, p) {
		i = t.funcs[i].Parent
	}
	return i, i >= 0
}

// At is function i.
func (t *Table) At(i int) Func { return t.funcs[i] }

// Len is the number of functions.
func (t *Table) Len() int { return len(t.funcs) }

func after(a, b sourcemap.Pos) bool { return a.Line > b.Line || a.Line == b.Line && a.Col > b.Col }
