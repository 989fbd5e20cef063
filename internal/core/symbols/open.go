package symbols

import (
	"encoding/binary"
	"fmt"
	"io"
	"sync"
	"sync/atomic"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// File answers from compiled symbols. It is safe for concurrent use.
type File struct {
	r     io.ReaderAt
	keep  int
	known bool
	dir   [kinds][]entry
	lines, segments, sources,
	names, functions int

	damaged atomic.Bool

	mu   sync.Mutex
	hot  map[blockID]decoded // what was read of late,
	old  map[blockID]decoded // and before that
	size int                 // of hot, in bytes
}

type blockID struct {
	kind   kind
	number int
}

// decoded is one block, ready to be searched.
type decoded struct {
	positions  sourcemap.Positions
	boundaries []boundary
	list       []element
	text       []byte
	table      *scope.Table       // of a source that was read again
	function   func(i int) string // the text of one
	digests    []func() scope.Digest
	size       int
}

type boundary struct {
	at    sourcemap.Pos
	label int // from 1, 0: no function
}

type element struct {
	flags byte
	text  string
}

// Open reads the header and the directory of size bytes of compiled symbols.
// Up to about keep bytes of blocks that were read are kept for the next
// look-up; 0 keeps none.
func Open(r io.ReaderAt, size int64, keep int) (*File, error) {
	head := make([]byte, headerSize)
	bad := func(where, format string, args ...any) error {
		return &DamageError{where, fmt.Sprintf(format, args...)}
	}
	if size < headerSize {
		return nil, bad("header", "%d bytes are no compiled symbols", size)
	}
	if _, err := r.ReadAt(head, 0); err != nil {
		return nil, fmt.Errorf("symbols.Open: %w", err)
	}
	if string(head[:4]) != magic {
		return nil, bad("header", "these are no compiled symbols")
	}
	if v := binary.LittleEndian.Uint16(head[4:]); v < OldestFormat || v > version {
		return nil, &VersionError{Got: int(v)}
	}
	if checksum(head[:28]) != binary.LittleEndian.Uint32(head[28:]) {
		return nil, bad("header", "its sum is wrong")
	}
	at := binary.LittleEndian.Uint64(head[8:])
	stored, length := binary.LittleEndian.Uint32(head[16:]), binary.LittleEndian.Uint32(head[20:])
	if at < headerSize || at > uint64(size) || uint64(stored) != uint64(size)-at || length > maxDirectory {
		return nil, bad("directory", "it lies outside the %d bytes there are", size)
	}
	raw := make([]byte, stored)
	if _, err := r.ReadAt(raw, int64(at)); err != nil && err != io.EOF {
		return nil, fmt.Errorf("symbols.Open: %w", err)
	}
	if checksum(raw) != binary.LittleEndian.Uint32(head[24:]) {
		return nil, bad("directory", "its sum is wrong")
	}
	raw, err := unpack(raw, int(length))
	if err != nil {
		return nil, bad("directory", "%v", err)
	}
	f := &File{r: r, keep: keep, known: binary.LittleEndian.Uint16(head[6:])&hasScopes != 0}
	if !f.directory(raw, int64(at)) {
		return nil, bad("directory", "its blocks are not those before it")
	}
	return f, nil
}

// maxDirectory bounds what a directory may claim to unpack to.
const maxDirectory = 64 << 20

// VersionError says that symbols were compiled by another version: they have
// to be compiled again.
type VersionError struct{ Got int }

func (e *VersionError) Error() string {
	return fmt.Sprintf("the symbols were compiled in form %d; this version reads forms %d to %d", e.Got, OldestFormat, version)
}

// directory reads the directory of the blocks before end.
func (f *File) directory(raw []byte, end int64) bool {
	n := numbers{b: raw}
	f.lines, f.segments, f.sources, f.names, f.functions = int(n.int()), int(n.int()), int(n.int()), int(n.int()),
		int(n.int())
	off := int64(headerSize)
	for k := range f.dir {
		count := int(n.int())
		if count > len(n.b)/3 { // an entry has more than three bytes
			return false
		}
		f.dir[k] = make([]entry, count)
		for i := range f.dir[k] {
			e := &f.dir[k][i]
			for j := range keys[k] {
				e.key[j] = n.int()
			}
			e.off, e.stored, e.length, e.sum = off, int(n.int()), int(n.int()), uint32(n.next())
			off += int64(e.stored)
		}
	}
	return !n.bad && len(n.b) == 0 && off == end
}

// block reads block i of a kind, or has it from before.
func (f *File) block(k kind, i int) (decoded, error) {
	id := blockID{k, i}
	f.mu.Lock()
	d, ok := f.hot[id]
	if !ok {
		if d, ok = f.old[id]; ok {
			f.put(id, d)
		}
	}
	f.mu.Unlock()
	if ok {
		return d, nil
	}
	d, err := f.read(k, i)
	if err != nil || f.keep == 0 {
		return d, err
	}
	f.mu.Lock()
	f.put(id, d)
	f.mu.Unlock()
	return d, nil
}

// put keeps a block. When half of what may be kept is full, what was read
// before that is dropped.
func (f *File) put(id blockID, d decoded) {
	if f.hot == nil || f.size+d.size > f.keep/2 {
		f.old, f.hot, f.size = f.hot, map[blockID]decoded{}, 0
	}
	if _, ok := f.hot[id]; !ok {
		f.size += d.size
	}
	f.hot[id] = d
}

// Damaged says whether a block was found to be another than was written.
func (f *File) Damaged() bool { return f.damaged.Load() }

func (f *File) read(k kind, i int) (d decoded, err error) {
	e := f.dir[k][i]
	bad := func(what string) error {
		f.damaged.Store(true)
		return &DamageError{fmt.Sprintf("%s block %d", k, i), what}
	}
	if e.length > maxBlock {
		return d, bad(fmt.Sprintf("it claims %d bytes", e.length))
	}
	raw := make([]byte, e.stored)
	if _, err := f.r.ReadAt(raw, e.off); err != nil && err != io.EOF {
		return d, fmt.Errorf("symbols: %s block %d: %w", k, i, err)
	}
	if checksum(raw) != e.sum {
		return d, bad("its sum is wrong")
	}
	if raw, err = unpack(raw, e.length); err != nil {
		return d, bad(err.Error())
	}
	n := numbers{b: raw}
	switch k {
	case positions:
		d.positions = readPositions(&n)
		d.size = len(raw) + 40*len(d.positions.Marks)
	case functions:
		d.boundaries = readBoundaries(&n, sourcemap.Pos{Line: e.key[1], Col: e.key[2]})
		d.size = 24 * len(d.boundaries)
	case labels, sources, names:
		d.list = readList(&n, k != names)
		d.size = len(raw) + 40*len(d.list)
	case texts:
		d.text, d.size = raw, len(raw)
	}
	if n.bad {
		return d, bad("it ends too early")
	}
	return d, nil
}

func readPositions(n *numbers) (p sourcemap.Positions) {
	count := int(n.int())
	if count > len(n.b)/7 {
		n.bad = true
		return p
	}
	p.Marks = make([]sourcemap.Mark, count)
	last := sourcemap.Mark{}
	for i := range p.Marks {
		m := sourcemap.Mark{Off: last.Off + uint32(n.int())}
		m.At = sourcemap.Pos{Line: last.At.Line + n.int(), Col: n.int()}
		m.Source, m.Orig.Line, m.Orig.Col, m.Name = n.int(), n.int(), n.int(), n.int()
		n.bad = n.bad || m.Off < last.Off
		p.Marks[i], last = m, m
	}
	p.Text = n.b
	if n.bad || int(last.Off) > len(p.Text) {
		n.bad = true
		return sourcemap.Positions{}
	}
	return p
}

func readBoundaries(n *numbers, at sourcemap.Pos) (list []boundary) {
	list = make([]boundary, 0, len(n.b)/3)
	for len(n.b) > 0 && !n.bad {
		line, col := n.int(), n.int()
		if line > 0 {
			at = sourcemap.Pos{Line: at.Line + line, Col: col}
		} else {
			at.Col += col
		}
		list = append(list, boundary{at, int(n.int())})
	}
	return list
}

func readList(n *numbers, flags bool) (list []element) {
	for len(n.b) > 0 && !n.bad {
		var e element
		if flags {
			e.flags, n.b = n.b[0], n.b[1:]
		}
		e.text = n.text()
		list = append(list, e)
	}
	return list
}

// listed is element i of a list.
func (f *File) listed(k kind, i int) (element, error) {
	b := lastBefore(len(f.dir[k]), func(j int) bool { return int(f.dir[k][j].key[0]) > i })
	if b < 0 {
		return element{}, &DamageError{"directory", fmt.Sprintf("no block of %s holds number %d", k, i)}
	}
	d, err := f.block(k, b)
	if err != nil {
		return element{}, err
	}
	i -= int(f.dir[k][b].key[0])
	if i >= len(d.list) {
		return element{}, &DamageError{fmt.Sprintf("%s block %d", k, b), "it is too short"}
	}
	return d.list[i], nil
}

// around is the block of a kind in which a position lies, -1: before the first.
func (f *File) around(k kind, at sourcemap.Pos) int {
	list := f.dir[k]
	return lastBefore(len(list), func(i int) bool {
		return at.Before(sourcemap.Pos{Line: list[i].key[0], Col: list[i].key[1]})
	})
}

// Lines is the number of generated lines up to the last segment.
func (f *File) Lines() int { return f.lines }

// Counts are the numbers of segments, sources and functions.
func (f *File) Counts() (segments, sources, functions int) {
	return f.segments, f.sources, f.functions
}

// Size estimates the memory in bytes that the file takes when its blocks lie elsewhere.
func (f *File) Size() int {
	n := f.keep
	for _, list := range f.dir {
		n += 48 * len(list)
	}
	return n
}
