package find

import (
	"firethorn/internal/core/columns"
)

// test is a part of a search as a question to the rows of a segment.
type test interface {
	// rows gives the rows that pass. The answer belongs to the caller.
	rows(v *view) columns.Bits
	// may says, by heads alone, whether a row may pass; false is certain.
	may(v *view) bool
	// needs lists the columns that are read.
	needs() []uint32
}

type allOf []test

func (t allOf) rows(v *view) columns.Bits {
	out := columns.AllBits(v.Events)
	for _, x := range t {
		out.And(x.rows(v))
	}
	return out
}

func (t allOf) may(v *view) bool {
	for _, x := range t {
		if !x.may(v) {
			return false
		}
	}
	return true
}

func (t allOf) needs() []uint32 { return needs(t) }

type anyOf []test

func (t anyOf) rows(v *view) columns.Bits {
	out := columns.NewBits(v.Events)
	for _, x := range t {
		out.Or(x.rows(v))
	}
	return out
}

func (t anyOf) may(v *view) bool {
	for _, x := range t {
		if x.may(v) {
			return true
		}
	}
	return false
}

func (t anyOf) needs() []uint32 { return needs(t) }

func needs(list []test) (out []uint32) {
	for _, x := range list {
		out = append(out, x.needs()...)
	}
	return out
}

// valueTest asks for the value of a column.
type valueTest struct {
	column  uint32 // 0: no event has the attribute
	holds   func(columns.Value) bool
	exact   []columns.Value // what it must be spelled as, in lower case; nil: not that simple
	negated bool
}

func (t valueTest) rows(v *view) columns.Bits {
	found := columns.NewBits(v.Events)
	if c := v.cols[t.column]; c != nil {
		found = c.Select(t.holds)
	}
	if !t.negated {
		return found
	}
	out := columns.AllBits(v.Events)
	out.Minus(found)
	if t.column == 0 || t.column >= columns.FirstOwn { // of whom nothing is known, nothing holds
		if v.core.Unknown != nil {
			out.Minus(v.core.Unknown)
		}
	}
	return out
}

func (t valueTest) may(v *view) bool {
	if t.negated || v.changes != nil {
		return true
	}
	if t.column == 0 {
		return false
	}
	h, ok := v.heads[t.column]
	if !ok {
		return true // a small one
	}
	if h == nil {
		return false
	}
	for _, x := range h.Values {
		if t.holds(x) {
			return true
		}
	}
	if h.Values != nil {
		return false
	}
	for _, x := range t.exact {
		if h.May(x) {
			return true
		}
	}
	return t.exact == nil
}

func (t valueTest) needs() []uint32 {
	if t.column == 0 {
		return nil
	}
	return []uint32{t.column}
}

// variantTest asks for what is known of an event's variant.
type variantTest struct{ pass func(uint32) bool }

func (t variantTest) rows(v *view) columns.Bits { return v.core.OfVariants(t.pass) }
func (t variantTest) may(*view) bool            { return true }
func (t variantTest) needs() []uint32           { return nil }

// userTest asks for users.
type userTest struct {
	users   map[uint32]bool
	any     bool // whoever it is
	negated bool
	inViews map[*view]bool // that may have them; nil: all
}

func (t userTest) rows(v *view) columns.Bits {
	var out columns.Bits
	if t.any {
		out = columns.NewBits(v.Events)
		for i, u := range v.core.Users {
			if u != 0 {
				out.Set(i)
			}
		}
	} else {
		out = v.core.OfUsers(t.users)
	}
	if !t.negated {
		return out
	}
	rest := columns.AllBits(v.Events)
	rest.Minus(out)
	return rest
}

func (t userTest) may(v *view) bool {
	return t.any || t.negated || t.inViews == nil || t.inViews[v]
}
func (t userTest) needs() []uint32 { return nil }

// positionTest asks for events that another index named.
type positionTest struct {
	positions map[int64]bool
	negated   bool
}

func (t positionTest) rows(v *view) columns.Bits {
	found := v.core.At(t.positions)
	if !t.negated {
		return found
	}
	out := columns.AllBits(v.Events)
	out.Minus(found)
	return out
}

func (t positionTest) may(v *view) bool {
	if t.negated {
		return true
	}
	for p := range t.positions {
		if p >= v.First && p <= v.Last {
			return true
		}
	}
	return false
}
func (t positionTest) needs() []uint32 { return nil }
