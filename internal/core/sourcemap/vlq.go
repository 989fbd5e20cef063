package sourcemap

import (
	"math"
	"strings"
)

// digits maps a base64 character to its value, 0xff for anything else.
var digits = func() (t [256]byte) {
	for i := range t {
		t[i] = 0xff
	}
	for i, c := range []byte("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/") {
		t[c] = byte(i)
	}
	return
}()

// decode reads a "mappings" text (https://tc39.es/ecma426/#sec-DecodeMappings)
// and appends its segments, moved by off. On a fault of the grammar or a number
// that is too long it returns the byte and what is wrong there. What names
// something that is not there is let go and counted, as the standard allows.
func (b *builder) decode(s string, off Pos, srcBase, nameBase, sources, names int32) (at int, msg string) {
	m := b.m
	if n := strings.Count(s, ",") + strings.Count(s, ";") + 1; len(m.cols) == 0 {
		m.cols, m.source, m.srcLine = make([]int32, 0, n), make([]int32, 0, n), make([]int32, 0, n)
		m.srcCol, m.name, b.genAt = make([]int32, 0, n), make([]int32, 0, n), make([]int32, 0, n)
	}
	line, col := off.Line, int64(off.Col)
	var src, srcLine, srcCol, name int64
	var field [5]int64
	for i := 0; i < len(s); {
		switch s[i] {
		case ';':
			line++
			col = 0
			i++
			continue
		case ',':
			i++
			continue
		}
		start, n := i, 0
		for i < len(s) && s[i] != ',' && s[i] != ';' {
			if n == 5 {
				return i, "a segment has more than 5 fields"
			}
			v, next, why := vlq(s, i)
			if why != "" {
				return next, why
			}
			field[n], i = v, next
			n++
		}
		if n == 2 || n == 3 {
			return start, "a segment has 1, 4 or 5 fields, not 2 or 3"
		}
		col += field[0]
		src, srcLine, srcCol = src+field[1], srcLine+field[2], srcCol+field[3]
		name += field[4]
		if col < 0 || col > maxField {
			m.dropped++ // there is no place for it
			field = [5]int64{}
			continue
		}
		seg := [5]int32{int32(col), -1, 0, 0, -1}
		switch {
		case n < 4:
		case src < 0 || src >= int64(sources) || srcLine < 0 || srcLine > maxField || srcCol < 0 || srcCol > maxField:
			m.dropped++ // its place is known to come from nowhere, which keeps its neighbours right
		default:
			seg[1], seg[2], seg[3] = srcBase+int32(src), int32(srcLine), int32(srcCol)
			if n == 5 && name >= 0 && name < int64(names) {
				seg[4] = nameBase + int32(name)
			} else if n == 5 {
				m.dropped++
			}
		}
		field = [5]int64{}
		if k := len(m.cols) - 1; k >= 0 && (b.genAt[k] > line || b.genAt[k] == line && m.cols[k] > seg[0]) {
			b.mixed = true
		}
		m.cols, m.source = append(m.cols, seg[0]), append(m.source, seg[1])
		m.srcLine, m.srcCol = append(m.srcLine, seg[2]), append(m.srcCol, seg[3])
		m.name = append(m.name, seg[4])
		b.genAt = append(b.genAt, line)
	}
	return 0, ""
}

// vlq reads one base64 VLQ (https://tc39.es/ecma426/#sec-base64-vlq). It is
// at most 7 digits long and must fit in 32 bits with its sign.
func vlq(s string, i int) (v int64, next int, why string) {
	var u uint64
	for n := 0; ; n++ {
		if n == 7 {
			return 0, i, "a number is too long"
		}
		if i >= len(s) {
			return 0, i, "the text ends inside a number"
		}
		d := digits[s[i]]
		if d == 0xff {
			return 0, i, "this is no base64 character"
		}
		i++
		u |= uint64(d&31) << (5 * n)
		if d&32 == 0 {
			break
		}
	}
	v = int64(u >> 1)
	if u&1 == 1 {
		if v == 0 {
			v = 1 << 31 // "-0" stands for the smallest number
		}
		v = -v
	}
	if v > math.MaxInt32 || v < math.MinInt32 {
		return 0, i, "a number does not fit in 32 bits"
	}
	return v, i, ""
}
