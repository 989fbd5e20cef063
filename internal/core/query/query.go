// Package query parses searches: terms over words, fields and attributes, with alternatives in
// brackets. A search becomes a tree, which prints back to an equal search. Check resolves the names;
// the kind of a field decides what its values mean.
//
//	berth "no tide table"          words and phrases
//	os.name:iOS  plan:gold,silver  an attribute has one of some values
//	url.path:/berths/*  owner:*    wildcards; the attribute is there
//	-os.name:iOS                   a term does not hold
//	users:>10  events:10..20       comparisons
//	(a OR b) -c                    alternatives
package query

// Bounds of a search.
const (
	MaxLength = 2000 // characters
	MaxTerms  = 64
	MaxDepth  = 8 // brackets within brackets
)

// Node is a part of a search: And, Or, Not, Word, Term or Range. A search that asks
// for everything is an And of nothing.
type Node interface{ isNode() }

// And holds where all its parts hold.
type And struct{ All []Node }

// Or holds where one of its parts holds. It has at least two.
type Or struct{ Any []Node }

// Not holds where its part does not.
type Not struct{ Of Node }

// Word is a word of a text, from its beginning, or a phrase. Case does not count.
type Word struct {
	Text   string
	Phrase bool
	Column int // where it begins in the search, in characters from 1
}

// Term holds where a field or an attribute has one of some values.
type Term struct {
	Name   string
	Values []Value // at least one
	Column int
}

// Range holds where the value of a field or an attribute lies between two bounds, of
// which one may be open.
type Range struct {
	Name     string
	From, To Bound
	Column   int
}

// Value is what a field is compared with: literal parts with wildcards between them.
// A value without a wildcard has one part; a lone wildcard has two empty ones: the
// field is there, whatever it is.
type Value struct{ Parts []string }

// Exactly is a value without a wildcard.
func Exactly(text string) Value { return Value{[]string{text}} }

// Present says whether a value matches any value.
func (v Value) Present() bool { return len(v.Parts) == 2 && v.Parts[0] == "" && v.Parts[1] == "" }

// Text is a value without a wildcard; ok is false for one with.
func (v Value) Text() (text string, ok bool) {
	if len(v.Parts) != 1 {
		return "", false
	}
	return v.Parts[0], true
}

// Bound is an end of a range.
type Bound struct {
	Text      string // "": open
	Inclusive bool
}

func (And) isNode()   {}
func (Or) isNode()    {}
func (Not) isNode()   {}
func (Word) isNode()  {}
func (Term) isNode()  {}
func (Range) isNode() {}

// Error says what is wrong with a search, and where.
type Error struct {
	Column  int    // in characters from 1
	Message string // what was expected
	Nearest string // of an unknown name: the known one it is likest to; "" for none
}

func (e *Error) Error() string { return e.Message }

// Walk calls visit for a part and all parts below it, until visit says false.
func Walk(n Node, visit func(Node) bool) bool {
	if !visit(n) {
		return false
	}
	var below []Node
	switch n := n.(type) {
	case And:
		below = n.All
	case Or:
		below = n.Any
	case Not:
		below = []Node{n.Of}
	}
	for _, x := range below {
		if !Walk(x, visit) {
			return false
		}
	}
	return true
}
