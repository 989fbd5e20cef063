package sourcemap

import (
	"bytes"
	"math"
	"slices"
)

const alphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"

// digits maps a base64 character to its value, 0xff for anything else.
var digits = func() (t [256]byte) {
	for i := range t {
		t[i] = 0xff
	}
	for i, c := range []byte(alphabet) {
		t[c] = byte(i)
	}
	return
}()

// short maps a character that is a whole number to it, others to long: those
// that another digit follows, that are no digits, and "B", the smallest number.
var short = func() (t [256]int8) {
	for c, d := range digits {
		switch {
		case d >= 32 || d == 1:
			t[c] = long
		case d&1 == 1:
			t[c] = -int8(d >> 1)
		default:
			t[c] = int8(d >> 1)
		}
	}
	return
}()

const long = int8(-128)

// two reads a number of two digits; ok is false when it is none.
func two(s []byte, i int) (v int64, ok bool) {
	if i+1 >= len(s) {
		return 0, false
	}
	a, b := digits[s[i]], digits[s[i+1]]
	u := int64(a&31) | int64(b)<<5
	sign := -(u & 1)
	return (u>>1 ^ sign) - sign, a < 64 && a >= 32 && b < 32 && u > 1
}

// vlq reads one base64 VLQ (https://tc39.es/ecma426/#sec-base64-vlq), which
// must fit in 32 bits with its sign.
func vlq(s []byte, i int) (v int64, next int, why string) {
	var u uint64
	for shift := 0; ; shift += 5 {
		if i >= len(s) {
			return 0, i, "the text ends inside a number"
		}
		d := digits[s[i]]
		switch {
		case d == 0xff:
			return 0, i, "this is no base64 character"
		case shift > 30 && d&31 != 0:
			return 0, i, "a number does not fit in 32 bits"
		case shift <= 30:
			u |= uint64(d&31) << shift
		}
		i++
		if d&32 == 0 {
			break
		}
	}
	v = int64(u >> 1)
	if u&1 == 1 {
		if v == 0 {
			v = 1 << 31 // "-0" represents the smallest number
		}
		v = -v
	}
	if v > math.MaxInt32 || v < math.MinInt32 {
		return 0, i - 1, "a number does not fit in 32 bits"
	}
	return v, i, ""
}

// appendVLQ writes v, which is between the differences of two positions.
func appendVLQ(to []byte, v int64) []byte {
	u := uint64(v) << 1
	switch {
	case v == math.MinInt32:
		u = 1
	case v < 0:
		u = uint64(-v)<<1 | 1
	}
	for u >= 32 {
		to = append(to, alphabet[u&31|32])
		u >>= 5
	}
	return append(to, alphabet[u])
}

// group is the mappings of a map, or of one section of an index map, and how
// its numbers become those of the whole.
type group struct {
	text      []byte
	at, until Pos   // where it begins, and where the next one does
	section   int   // of the outermost index map, -1: a plain map
	source    int32 // added to the index of sources,
	name      int32 // and of names
	sources   int32 // how many there are
	names     int32
}

// emptyLines is how many lines without a segment are kept as separators, and
// maxDigits how many digits a number of 32 bits has.
const (
	emptyLines = 1000
	maxDigits  = 7
)

// end is beyond every position.
var end = Pos{math.MaxInt32, math.MaxInt32}

// adopt takes a whole map's text as it is when every segment of it is valid
// and in order, which nearly all are: it only finds where to put the marks.
// ok is false when something is out of order or dropped, or when the text is
// stretched by thousands of empty lines or padded numbers: then decode is due.
// The sums are checked before they can leave 32 bits.
func adopt(g group) (p Positions, count int, ok bool, err error) {
	s := g.text
	p = Positions{Text: s, Marks: make([]Mark, 0, len(s)/stretch+1)}
	var line, col, source, origLine, origCol, name int64
	next, empty := 0, 0
	for i := 0; i < len(s); {
		if s[i] == ';' {
			line++
			col = 0
			i++
			if empty++; empty > emptyLines {
				return p, 0, false, nil
			}
			continue
		}
		start := i
		empty = 0
		mark := Mark{Off: uint32(start), Source: int32(source), Orig: Pos{int32(origLine), int32(origCol)},
			Name: int32(name)}
		n := 0
		var field [5]int64
		for {
			v := int64(short[s[i]])
			if v != int64(long) {
				i++
			} else if v, ok = two(s, i); ok {
				i += 2
			} else {
				var why string
				begin := i
				if v, i, why = vlq(s, i); why != "" {
					return p, 0, false, problem(g, i, why)
				}
				if i-begin > maxDigits {
					return p, 0, false, nil
				}
			}
			if n == 5 {
				return p, 0, false, problem(g, i-1, "a segment has more than 5 fields")
			}
			field[n] = v
			n++
			if i == len(s) || s[i] == ',' || s[i] == ';' {
				break
			}
		}
		if n == 2 || n == 3 {
			return p, 0, false, problem(g, start, "a segment has 1, 4 or 5 fields, not 2 or 3")
		}
		col, source, origLine, origCol, name = col+field[0], source+field[1], origLine+field[2], origCol+field[3], name+
			field[4]
		if field[0] < 0 || col > math.MaxInt32 || n >= 4 &&
			(uint64(source) >= uint64(g.sources) || uint64(origLine) > math.MaxInt32 ||
				uint64(origCol) > math.MaxInt32) ||
			n == 5 && uint64(name) >= uint64(g.names) {
			return p, 0, false, nil
		}
		count++
		if start >= next {
			mark.At = Pos{int32(line), int32(col)}
			p.Marks = append(p.Marks, mark)
			next = start + stretch
		}
		if i < len(s) && s[i] == ',' {
			i++
			if i == len(s) || s[i] == ',' || s[i] == ';' {
				return p, 0, false, problem(g, i-1, "a comma with no segment behind it")
			}
		}
	}
	return p, count, true, nil
}

