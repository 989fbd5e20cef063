package columns

import (
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"hash/fnv"
	"maps"
	"math"
	"slices"

	"github.com/FastFilter/xorfilter"
	"github.com/klauspost/compress/zstd"
)

// Every part that is written begins with the version of its layout, a checksum
// (CRC-32C, four bytes, little endian) of what follows, and is compressed by zstd
// (RFC 8878). Numbers are varints as in encoding/binary.
const layout = 1

// ErrDamaged is what a part answers that does not read as it was written.
var ErrDamaged = errors.New("a part of the search index is damaged")

// FewValues is how many values a column may have to carry them, with their counts,
// in its head. One with more has a filter there.
const FewValues = 256

// Head says what a column holds without its codes.
type Head struct {
	Distinct int
	Values   []Value // nil where there are more than FewValues
	Rows     []int64 // of each value; nil likewise
	Weights  []int64 // how many events they represent
	filter   *xorfilter.BinaryFuse8
}

// May says whether the column may hold a value; false is certain. Case does not
// count.
func (h *Head) May(v Value) bool { return h.filter == nil || h.filter.Contains(filterKey(v)) }

// Bytes is about how much memory a head takes.
func (h *Head) Bytes() int {
	n := 100
	if h.filter != nil {
		n += len(h.filter.Fingerprints)
	}
	for _, v := range h.Values {
		n += 56 + len(v.Text)
	}
	return n
}

// filterKey is what filters know a value by: numbers and texts that spell alike are
// one.
func filterKey(v Value) uint64 {
	h := fnv.New64a()
	h.Write([]byte(v.Fold()))
	return h.Sum64()
}

// userKey is what the filter of users knows one by.
func userKey(user uint32) uint64 { return uint64(user) * 0x9E3779B97F4A7C15 }

// writer appends to a part.
type writer struct{ b []byte }

func (w *writer) count(n int)    { w.b = binary.AppendUvarint(w.b, uint64(n)) }
func (w *writer) number(n int64) { w.b = binary.AppendVarint(w.b, n) }
func (w *writer) value(v Value) {
	if v.IsNumber {
		w.b = append(w.b, 1)
		w.b = binary.LittleEndian.AppendUint64(w.b, math.Float64bits(v.Number))
		return
	}
	w.b = append(w.b, 0)
	w.count(len(v.Text))
	w.b = append(w.b, v.Text...)
}

func (w *writer) filter(f *xorfilter.BinaryFuse8) {
	if f == nil {
		w.count(0)
		return
	}
	w.count(len(f.Fingerprints))
	w.b = binary.LittleEndian.AppendUint64(w.b, f.Seed)
	for _, n := range []uint32{f.SegmentLength, f.SegmentLengthMask, f.SegmentCount, f.SegmentCountLength} {
		w.count(int(n))
	}
	w.b = append(w.b, f.Fingerprints...)
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Codec writes and reads parts. It is safe for concurrent use.
type Codec struct {
	enc, fast *zstd.Encoder
	dec       *zstd.Decoder
}

// NewCodec makes a codec.
func NewCodec() *Codec {
	enc, _ := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedDefault), zstd.WithEncoderConcurrency(2))
	fast, _ := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(2))
	dec, _ := zstd.NewReader(nil, zstd.WithDecoderConcurrency(4), zstd.WithDecoderMaxMemory(256<<20))
	return &Codec{enc, fast, dec} // the options are right, so nothing fails
}

func seal(e *zstd.Encoder, payload []byte) []byte {
	out := e.EncodeAll(payload, make([]byte, 5, 64+len(payload)/4))
	out[0] = layout
	binary.LittleEndian.PutUint32(out[1:], crc32.Checksum(out[5:], castagnoli))
	return out
}

func (c *Codec) open(part []byte) (*reader, error) {
	if len(part) < 5 || crc32.Checksum(part[5:], castagnoli) != binary.LittleEndian.Uint32(part[1:]) {
		return nil, ErrDamaged
	}
	if part[0] != layout {
		return nil, fmt.Errorf("%w: it has layout %d, and this program reads %d", ErrDamaged, part[0], layout)
	}
	payload, err := c.dec.DecodeAll(part[5:], nil)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	return &reader{b: payload}, nil
}

// Whole writes a small segment as one part.
func (c *Codec) Whole(s *Segment) []byte {
	w := &writer{}
	w.core(&s.Core)
	w.count(len(s.Columns))
	for _, id := range slices.Sorted(maps.Keys(s.Columns)) {
		w.count(int(id))
		w.column(s.Columns[id], true)
	}
	return seal(c.fast, w.b)
}

// ReadWhole reads what Whole wrote.
func (c *Codec) ReadWhole(part []byte) (*Segment, error) {
	r, err := c.open(part)
	if err != nil {
		return nil, err
	}
	s := &Segment{Columns: map[uint32]*Column{}}
	r.core(&s.Core)
	for range r.count(1 << 16) {
		id := r.count(math.MaxUint32)
		s.Columns[uint32(id)] = r.column(s.Rows(), nil)
	}
	return s, r.err()
}

