package symbols

import (
	"encoding/binary"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/klauspost/compress/zstd"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// Compile makes the compiled form of a map and of the functions of its code.
// Without code (nil) positions and texts are known, and the functions of
// sources that can be read. doubts are the scripts that cannot.
func Compile(m *sourcemap.Map, code []byte) (compiled []byte, doubts []Doubt, err error) {
	pack, err := zstd.NewWriter(
		nil,
		zstd.WithEncoderConcurrency(1),
		zstd.WithEncoderLevel(zstd.SpeedDefault),
		zstd.WithEncoderCRC(false),
	)
	if err != nil {
		return nil, nil, err
	}
	c := compiler{m: m, pack: pack, out: make([]byte, headerSize), text: map[int]string{}, own: map[int]*source{}}
	c.readSources()
	c.positions()
	c.functions(code)
	c.sources()
	c.list(names, m.Names(), func(b []byte, i int) []byte { return appendText(b, m.Name(i)) })
	c.texts()
	return c.finish(code != nil), c.doubts, nil
}

type compiler struct {
	m      *sourcemap.Map
	text   map[int]string // of the sources whose text is known
	pack   *zstd.Encoder
	out    []byte
	dir    [kinds][]entry
	count  int             // functions
	own    map[int]*source // those that could be read themselves
	doubts []Doubt
}

// readSources reads the texts of all sources, and their functions where they
// are scripts that belong to this build.
func (c *compiler) readSources() {
	for i := range c.m.Sources() {
		if text, ok := c.m.Content(i); ok {
			c.text[i] = text
		}
	}
	lineEnds(c.m, c.text)
	for i := range c.m.Sources() {
		text, ok := c.text[i]
		if !ok {
			continue
		}
		s, why := readSource(c.m.Source(i), text)
		if s != nil {
			c.own[i] = s
		}
		if why != "" {
			c.doubts = append(c.doubts, Doubt{c.m.Source(i), why})
		}
	}
	markErrors(c.own)
	markForwards(c.m, c.own)
	trust(c.m, c.own)
	for _, i := range slices.Sorted(maps.Keys(c.own)) {
		if until := c.own[i].until; until != everywhere {
			c.doubts = append(
				c.doubts,
				Doubt{
					c.m.Source(i),
					fmt.Sprintf("from line %d on its text is not what the map was made from", until.Line+1),
				},
			)
		}
	}
}

// block stores one block.
func (c *compiler) block(k kind, key [3]int32, raw []byte) {
	e := entry{key: key, length: len(raw)}
	c.out, e.stored, e.sum = c.store(raw)
	c.dir[k] = append(c.dir[k], e)
}

// store appends raw, packed where that makes it shorter.
func (c *compiler) store(raw []byte) (out []byte, stored int, sum uint32) {
	from := len(c.out)
	out = c.pack.EncodeAll(raw, c.out)
	if len(out)-from >= len(raw) {
		out = append(out[:from], raw...)
	}
	return out, len(out) - from, checksum(out[from:])
}

// positions cuts the mappings into blocks at marks.
func (c *compiler) positions() {
	p := &c.m.Positions
	var raw []byte
	for i := 0; i < len(p.Marks); {
		n := i + 1
		for n < len(p.Marks) && int(p.Marks[n].Off-p.Marks[i].Off) < positionBlock {
			n++
		}
		raw = raw[:0]
		part := p.Slice(i, n)
		raw = binary.AppendUvarint(raw, uint64(len(part.Marks)))
		last := sourcemap.Mark{}
		for _, m := range part.Marks {
			raw = binary.AppendUvarint(raw, uint64(m.Off-last.Off))
			raw = binary.AppendUvarint(raw, uint64(m.At.Line-last.At.Line))
			raw = binary.AppendUvarint(raw, uint64(m.At.Col))
			raw = binary.AppendUvarint(raw, uint64(m.Source))
			raw = binary.AppendUvarint(raw, uint64(m.Orig.Line))
			raw = binary.AppendUvarint(raw, uint64(m.Orig.Col))
			raw = binary.AppendUvarint(raw, uint64(m.Name))
			last = m
		}
		c.block(positions, [3]int32{part.Marks[0].At.Line, part.Marks[0].At.Col}, append(raw, part.Text...))
		i = n
	}
}

// functions writes from where on which function is around, in the generated
// code and in the sources that could be read: these know best what a function
// is called, and builds move code from one into another.
func (c *compiler) functions(code []byte) {
	b := boundaries{c: c, number: map[label]int{}}
	if code != nil {
		t := scope.Scan(code)
		n := namer{m: c.m, text: c.text, own: c.own, texts: map[int]*sourcemap.Text{}, known: map[int]label{}}
		b.table(0, t, everywhere, func(i int) label { return n.label(t, i) })
	}
	for _, i := range slices.Sorted(maps.Keys(c.own)) {
		t := c.own[i].table
		b.table(int32(i)+1, t, c.own[i].until, func(i int) label { return written(t, i) })
	}
	c.list(labels, len(b.labels), func(raw []byte, i int) []byte {
		l := b.labels[i]
		return appendText(append(raw, l.flags()), l.name)
	})
}

// boundaries collects blocks of functions.
type boundaries struct {
	c       *compiler
	labels  []label
	number  map[label]int
	space   int32
	pending sourcemap.Pos // the newest boundary, not written: another may lie at the same place
	label   int           // 0: no function
	has     bool
	raw     []byte
	first   sourcemap.Pos
	last    sourcemap.Pos
}

// table writes the functions of one space up to a place, behind which nothing
// is known. The innermost one around a position is known from the nearest
// boundary before it.
func (b *boundaries) table(space int32, t *scope.Table, until sourcemap.Pos, name func(i int) label) {
	b.space = space
	b.c.count += t.Len()
	var open []int
	to := func(p sourcemap.Pos) { // ends what ends at or before p
		for len(open) > 0 && !p.Before(t.At(open[len(open)-1]).End) && t.At(open[len(open)-1]).End.Before(until) {
			f := t.At(open[len(open)-1])
			open = open[:len(open)-1]
			if len(open) > 0 {
				b.add(f.End, b.of(name(open[len(open)-1])))
			} else {
				b.add(f.End, 0)
			}
		}
	}
	for i := range t.Len() {
		if !t.At(i).Start.Before(until) {
			break
		}
		to(t.At(i).Start)
		b.add(t.At(i).Start, b.of(name(i)))
		open = append(open, i)
	}
	to(everywhere)
	if until != everywhere {
		b.add(until, b.of(label{unknown: true}))
	}
	b.flush()
}

// of is the number of a label, from 1.
func (b *boundaries) of(l label) int {
	n, ok := b.number[l]
	if !ok {
		b.labels = append(b.labels, l)
		n = len(b.labels)
		b.number[l] = n
	}
	return n
}

func (b *boundaries) add(p sourcemap.Pos, label int) {
	if b.has && b.pending != p {
		b.write()
	}
	b.pending, b.label, b.has = p, label, true
}

func (b *boundaries) write() {
	if len(b.raw) >= listBlock {
		b.end()
	}
	if len(b.raw) == 0 {
		b.first, b.last = b.pending, b.pending
	}
	col := b.pending.Col
	if b.pending.Line == b.last.Line {
		col -= b.last.Col
	}
	b.raw = binary.AppendUvarint(b.raw, uint64(b.pending.Line-b.last.Line))
	b.raw = binary.AppendUvarint(b.raw, uint64(col))
	b.raw = binary.AppendUvarint(b.raw, uint64(b.label))
	b.last = b.pending
}

func (b *boundaries) end() {
	b.c.block(functions, [3]int32{b.space, b.first.Line, b.first.Col}, b.raw)
	b.raw = b.raw[:0]
}

func (b *boundaries) flush() {
	if b.has {
		b.write()
		b.end()
		b.has = false
	}
}

func (c *compiler) sources() {
	c.list(sources, c.m.Sources(), func(b []byte, i int) []byte {
		flags := byte(0)
		if c.m.Ignored(i) {
			flags |= 1
		}
		if c.m.HasContent(i) {
			flags |= 2
		}
		if c.own[i] != nil {
			flags |= 4
		}
		return appendText(append(b, flags), c.m.Source(i))
	})
}

// list writes n elements in blocks; the key is the number of the first.
func (c *compiler) list(k kind, n int, element func(b []byte, i int) []byte) {
	var raw []byte
	first := 0
	for i := range n {
		raw = element(raw, i)
		if len(raw) >= listBlock || i == n-1 {
			c.block(k, [3]int32{int32(first)}, raw)
			raw, first = raw[:0], i+1
		}
	}
}

// maxText is the most bytes of a name or path that are kept.
const maxText = 4 << 10

func appendText(b []byte, s string) []byte {
	if len(s) > maxText {
		s = strings.ToValidUTF8(s[:maxText], "")
	}
	return append(binary.AppendUvarint(b, uint64(len(s))), s...)
}

// texts cuts each source's text at line ends.
func (c *compiler) texts() {
	for i := range c.m.Sources() {
		text, ok := c.text[i]
		if !ok {
			continue
		}
		line, middle := int32(0), int32(0)
		for first := true; first || text != ""; first = false {
			part := text
			if len(part) > textBlock {
				part = part[:textBlock]
				if n := strings.LastIndexByte(part, '\n'); n >= 0 {
					part = part[:n+1]
				}
			}
			c.block(texts, [3]int32{int32(i), line, middle}, []byte(part))
			line += int32(strings.Count(part, "\n"))
			middle = 1
			if strings.HasSuffix(part, "\n") {
				middle = 0
			}
			text = text[len(part):]
		}
	}
}

// finish writes the directory and the header.
func (c *compiler) finish(scopes bool) []byte {
	var raw []byte
	for _, n := range []int{c.m.Lines(), c.m.Segments(), c.m.Sources(), c.m.Names(), c.count} {
		raw = binary.AppendUvarint(raw, uint64(n))
	}
	for k, list := range c.dir {
		raw = binary.AppendUvarint(raw, uint64(len(list)))
		for _, e := range list {
			for i := range keys[k] {
				raw = binary.AppendUvarint(raw, uint64(e.key[i]))
			}
			raw = binary.AppendUvarint(raw, uint64(e.stored))
			raw = binary.AppendUvarint(raw, uint64(e.length))
			raw = binary.AppendUvarint(raw, uint64(e.sum))
		}
	}
	at := len(c.out)
	out, stored, sum := c.store(raw)
	head := out[:headerSize]
	copy(head, magic)
	binary.LittleEndian.PutUint16(head[4:], version)
	if scopes {
		binary.LittleEndian.PutUint16(head[6:], hasScopes)
	}
	binary.LittleEndian.PutUint64(head[8:], uint64(at))
	binary.LittleEndian.PutUint32(head[16:], uint32(stored))
	binary.LittleEndian.PutUint32(head[20:], uint32(len(raw)))
	binary.LittleEndian.PutUint32(head[24:], sum)
	binary.LittleEndian.PutUint32(head[28:], checksum(head[:28]))
	return out
}
