package sourcemap

import (
	"bytes"
	"iter"
	"math"
	"slices"
	"sort"
)

// Pos is a position, both parts 0-based; Col in UTF-16 code units.
type Pos struct{ Line, Col int32 }

// Before says whether p comes before q.
func (p Pos) Before(q Pos) bool { return p.Line < q.Line || p.Line == q.Line && p.Col < q.Col }

// Segment is one statement of a map: code from Gen on comes from Orig in
// source Source, and is called there by name Name. Source is -1 for code from
// nowhere, Name -1 for none; both count from 0 in the map's own order.
type Segment struct {
	Gen    Pos
	Source int32
	Orig   Pos
	Name   int32
}

// Positions are the segments of a map in the order of their generated
// positions, kept as the text of the mappings itself: a mark every so many
// bytes says what the differences that follow are counted from. That takes
// about 6 bytes a segment, and a look-up reads one stretch between two marks.
type Positions struct {
	Text  []byte // base64 VLQ; between marks nothing but valid segments and separators
	Marks []Mark
}

// Mark is where a stretch of the text begins.
type Mark struct {
	Off    uint32 // of the stretch in the text
	At     Pos    // generated position of its first segment
	Source int32  // what the first segment's other fields are counted from
	Orig   Pos
	Name   int32
}

// stretch is the least bytes of text between two marks.
const stretch = 128

// run is the text between mark i and the next.
func (p *Positions) run(i int) []byte {
	if i+1 < len(p.Marks) {
		return p.Text[p.Marks[i].Off:p.Marks[i+1].Off]
	}
	return p.Text[p.Marks[i].Off:]
}

// Find returns the last segment that begins at or before at
// (https://tc39.es/ecma426/#sec-GetOriginalPositions). ok is false where no
// segment begins before at on its line.
func (p *Positions) Find(at Pos) (s Segment, ok bool) {
	i := sort.Search(len(p.Marks), func(i int) bool { return at.Before(p.Marks[i].At) }) - 1
	if i < 0 {
		return s, false
	}
	c := cursor{text: p.run(i), at: p.Marks[i], first: true}
	for c.next(at.Line) {
		if at.Before(c.at.At) {
			break
		}
		s = c.segment()
	}
	return s, s.Gen.Line == at.Line
}

// All gives every segment in order.
func (p *Positions) All() iter.Seq[Segment] {
	return func(yield func(Segment) bool) {
		for i, m := range p.Marks {
			c := cursor{text: p.run(i), at: m, first: true}
			for c.next(math.MaxInt32) {
				if !yield(c.segment()) {
					return
				}
			}
		}
	}
}

// cursor reads a stretch of valid text, segment by segment.
type cursor struct {
	text   []byte
	i      int
	at     Mark // place and sums of the newest segment
	fields int  // how many it has
	first  bool
}

// next reads a segment; false at the end and beyond line upTo.
func (c *cursor) next(upTo int32) bool {
	s, i := c.text, c.i
	for ; ; i++ {
		if i >= len(s) {
			return false
		}
		if s[i] == ';' {
			if c.at.At.Line == upTo {
				return false
			}
			c.at.At = Pos{Line: c.at.At.Line + 1}
		} else if s[i] != ',' {
			break
		}
	}
	delta, i := number(s, i)
	if c.first { // the mark has its place
		c.first = false
	} else {
		c.at.At.Col += delta
	}
	c.fields = 1
	if i < len(s) && s[i] != ',' && s[i] != ';' {
		c.fields = 4
		delta, i = number(s, i)
		c.at.Source += delta
		delta, i = number(s, i)
		c.at.Orig.Line += delta
		delta, i = number(s, i)
		c.at.Orig.Col += delta
		if i < len(s) && s[i] != ',' && s[i] != ';' {
			c.fields = 5
			delta, i = number(s, i)
			c.at.Name += delta
		}
	}
	c.i = i
	return true
}

// segment is the one that next has read.
func (c *cursor) segment() Segment {
	s := Segment{Gen: c.at.At, Source: -1, Name: -1}
	if c.fields > 1 {
		s.Source, s.Orig = c.at.Source, c.at.Orig
	}
	if c.fields == 5 {
		s.Name = c.at.Name
	}
	return s
}

// number reads one base64 VLQ of valid text; behind the end there are zeros.
// Nearly all have one digit or two.
func number(text []byte, i int) (int32, int) {
	if i < len(text) {
		if v := short[text[i]]; v != long {
			return int32(v), i + 1
		}
	}
	return longNumber(text, i)
}

func longNumber(text []byte, i int) (int32, int) {
	if v, ok := two(text, i); ok {
		return int32(v), i + 2
	}
	v, next, why := vlq(text, i)
	if why != "" {
		return 0, len(text)
	}
	return int32(v), next
}

// writer makes Positions of segments that come in order.
type writer struct {
	p    Positions
	last Segment // what differences are counted from
}

// lineJump is how many empty lines are written out; beyond, a mark jumps.
const lineJump = 64

func (w *writer) add(s Segment) {
	p := &w.p
	begin := len(p.Marks) == 0 || len(p.Text)-int(p.Marks[len(p.Marks)-1].Off) >= stretch ||
		s.Gen.Line-w.last.Gen.Line > lineJump
	switch {
	case begin:
		p.Marks = append(p.Marks,
			Mark{Off: uint32(len(p.Text)), At: s.Gen, Source: w.last.Source, Orig: w.last.Orig, Name: w.last.Name})
		w.last.Gen = s.Gen
	case s.Gen.Line == w.last.Gen.Line:
		p.Text = append(p.Text, ',')
	}
	for w.last.Gen.Line < s.Gen.Line {
		p.Text = append(p.Text, ';')
		w.last.Gen = Pos{w.last.Gen.Line + 1, 0}
	}
	p.Text = appendVLQ(p.Text, int64(s.Gen.Col)-int64(w.last.Gen.Col))
	w.last.Gen.Col = s.Gen.Col
	if s.Source < 0 {
		return
	}
	p.Text = appendVLQ(p.Text, int64(s.Source)-int64(w.last.Source))
	p.Text = appendVLQ(p.Text, int64(s.Orig.Line)-int64(w.last.Orig.Line))
	p.Text = appendVLQ(p.Text, int64(s.Orig.Col)-int64(w.last.Orig.Col))
	w.last.Source, w.last.Orig = s.Source, s.Orig
	if s.Name >= 0 {
		p.Text = appendVLQ(p.Text, int64(s.Name)-int64(w.last.Name))
		w.last.Name = s.Name
	}
}

// Slice is the part from mark i to before mark n, counted from its own begin;
// separators at its end are left out.
func (p *Positions) Slice(i, n int) Positions {
	from := p.Marks[i].Off
	text := p.Text[from:]
	if n < len(p.Marks) {
		text = p.Text[from:p.Marks[n].Off]
	}
	part := Positions{Text: bytes.TrimRight(text, ",;"), Marks: slices.Clone(p.Marks[i:n])}
	for k := range part.Marks {
		part.Marks[k].Off -= from
	}
	return part
}
