package columns

import (
	"math/bits"
	"slices"
)

// Select gives the rows whose value passes a test. Those without a value do not.
func (c *Column) Select(test func(Value) bool) Bits {
	out := NewBits(c.Rows())
	pass := make([]uint64, c.Values.Len()+1)
	some := false
	for i, v := range c.Values.All() {
		if test(v) {
			pass[i+1], some = 1, true
		}
	}
	switch {
	case !some:
	case c.narrow != nil:
		selectCodes(out, c.narrow, pass)
	default:
		selectCodes(out, c.wide, pass)
	}
	return out
}

func selectCodes[C uint8 | uint16](out Bits, codes []C, pass []uint64) {
	for len(codes) >= 64 {
		var w uint64
		for i, code := range codes[:64] {
			w |= pass[code] << i
		}
		out[0] = w
		out, codes = out[1:], codes[64:]
	}
	for i, code := range codes {
		out[0] |= pass[code] << i
	}
}

// Present gives the rows that have a value.
func (c *Column) Present() Bits { return c.Select(func(Value) bool { return true }) }

// Counts adds up, by code, how many events the selected rows represent.
func (c *Column) Counts(core *Core, selected Bits) []int64 {
	out := make([]int64, c.Values.Len()+1)
	if c.narrow != nil {
		countCodes(out, c.narrow, core, selected)
	} else {
		countCodes(out, c.wide, core, selected)
	}
	return out
}

func countCodes[C uint8 | uint16](out []int64, codes []C, core *Core, selected Bits) {
	if core.Weights != nil {
		selected.Each(func(row int) { out[codes[row]] += int64(core.Weights[row]) })
		return
	}
	for i, w := range selected {
		if w == ^uint64(0) { // all of them, as mostly
			for _, code := range codes[i<<6 : i<<6+64] {
				out[code]++
			}
			continue
		}
		for ; w != 0; w &= w - 1 {
			out[codes[i<<6+bits.TrailingZeros64(w)]]++
		}
	}
}

// Between gives the rows whose time lies from one moment on up to another one that
// does not belong to it.
func (c *Core) Between(from, to int64) Bits {
	out := NewBits(c.Rows())
	for i, t := range c.Times {
		if t >= from && t < to {
			out.Set(i)
		}
	}
	return out
}

// OfVariants gives the rows whose variant passes a test.
func (c *Core) OfVariants(test func(uint32) bool) Bits {
	out := NewBits(c.Rows())
	for i, v := range c.Variants {
		if test(v) {
			out.Set(i)
		}
	}
	return out
}

// OfUsers gives the rows of some users.
func (c *Core) OfUsers(users map[uint32]bool) Bits {
	out := NewBits(c.Rows())
	if len(users) <= 4 { // one person, mostly: to compare is quicker than to look up
		for user := range users {
			for i, u := range c.Users {
				if u == user && u != 0 {
					out.Set(i)
				}
			}
		}
		return out
	}
	for i, u := range c.Users {
		if u != 0 && users[u] {
			out.Set(i)
		}
	}
	return out
}

// At gives the rows of some positions.
func (c *Core) At(positions map[int64]bool) Bits {
	out := NewBits(c.Rows())
	for p := range positions {
		if row, ok := slices.BinarySearch(c.Positions, p); ok {
			out.Set(row)
		}
	}
	return out
}
