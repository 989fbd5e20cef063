package columns

import (
	"encoding/binary"
	"math"
	"strings"

	"github.com/FastFilter/xorfilter"
)

// Fold is a value as searches compare it: its text, or how its number is written,
// without regard to case.
func (v Value) Fold() string { return strings.ToLower(v.String()) }

// reader takes a part apart. After the first thing that is wrong it reads nothing.
type reader struct {
	b   []byte
	bad bool
}

// err says whether the part read as it was written, to its end.
func (r *reader) err() error {
	if r.bad || len(r.b) > 0 {
		return ErrDamaged
	}
	return nil
}

// count reads a number of at most so much.
func (r *reader) count(most int) int {
	n, size := binary.Uvarint(r.b)
	if size <= 0 || n > uint64(most) {
		r.bad, r.b = true, nil
		return 0
	}
	r.b = r.b[size:]
	return int(n)
}

func (r *reader) number() int64 {
	n, size := binary.Varint(r.b)
	if size <= 0 {
		r.bad, r.b = true, nil
		return 0
	}
	r.b = r.b[size:]
	return n
}

func (r *reader) bytes(n int) []byte {
	if n > len(r.b) {
		r.bad, r.b = true, nil
		return make([]byte, n)
	}
	out := r.b[:n]
	r.b = r.b[n:]
	return out
}

func (r *reader) value() Value {
	if r.bytes(1)[0] == 1 {
		return NumberValue(math.Float64frombits(binary.LittleEndian.Uint64(r.bytes(8))))
	}
	return TextValue(string(r.bytes(r.count(len(r.b)))))
}

func (r *reader) filter() *xorfilter.BinaryFuse8 {
	n := r.count(len(r.b))
	if n == 0 || r.bad {
		return nil
	}
	f := &xorfilter.BinaryFuse8{Seed: binary.LittleEndian.Uint64(r.bytes(8))}
	for _, to := range []*uint32{&f.SegmentLength, &f.SegmentLengthMask, &f.SegmentCount, &f.SegmentCountLength} {
		*to = uint32(r.count(math.MaxUint32))
	}
	f.Fingerprints = r.bytes(n)
	return f
}

func (r *reader) core(c *Core) {
	n := r.count(MaxRows)
	c.Positions, c.Times = make([]int64, n), make([]int64, n)
	c.Variants, c.Users = make([]uint32, n), make([]uint32, n)
	var last int64
	for i := range n {
		last += int64(r.count(math.MaxInt))
		c.Positions[i] = last
	}
	last = 0
	for i := range n {
		last += r.number()
		c.Times[i] = last
	}
	for i := range n {
		c.Variants[i] = uint32(r.count(math.MaxUint32))
	}
	for i := range n {
		c.Users[i] = uint32(r.count(math.MaxUint32))
	}
	if w := r.count(MaxRows); w > 0 {
		c.Weights = make([]uint32, w)
		for i := range w {
			c.Weights[i] = uint32(r.count(math.MaxUint32))
		}
		r.bad = r.bad || w != n
	}
	if w := r.count(MaxRows); w > 0 {
		c.Unknown = NewBits(n)
		if r.bad = r.bad || w != len(c.Unknown); r.bad {
			return
		}
		for i := range c.Unknown {
			c.Unknown[i] = binary.LittleEndian.Uint64(r.bytes(8))
		}
	}
}

// column reads the codes of so many rows; values are those that stand elsewhere, nil
// where they stand here.
func (r *reader) column(rows int, values []Value) *Column {
	n := r.count(MaxRows)
	c := &Column{}
	if values == nil {
		values = make([]Value, 0, min(n, len(r.b)))
		for range n {
			if values = append(values, r.value()); r.bad {
				return c
			}
		}
	}
	if r.bad = r.bad || n != len(values); r.bad {
		return c
	}
	c.Values = DictOf(values)
	if n <= 255 {
		c.narrow = append(make([]uint8, 0, rows), r.bytes(rows)...)
		for _, code := range c.narrow {
			r.bad = r.bad || int(code) > n
		}
		return c
	}
	low, high := r.bytes(rows), r.bytes(rows)
	c.wide = make([]uint16, rows)
	for i := range c.wide {
		c.wide[i] = uint16(low[i]) | uint16(high[i])<<8
		r.bad = r.bad || int(c.wide[i]) > n
	}
	return c
}
