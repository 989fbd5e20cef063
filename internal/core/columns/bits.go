package columns

import "math/bits"

// Bits is a set of rows, a bit for each.
type Bits []uint64

// NewBits makes an empty set for so many rows.
func NewBits(rows int) Bits { return make(Bits, (rows+63)/64) }

// AllBits is the set of all of so many rows.
func AllBits(rows int) Bits {
	b := NewBits(rows)
	for i := range b {
		b[i] = ^uint64(0)
	}
	if rest := rows % 64; rest > 0 {
		b[len(b)-1] = 1<<rest - 1
	}
	return b
}

// Set puts a row in.
func (b Bits) Set(row int) { b[row>>6] |= 1 << (row & 63) }

// Clear takes a row out.
func (b Bits) Clear(row int) { b[row>>6] &^= 1 << (row & 63) }

// Has says whether a row is in.
func (b Bits) Has(row int) bool { return b[row>>6]&(1<<(row&63)) != 0 }

// And keeps what is also in another set.
func (b Bits) And(o Bits) {
	for i := range b {
		b[i] &= o[i]
	}
}

// Or adds what is in another set.
func (b Bits) Or(o Bits) {
	for i := range b {
		b[i] |= o[i]
	}
}

// Minus takes out what is in another set.
func (b Bits) Minus(o Bits) {
	for i := range b {
		b[i] &^= o[i]
	}
}

// Count is how many rows are in.
func (b Bits) Count() int {
	n := 0
	for _, w := range b {
		n += bits.OnesCount64(w)
	}
	return n
}

// Each calls visit for every row that is in, in order.
func (b Bits) Each(visit func(row int)) {
	for i, w := range b {
		for w != 0 {
			visit(i<<6 + bits.TrailingZeros64(w))
			w &= w - 1
		}
	}
}