// CoreParts writes the core of a large segment: a head that says which users are in
// it, and the rest.
func (c *Codec) CoreParts(core *Core) (head, body []byte) {
	w := &writer{}
	w.core(core)
	known := map[uint64]bool{}
	for _, u := range core.Users {
		if u != 0 {
			known[userKey(u)] = true
		}
	}
	h := &writer{}
	h.filter(filterOf(known))
	return seal(c.enc, h.b), seal(c.enc, w.b)
}

// ReadCore reads the core of a large segment.
func (c *Codec) ReadCore(body []byte) (*Core, error) {
	r, err := c.open(body)
	if err != nil {
		return nil, err
	}
	core := &Core{}
	r.core(core)
	return core, r.err()
}

// Users says which users are in a segment; false is certain.
type Users struct{ filter *xorfilter.BinaryFuse8 }

// May says whether a user may be in the segment.
func (u Users) May(user uint32) bool { return u.filter == nil || u.filter.Contains(userKey(user)) }

// ReadUsers reads the head of a core.
func (c *Codec) ReadUsers(head []byte) (Users, error) {
	r, err := c.open(head)
	if err != nil {
		return Users{}, err
	}
	f := r.filter()
	return Users{f}, r.err()
}

// ColumnParts writes a column of a large segment: what it holds, and its codes.
func (c *Codec) ColumnParts(core *Core, col *Column) (head, body []byte) {
	h, w := &writer{}, &writer{}
	h.count(col.Values.Len())
	few := col.Values.Len() <= FewValues
	if few {
		all := AllBits(col.Rows())
		weights := col.Counts(core, all)
		rows := col.Counts(&Core{Positions: core.Positions}, all)
		for i, v := range col.Values.All() {
			h.value(v)
			h.count(int(rows[i+1]))
			h.count(int(weights[i+1]))
		}
	} else {
		known := map[uint64]bool{}
		for _, v := range col.Values.All() {
			known[filterKey(v)] = true
		}
		h.filter(filterOf(known))
	}
	w.column(col, !few)
	return seal(c.enc, h.b), seal(c.enc, w.b)
}

// ReadHead reads the head of a column.
func (c *Codec) ReadHead(head []byte) (*Head, error) {
	r, err := c.open(head)
	if err != nil {
		return nil, err
	}
	h := &Head{Distinct: r.count(MaxRows)}
	if h.Distinct > FewValues {
		h.filter = r.filter()
		return h, r.err()
	}
	h.Values = make([]Value, 0, h.Distinct)
	for range h.Distinct {
		h.Values = append(h.Values, r.value())
		h.Rows = append(h.Rows, int64(r.count(MaxRows)))
		h.Weights = append(h.Weights, int64(r.count(math.MaxInt)))
	}
	return h, r.err()
}

// ReadColumn reads a column of so many rows, with its head.
func (c *Codec) ReadColumn(head *Head, body []byte, rows int) (*Column, error) {
	r, err := c.open(body)
	if err != nil {
		return nil, err
	}
	col := r.column(rows, head.Values)
	return col, r.err()
}

func filterOf(keys map[uint64]bool) *xorfilter.BinaryFuse8 {
	if len(keys) == 0 {
		return nil
	}
	f, err := xorfilter.PopulateBinaryFuse8(slices.Sorted(maps.Keys(keys)))
	if err != nil {
		return nil // without a filter the segment is read
	}
	return f
}

func (w *writer) core(c *Core) {
	w.count(c.Rows())
	var last int64
	for _, p := range c.Positions {
		w.count(int(p - last))
		last = p
	}
	last = 0
	for _, t := range c.Times {
		w.number(t - last)
		last = t
	}
	for _, v := range c.Variants {
		w.count(int(v))
	}
	for _, u := range c.Users {
		w.count(int(u))
	}
	w.count(len(c.Weights))
	for _, n := range c.Weights {
		w.count(int(n))
	}
	w.count(len(c.Unknown))
	for _, bits := range c.Unknown {
		w.b = binary.LittleEndian.AppendUint64(w.b, bits)
	}
}

// column writes the codes of a column, and its values where they stand nowhere else.
func (w *writer) column(c *Column, values bool) {
	w.count(c.Values.Len())
	if values {
		for _, v := range c.Values.All() {
			w.value(v)
		}
	}
	if c.narrow != nil {
		w.b = append(w.b, c.narrow...)
		return
	}
	for shift := 0; shift <= 8; shift += 8 { // low bytes first, then high ones: they compress better apart
		for _, code := range c.wide {
			w.b = append(w.b, byte(code>>shift))
		}
	}
}

// Bytes is about how much memory the set takes.
func (u Users) Bytes() int {
	if u.filter == nil {
		return 50
	}
	return 100 + len(u.filter.Fingerprints)
}
