package columns

import (
	"cmp"
	"slices"
)

// Patch is what became of an event after it was processed.
type Patch struct {
	Gone    bool    // it was deleted
	Blank   bool    // its attributes were erased
	Variant *uint32 // where a split moved it; nil: it stayed
	User    *uint32 // who was found to be hit; nil: as before
	Cells   []Cell  // all its attributes, as a later report made them, and its severity; nil: as before
}

// Apply changes a row; ok is false where it is gone. What was erased stays so.
func (p Patch) Apply(r *Row) (ok bool) {
	if p.Gone {
		return false
	}
	if p.Variant != nil {
		r.Variant = *p.Variant
	}
	if p.User != nil {
		r.User = *p.User
	}
	keep := slices.DeleteFunc(
		slices.Clone(r.Cells),
		func(c Cell) bool { return c.Column >= FirstOwn || p.cell(c.Column) != nil },
	)
	if p.Blank {
		r.Cells, r.Unknown = keep, true
	} else if p.Cells != nil {
		r.Cells, r.Unknown = append(keep, p.Cells...), false
	}
	return true
}

// cell is the value that a later report gave a column; nil for none.
func (p Patch) cell(column uint32) *Value {
	i := slices.IndexFunc(p.Cells, func(c Cell) bool { return c.Column == column })
	if i < 0 {
		return nil
	}
	return &p.Cells[i].Value
}

// Merge makes one segment of several, with their patches by position. Columns named
// in drop are left out. The segments stay as they are.
func Merge(list []*Segment, patches map[int64]Patch, drop map[uint32]bool) *Segment {
	at, patched := order(list, patches)
	out := &Segment{Columns: map[uint32]*Column{}}
	weighted := slices.ContainsFunc(list, func(s *Segment) bool { return s.Weights != nil })
	for i, x := range at {
		s := list[x.segment]
		out.Positions = append(out.Positions, s.Positions[x.row])
		out.Times = append(out.Times, s.Times[x.row])
		variant, user, unknown := s.Variants[x.row], s.Users[x.row], s.Unknown != nil && s.Unknown.Has(x.row)
		if r := patched[x]; r != nil {
			variant, user, unknown = r.Variant, r.User, r.Unknown
		}
		out.Variants, out.Users = append(out.Variants, variant), append(out.Users, user)
		if weighted {
			out.Weights = append(out.Weights, uint32(s.Weight(x.row)))
		}
		if unknown {
			if out.Unknown == nil {
				out.Unknown = NewBits(len(at))
			}
			out.Unknown.Set(i)
		}
	}
	ids := map[uint32]bool{}
	for _, s := range list {
		for id := range s.Columns {
			ids[id] = true
		}
	}
	for _, r := range patched {
		for _, c := range r.Cells {
			ids[c.Column] = true
		}
	}
	for id := range ids {
		if drop[id] {
			continue
		}
		if c := mergeColumn(id, list, at, patched); c.Values.Len() > 0 {
			out.Columns[id] = c
		}
	}
	return out
}

// spot is a row of a segment of a list.
type spot struct{ segment, row int }

// order lists the rows that stay, by position, and those that a patch changes.
func order(list []*Segment, patches map[int64]Patch) ([]spot, map[spot]*Row) {
	var at []spot
	patched := map[spot]*Row{}
	for i, s := range list {
		for row, position := range s.Positions {
			if p, ok := patches[position]; ok {
				r := s.Row(row)
				if !p.Apply(&r) {
					continue
				}
				patched[spot{i, row}] = &r
			}
			at = append(at, spot{i, row})
		}
	}
	slices.SortStableFunc(at, func(a, b spot) int {
		return cmp.Compare(list[a.segment].Positions[a.row], list[b.segment].Positions[b.row])
	})
	return at, patched
}

// mergeColumn puts the values of one attribute together; only those that a row has
// are there.
func mergeColumn(id uint32, list []*Segment, at []spot, patched map[spot]*Row) *Column {
	var values []Value
	known := map[Value]uint16{}
	code := func(v Value) uint16 {
		n, ok := known[v]
		if !ok {
			values = append(values, v)
			n = uint16(len(values))
			known[v] = n
		}
		return n
	}
	to := make([][]uint16, len(list)) // of each segment: its codes → those of the whole; 0: not met yet
	for i, s := range list {
		if c := s.Columns[id]; c != nil {
			to[i] = make([]uint16, c.Values.Len()+1)
		}
	}
	codes := make([]uint16, len(at))
	for i, x := range at {
		if r := patched[x]; r != nil {
			if v := (Patch{Cells: r.Cells}).cell(id); v != nil {
				codes[i] = code(*v)
			}
			continue
		}
		c := list[x.segment].Columns[id]
		if c == nil {
			continue
		}
		old := c.Code(x.row)
		if old == 0 {
			continue
		}
		if to[x.segment][old] == 0 {
			to[x.segment][old] = code(c.Values.At(int(old) - 1))
		}
		codes[i] = to[x.segment][old]
	}
	return newColumn(values, codes)
}

// Patched gives the core with its patches, and the rows that are gone.
func (c *Core) Patched(patches map[int64]Patch) (*Core, Bits) {
	out, gone := *c, NewBits(c.Rows())
	out.Variants, out.Users = slices.Clone(c.Variants), slices.Clone(c.Users)
	out.Unknown = slices.Clone(c.Unknown)
	for position, p := range patches {
		row, ok := slices.BinarySearch(c.Positions, position)
		if !ok {
			continue
		}
		r := Row{Variant: out.Variants[row], User: out.Users[row], Unknown: out.Unknown != nil && out.Unknown.Has(row)}
		if !p.Apply(&r) {
			gone.Set(row)
			continue
		}
		out.Variants[row], out.Users[row] = r.Variant, r.User
		if r.Unknown && out.Unknown == nil {
			out.Unknown = NewBits(c.Rows())
		}
		if r.Unknown {
			out.Unknown.Set(row)
		} else if out.Unknown != nil {
			out.Unknown.Clear(row)
		}
	}
	return &out, gone
}

// Patched gives a column of a core with the patches of its rows; nil is a
// column that no row has, also in the answer.
func (c *Column) Patched(id uint32, core *Core, patches map[int64]Patch) *Column {
	var values []Value
	codes := make([]uint16, core.Rows())
	if c != nil {
		values = c.Values.list()
		for i := range codes {
			codes[i] = uint16(c.Code(i))
		}
	}
	for position, p := range patches {
		row, ok := slices.BinarySearch(core.Positions, position)
		now := p.cell(id)
		if !ok || !p.Blank && p.Cells == nil || id < FirstOwn && now == nil {
			continue
		}
		codes[row] = 0
		if now == nil {
			continue
		}
		v := slices.Index(values, *now)
		if v < 0 {
			v = len(values)
			values = append(values, *now)
		}
		codes[row] = uint16(v + 1)
	}
	if len(values) == 0 {
		return nil
	}
	return newColumn(values, codes)
}
