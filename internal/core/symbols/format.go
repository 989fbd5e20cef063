// Package symbols compiles a generated file's source map and functions into one compact file, and
// looks up original position, function and source lines in it. A look-up reads only the blocks that it
// needs.
//
// # The compiled form, version 3
//
// A header of 32 bytes, blocks, and a directory of the blocks. All integers
// of the header are little endian:
//
//	0  4  "FSYM"
//	4  2  version
//	6  2  flags: 1 when the functions are known
//	8  8  where the directory begins
//	16 4  its length as stored
//	20 4  its length as it is
//	24 4  CRC-32C of the stored directory
//	28 4  CRC-32C of these first 28 bytes
//
// The directory is numbers (unsigned LEB128): how many generated lines,
// segments, sources, names and functions there are, then for each kind of
// block how many there are and, for each of them, the first key it holds, its
// length as stored, its length as it is and the CRC-32C of what is stored.
// Blocks of all kinds lie one behind the other from byte 32 on, in the order
// of the directory. What is stored shorter than it is, is a zstd frame (RFC 8878).
//
//	kind       key                   a block holds
//	positions  generated position    marks and the mappings between them, as sourcemap.Positions has them
//	functions  space, position       from where on which function is around: steps of line and column, and a label;
//	                                 space 0 is the generated code, space i+1 the text of source i
//	labels     number                function names: flags, length, text. Flags: 1 the name of the function around an
//	                                 anonymous one, 2 not known (that of the generated code counts),
//	                                 4 it makes an error, 8 it fails on behalf of its callers
//	sources    number                paths: flags (1 ignored, 2 with text, 4 with its own functions), length, text
//	names      number                names of tokens: length, text
//	texts      source, line, middle  at most 32 KiB of a source's text, cut at the end of a line where that is
//	                                 possible; "middle" is 1 when it begins within its line
//
// Every read is checked against its sum and its length: a damaged block is a
// *DamageError, never a wrong answer.
package symbols

import (
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"sync"

	"github.com/klauspost/compress/zstd"
)

// Format is the version of the compiled form that this program writes. It reads
// those from OldestFormat on; in form 2 no function is known to fail on behalf of
// its callers.
const (
	Format       = 3
	OldestFormat = 2
)

const (
	magic      = "FSYM"
	version    = Format
	headerSize = 32
	hasScopes  = 1 // flag
)

// kind is what a block holds.
type kind int

const (
	positions kind = iota
	functions
	labels
	sources
	names
	texts
	kinds
)

func (k kind) String() string {
	return [...]string{"positions", "functions", "labels", "sources", "names", "texts"}[k]
}

// keys is how many numbers the key of a block has.
var keys = [kinds]int{2, 3, 1, 1, 1, 3}

// Lengths that blocks are cut at, in bytes before compression.
const (
	positionBlock = 8 << 10
	listBlock     = 8 << 10
	textBlock     = 32 << 10
)

// maxBlock bounds what one block may claim to unpack to.
const maxBlock = 1 << 20

// entry is one block in the directory.
type entry struct {
	key    [3]int32
	off    int64
	stored int
	length int
	sum    uint32
}

// DamageError says that compiled symbols are not what was written.
type DamageError struct {
	Where string // "header", "directory", "positions block 7"
	What  string
}

func (e *DamageError) Error() string {
	return fmt.Sprintf("the compiled symbols are damaged: %s: %s", e.Where, e.What)
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

func checksum(b []byte) uint32 { return crc32.Checksum(b, castagnoli) }

// unpacker has no state of its own between uses.
var unpacker = sync.OnceValues(func() (*zstd.Decoder, error) {
	return zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderLowmem(true),
		zstd.WithDecoderMaxMemory(maxBlock+64<<20))
})

// unpack gives back the length bytes that were stored as raw.
func unpack(raw []byte, length int) ([]byte, error) {
	if len(raw) == length {
		return raw, nil
	}
	d, err := unpacker()
	if err != nil {
		return nil, err
	}
	out, err := d.DecodeAll(raw, make([]byte, 0, length))
	if err != nil {
		return nil, err
	}
	if len(out) != length {
		return nil, fmt.Errorf("%d bytes instead of %d", len(out), length)
	}
	return out, nil
}

// numbers reads unsigned LEB128; after the first fault it gives zeros.
type numbers struct {
	b   []byte
	bad bool
}

func (n *numbers) next() uint64 {
	v, k := binary.Uvarint(n.b)
	if k <= 0 {
		n.bad, n.b = true, nil
		return 0
	}
	n.b = n.b[k:]
	return v
}

// int is a number that fits in 31 bits.
func (n *numbers) int() int32 {
	v := n.next()
	if v > 1<<31-1 {
		n.bad, n.b = true, nil
		return 0
	}
	return int32(v)
}

// text is the next length bytes, whose length stands before them.
func (n *numbers) text() string {
	k := int(n.int())
	if k > len(n.b) {
		n.bad, n.b = true, nil
		return ""
	}
	s := string(n.b[:k])
	n.b = n.b[k:]
	return s
}
