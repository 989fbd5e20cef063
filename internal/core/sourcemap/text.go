package sourcemap

import (
	"sort"
	"strings"
	"unicode/utf8"
)

// Text finds places in a text: offsets in bytes, and the 0-based lines and
// UTF-16 columns that maps have. Lines end with "\n". A byte order mark at the
// beginning takes no column.
type Text struct {
	src   string
	first int   // behind a byte order mark
	marks []Pos // of every stride-th byte
}

const (
	stride    = 256
	byteOrder = "\ufeff"
)

// NewText goes over src once.
func NewText(src string) *Text {
	t := &Text{src: src, marks: make([]Pos, 0, len(src)/stride+1)}
	if strings.HasPrefix(src, byteOrder) {
		t.first = len(byteOrder)
	}
	pos := Pos{}
	for at := 0; ; at += stride {
		if at > t.first {
			pos = advance(pos, src[max(t.first, at-stride):at])
		}
		t.marks = append(t.marks, pos)
		if at+stride > len(src) {
			return t
		}
	}
}

// At is the place of an offset from 0 to the length of the text, both included.
func (t *Text) At(off int) Pos {
	i := off / stride
	from := max(i*stride, t.first)
	if off <= from {
		return t.marks[i]
	}
	return advance(t.marks[i], t.src[from:off])
}

// Offset is the offset of a place; ok is false where the text has none.
func (t *Text) Offset(p Pos) (off int, ok bool) {
	i := sort.Search(len(t.marks), func(i int) bool { return p.Before(t.marks[i]) }) - 1
	if i < 0 {
		return 0, false
	}
	at := max(i*stride, t.first)
	for at < len(t.src) && !utf8.RuneStart(t.src[at]) { // the mark lies within a character
		at++
	}
	for pos := t.marks[i]; pos.Before(p); {
		if at >= len(t.src) || t.src[at] == '\n' && pos.Line == p.Line {
			return 0, false
		}
		n := 1
		if t.src[at] >= utf8.RuneSelf {
			_, n = utf8.DecodeRuneInString(t.src[at:])
		}
		pos = advance(pos, t.src[at:at+n])
		at += n
	}
	return at, true
}

// advance moves pos over text, counting UTF-16 units.
func advance(pos Pos, text string) Pos {
	for i := range len(text) {
		c := text[i]
		switch {
		case c == '\n':
			pos.Line++
			pos.Col = 0
		case c < utf8.RuneSelf, c >= 0xc0 && c < 0xf0:
			pos.Col++
		case c >= 0xf0:
			pos.Col += 2
		}
	}
	return pos
}
