// Package columns stores event attributes by column, so that a search reads only the columns that it
// names. A Segment is the columns of some events of one project and one day of retention.
//
// Reading order: Build makes a segment of rows, Select and Counts read one, Merge
// makes one of several and puts in what changed since, Encode and Decode write and
// read parts. Pure.
//
// What may change after an event was processed, its issue and all that traces say,
// stands in no column: the variant leads there.
package columns

import (
	"cmp"
	"slices"
	"strconv"
)

// MaxRows is how many rows a segment may have: codes take 16 bits, and 0 means
// "absent".
const MaxRows = 1<<16 - 1

// Columns with a meaning of their own. Those of attributes have greater numbers.
const (
	Release     uint32 = 1 // a number: the release's id
	Environment uint32 = 2 // a number: the environment's id
	Severity    uint32 = 3 // a text
	Handled     uint32 = 4 // the text true or false
	FirstOwn    uint32 = 1000
)

// Value is a value of an attribute: a text, or a number.
type Value struct {
	Text     string
	Number   float64
	IsNumber bool
}

// TextValue is the value of a text.
func TextValue(text string) Value { return Value{Text: text} }

// NumberValue is the value of a number.
func NumberValue(n float64) Value { return Value{Number: n, IsNumber: true} }

// Compare orders values: numbers before texts, each by its own order.
func (v Value) Compare(o Value) int {
	if v.IsNumber != o.IsNumber {
		if v.IsNumber {
			return -1
		}
		return 1
	}
	return cmp.Or(cmp.Compare(v.Number, o.Number), cmp.Compare(v.Text, o.Text))
}

// Cell is the value of one attribute of an event.
type Cell struct {
	Column uint32
	Value  Value
}

// Row is one event.
type Row struct {
	Position int64 // the order of processing, unique within a project
	Time     int64 // microseconds since 1970, UTC
	Variant  uint32
	User     uint32 // a number of the project's; 0: not known
	Weight   uint32 // how many events it represents, at least 1
	Unknown  bool   // its attributes are not known, since its body was not kept
	Cells    []Cell // each column once
}

// Segment is the columns of some events, in the order of their positions.
type Segment struct {
	Core
	Columns map[uint32]*Column
}

// Core is what every event of a segment has. All slices are as long, but for
// Weights, which is nil where each is 1, and Unknown, which is nil where all
// attributes are known.
type Core struct {
	Positions []int64
	Times     []int64
	Variants  []uint32
	Users     []uint32
	Weights   []uint32
	Unknown   Bits
}

// Rows is how many events there are.
func (c *Core) Rows() int { return len(c.Positions) }

// Weight is how many events a row counts as.
func (c *Core) Weight(row int) int64 {
	if c.Weights == nil {
		return 1
	}
	return int64(c.Weights[row])
}

// Column is one attribute: the values that occur, and for each row which it has.
// Code 0 says that the row has none, code n that it has Values.At(n-1).
type Column struct {
	Values Dict
	narrow []uint8 // one of both: narrow where 255 values are enough
	wide   []uint16
}

// Code is the code of a row.
func (c *Column) Code(row int) int {
	if c.narrow != nil {
		return int(c.narrow[row])
	}
	return int(c.wide[row])
}

// Rows is how many rows the column has.
func (c *Column) Rows() int { return max(len(c.narrow), len(c.wide)) }

// Bytes is about how much memory a column takes.
func (c *Column) Bytes() int {
	return len(c.narrow) + 2*len(c.wide) + c.Values.Bytes()
}

// Bytes is about how much memory the core takes.
func (c *Core) Bytes() int {
	return 16*len(c.Positions) + 8*len(c.Variants) + 4*len(c.Weights) + 8*len(c.Unknown)
}

// newColumn makes a column of codes.
func newColumn(values []Value, codes []uint16) *Column {
	c := &Column{Values: DictOf(values)}
	if len(values) > 255 {
		c.wide = codes
		return c
	}
	c.narrow = make([]uint8, len(codes))
	for i, x := range codes {
		c.narrow[i] = uint8(x)
	}
	return c
}

// Build makes a segment of rows. It sorts them by position.
func Build(rows []Row) *Segment {
	slices.SortFunc(rows, func(a, b Row) int { return cmp.Compare(a.Position, b.Position) })
	s := &Segment{Columns: map[uint32]*Column{}}
	type open struct {
		codes  []uint16
		values []Value
		known  map[Value]uint16
	}
	columns := map[uint32]*open{}
	weighted := slices.ContainsFunc(rows, func(r Row) bool { return r.Weight > 1 })
	for i, r := range rows {
		s.Positions, s.Times = append(s.Positions, r.Position), append(s.Times, r.Time)
		s.Variants, s.Users = append(s.Variants, r.Variant), append(s.Users, r.User)
		if weighted {
			s.Weights = append(s.Weights, max(r.Weight, 1))
		}
		if r.Unknown {
			if s.Unknown == nil {
				s.Unknown = NewBits(len(rows))
			}
			s.Unknown.Set(i)
		}
		for _, cell := range r.Cells {
			c := columns[cell.Column]
			if c == nil {
				c = &open{codes: make([]uint16, len(rows)), known: map[Value]uint16{}}
				columns[cell.Column] = c
			}
			code, ok := c.known[cell.Value]
			if !ok {
				c.values = append(c.values, cell.Value)
				code = uint16(len(c.values))
				c.known[cell.Value] = code
			}
			c.codes[i] = code
		}
	}
	for id, c := range columns {
		s.Columns[id] = newColumn(c.values, c.codes)
	}
	return s
}

// Row gives a row back as it was put in, its cells by column.
func (s *Segment) Row(i int) Row {
	r := Row{Position: s.Positions[i], Time: s.Times[i], Variant: s.Variants[i], User: s.Users[i],
		Weight: uint32(s.Weight(i)), Unknown: s.Unknown != nil && s.Unknown.Has(i)}
	for id, c := range s.Columns {
		if code := c.Code(i); code > 0 {
			r.Cells = append(r.Cells, Cell{id, c.Values.At(code - 1)})
		}
	}
	slices.SortFunc(r.Cells, func(a, b Cell) int { return cmp.Compare(a.Column, b.Column) })
	return r
}

// String writes a value as people do.
func (v Value) String() string {
	if !v.IsNumber {
		return v.Text
	}
	return strconv.FormatFloat(v.Number, 'f', -1, 64)
}

// Facts are what has a column of its own of every event.
type Facts struct {
	Release, Environment int64 // ids; 0: none
	Severity             string
	Handled              *bool // nil: not known
}

// Cells are the columns of facts.
func (f Facts) Cells() []Cell {
	out := make([]Cell, 0, 64) // attributes follow
	if f.Release != 0 {
		out = append(out, Cell{Release, NumberValue(float64(f.Release))})
	}
	if f.Environment != 0 {
		out = append(out, Cell{Environment, NumberValue(float64(f.Environment))})
	}
	if f.Severity != "" {
		out = append(out, Cell{Severity, TextValue(f.Severity)})
	}
	if f.Handled != nil {
		out = append(out, Cell{Handled, TextValue(strconv.FormatBool(*f.Handled))})
	}
	return out
}