func problem(g group, at int, why string) error {
	return &SyntaxError{Section: g.section, Off: at, Msg: why}
}

// decode reads a group (https://tc39.es/ecma426/#sec-DecodeMappings) and gives
// its segments, moved to where they are in the whole, in the order they come,
// each with the text behind it.
// A reference to something that is not there is dropped and counted, as the
// standard allows: a segment without a place is dropped, one without a source
// comes from nowhere, which keeps its neighbours right.
func decode(g group, yield func(s Segment, rest []byte)) (dropped int, err error) {
	s := g.text
	line, col := int64(g.at.Line), int64(g.at.Col)
	var sum [5]int64
	for i := 0; i < len(s); {
		if s[i] == ';' {
			line++
			col = 0
			i++
			continue
		}
		start, n := i, 0
		for i < len(s) && s[i] != ',' && s[i] != ';' {
			if n == 5 {
				return dropped, problem(g, i, "a segment has more than 5 fields")
			}
			v, next, why := vlq(s, i)
			if why != "" {
				return dropped, problem(g, next, why)
			}
			sum[n], i = sum[n]+v, next
			n++
		}
		col, sum[0] = col+sum[0], 0
		switch {
		case n == 0:
			return dropped, problem(g, start, "a comma with no segment before it")
		case n == 2 || n == 3:
			return dropped, problem(g, start, "a segment has 1, 4 or 5 fields, not 2 or 3")
		case i+1 < len(s) && s[i] == ',' && (s[i+1] == ',' || s[i+1] == ';'), i+1 == len(s) && s[i] == ',':
			return dropped, problem(g, i, "a comma with no segment behind it")
		}
		if i < len(s) && s[i] == ',' {
			i++
		}
		seg := Segment{Gen: Pos{int32(line), int32(col)}, Source: -1, Name: -1}
		if col < 0 || col > math.MaxInt32 || line > math.MaxInt32 || !seg.Gen.Before(g.until) {
			dropped++
			continue
		}
		known := sum[1] >= 0 && sum[1] < int64(g.sources) && sum[2] >= 0 && sum[2] <= math.MaxInt32 && sum[3] >= 0 &&
			sum[3] <= math.MaxInt32
		named := sum[4] >= 0 && sum[4] < int64(g.names)
		if n >= 4 && known {
			seg.Source, seg.Orig = g.source+int32(sum[1]), Pos{int32(sum[2]), int32(sum[3])}
			if n == 5 && named {
				seg.Name = g.name + int32(sum[4])
			}
		}
		if n >= 4 && !known || n == 5 && !named {
			dropped++
		}
		yield(seg, s[i:])
	}
	return dropped, nil
}

// positionsOf makes one table of all groups, which come in order.
func positionsOf(groups []group) (p Positions, count, dropped int, err error) {
	if len(groups) == 1 && groups[0].at == (Pos{}) {
		p, count, ok, err := adopt(groups[0])
		if ok || err != nil {
			return p, count, 0, err
		}
	}
	var w writer
	var line []Segment // of the newest line, to be put in order
	sorted := true
	flush := func() {
		if !sorted {
			slices.SortStableFunc(line, func(a, b Segment) int { return int(a.Gen.Col) - int(b.Gen.Col) })
		}
		for _, s := range line {
			w.add(s)
		}
		line, sorted = line[:0], true
	}
	for _, g := range groups {
		n, err := decode(g, func(s Segment, rest []byte) {
			count++
			if len(line) == cap(line) { // to what the line has, for it may be all there is
				if i := bytes.IndexByte(rest, ';'); i >= 0 {
					rest = rest[:i]
				}
				line = slices.Grow(line, 1+bytes.Count(rest, []byte{','}))
			}
			if k := len(line); k > 0 {
				if line[k-1].Gen.Line != s.Gen.Line {
					flush()
				} else if s.Gen.Col < line[k-1].Gen.Col {
					sorted = false
				}
			}
			line = append(line, s)
		})
		dropped += n
		if err != nil {
			return p, 0, 0, err
		}
	}
	flush()
	line = nil // may be most of what was taken
	w.p.Text = slices.Clip(w.p.Text)
	return w.p, count, dropped, nil
}
