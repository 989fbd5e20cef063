package symbols

import (
	"bytes"
	"sort"
	"strings"

	"firethorn/internal/core/sourcemap"
)

// Find returns where at came from, as sourcemap.Map.Find does.
func (f *File) Find(at sourcemap.Pos) (o sourcemap.Original, ok bool, err error) {
	b := f.around(positions, at)
	if b < 0 {
		return o, false, nil
	}
	d, err := f.block(positions, b)
	if err != nil {
		return o, false, err
	}
	s, ok := d.positions.Find(at)
	if !ok || s.Source < 0 {
		return o, false, nil
	}
	source, err := f.listed(sources, int(s.Source))
	if err != nil {
		return o, false, err
	}
	o = sourcemap.Original{Source: source.text, Index: int(s.Source), Pos: s.Orig, Ignored: source.flags&1 != 0,
		Exact: s.Gen == at}
	if s.Name >= 0 {
		name, err := f.listed(names, int(s.Name))
		if err != nil {
			return o, false, err
		}
		o.Name = name.text
	}
	return o, true, nil
}

// maxBeside is how many mappings back are looked at for one with a source.
const maxBeside = 8

// Beside returns where the nearest place before at came from that came from
// anywhere, within its line and its function: of what a build made itself, such
// as calls of its own helpers, maps say nothing.
func (f *File) Beside(at sourcemap.Pos) (o sourcemap.Original, ok bool, err error) {
	if !f.known {
		return o, false, nil
	}
	here, l, err := f.region(0, at)
	if err != nil || l == (label{}) {
		return o, false, err
	}
	for p, n := at, 0; n < maxBeside; n++ {
		b := f.around(positions, p)
		if b < 0 {
			return o, false, nil
		}
		d, err := f.block(positions, b)
		if err != nil {
			return o, false, err
		}
		s, found := d.positions.Find(p)
		if !found || s.Gen.Line != at.Line {
			return o, false, nil
		}
		if s.Source >= 0 {
			if s.Gen.Before(here) {
				return o, false, nil
			}
			return f.Find(s.Gen)
		}
		if s.Gen.Col == 0 {
			return o, false, nil
		}
		p = sourcemap.Pos{Line: s.Gen.Line, Col: s.Gen.Col - 1}
	}
	return o, false, nil
}

// Function is the function around a position.
type Function struct {
	Name string // with its class, "" for anonymous functions and at the top level
	// Of an anonymous one: the nearest function around it that has a name, and the calls within
	// that it is an argument of: "setUp › on(\"gate\")"
	Within string
	Makes  bool // it makes an error: a constructor of one, or a function that returns a new one
	// OnBehalf is true of a function that its source says fails on behalf of its
	// callers (scope.Table.MarkOnBehalf).
	OnBehalf bool
}

// Function returns the function around the generated position at, which came
// from o (o.Source is "" where Find found nothing). What the source itself
// says goes first: builds move code of one function into another. known is
// false where neither the source's functions nor those of the code are there.
func (f *File) Function(at sourcemap.Pos, o sourcemap.Original) (fn Function, known bool, err error) {
	if o.Source != "" {
		source, err := f.listed(sources, o.Index)
		if err != nil {
			return fn, false, err
		}
		if source.flags&4 != 0 {
			l, err := f.function(int32(o.Index)+1, o.Pos)
			if err != nil || !l.unknown {
				return l.function(), err == nil, err
			}
		}
	}
	l := label{}
	if f.known {
		if l, err = f.function(0, at); err != nil {
			return fn, false, err
		}
	}
	l, known = l.orComponent(o.Source, f.known)
	return l.function(), known, nil
}

func (f *File) function(space int32, at sourcemap.Pos) (label, error) {
	_, l, err := f.region(space, at)
	return l, err
}

// region is from where on nothing but one function is around at, and which.
func (f *File) region(space int32, at sourcemap.Pos) (from sourcemap.Pos, l label, err error) {
	list := f.dir[functions]
	b := lastBefore(len(list), func(i int) bool {
		k := list[i].key
		return k[0] > space || k[0] == space && at.Before(sourcemap.Pos{Line: k[1], Col: k[2]})
	})
	if b < 0 || list[b].key[0] != space {
		return from, l, nil
	}
	d, err := f.block(functions, b)
	if err != nil {
		return from, l, err
	}
	i := lastBefore(len(d.boundaries), func(i int) bool { return at.Before(d.boundaries[i].at) })
	if i < 0 || d.boundaries[i].label == 0 {
		return from, l, nil
	}
	e, err := f.listed(labels, d.boundaries[i].label-1)
	l = label{name: e.text, anonymous: e.flags&1 != 0, unknown: e.flags&2 != 0, makes: e.flags&4 != 0,
		behalf: e.flags&8 != 0}
	return d.boundaries[i].at, l, err
}

// SourceLines returns lines from to to (counted from 0, both included) of a
// source, each cut after most bytes, without their line breaks; fewer at the
// end of the text, none if there is no text.
func (f *File) SourceLines(source, from, to, limit int) ([]string, error) {
	from = max(from, 0)
	b := f.textBlock(source, from)
	if b < 0 {
		return nil, nil
	}
	var out []string
	var line []byte // the one that is being read
	number := int(f.dir[texts][b].key[1])
	keep := func() {
		if number >= from {
			out = append(out, strings.TrimSuffix(string(line), "\r"))
		}
		line = line[:0]
		number++
	}
	for ; b < len(f.dir[texts]) && int(f.dir[texts][b].key[0]) == source && number <= to; b++ {
		if len(line) >= limit && f.withinLine(b) {
			continue // nothing of it would be kept, nor does the line end there
		}
		d, err := f.block(texts, b)
		if err != nil {
			return nil, err
		}
		for text := d.text; len(text) > 0 && number <= to; {
			part, ended := text, false
			if i := bytes.IndexByte(text, '\n'); i >= 0 {
				part, ended = text[:i], true
				text = text[i+1:]
			} else {
				text = nil
			}
			line = append(line, part[:min(len(part), max(0, limit-len(line)))]...)
			if ended {
				keep()
			}
		}
	}
	if len(line) > 0 && number <= to {
		keep()
	}
	return out, nil
}

// textBlock is the block of a source in which a line begins, -1: no text.
func (f *File) textBlock(source, line int) int {
	list := f.dir[texts]
	b := lastBefore(len(list), func(i int) bool {
		k := list[i].key
		return int(k[0]) > source || int(k[0]) == source && (int(k[1]) > line || int(k[1]) == line && k[2] == 1)
	})
	if b < 0 || int(list[b].key[0]) != source {
		return -1
	}
	return b
}

// withinLine says whether text block b begins within a line and ends within the same.
func (f *File) withinLine(b int) bool {
	list := f.dir[texts]
	return list[b].key[2] == 1 && b+1 < len(list) && list[b+1].key == [3]int32{list[b].key[0], list[b].key[1], 1}
}

// Content is the whole text of a source, ok false when there is none.
func (f *File) Content(source int) (text string, ok bool, err error) {
	var all []byte
	for b := f.textBlock(source, 0); b >= 0 && b < len(f.dir[texts]) && int(f.dir[texts][b].key[0]) == source; b++ {
		d, err := f.read(texts, b)
		if err != nil {
			return "", false, err
		}
		all, ok = append(all, d.text...), true
	}
	return string(all), ok, nil
}

// lastBefore is the last of n sorted elements that is not after something, -1: all are.
func lastBefore(n int, after func(i int) bool) int { return sort.Search(n, after) - 1 }
