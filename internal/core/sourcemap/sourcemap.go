// Package sourcemap decodes source maps (ECMA-426) and looks up the original position of generated
// code. Input is the map's JSON; errors name their place in it. Lines and UTF-16 columns are 0-based,
// as in the standard.
//
// Where the standard demands an error there is one. Where it leaves a choice
// ("optionally report an error"), what is wrong is dropped and counted, and
// the rest holds.
//
// A map keeps the JSON it was read from and decodes no more of it than is
// asked for; beside it stand marks into the mappings, and four bytes for each
// source, each text and each name: at most three times the JSON in all, for
// the oddest of maps. While a map is read whose segments have to be moved or
// put in order, those of one generated line take 24 bytes each.
//
// Reading order: Parse, Map.Find, Positions. It imports the standard
// library alone and knows nothing of events.
package sourcemap

import (
	"fmt"
	"math"
	"sort"
	"strings"
)

// Map is a decoded source map. It is safe for concurrent use.
type Map struct {
	File    string
	DebugID string // lower case, "" when the map has none

	Positions Positions

	scan     scan
	sources  []uint32 // where each stands in the JSON, 0: null
	contents []uint32
	names    []uint32
	roots    []root
	ignored  map[int32]bool
	segments int
	dropped  int
}

// root is the sourceRoot of the sources from one index on.
type root struct {
	from int
	path string
}

// SyntaxError is a fault in a map.
type SyntaxError struct {
	Section int    // which section of an index map, -1 for a plain map
	Off     int    // 0-based byte in "mappings"; -1 when the fault is elsewhere
	Msg     string // what is wrong
}

func (e *SyntaxError) Error() string {
	where := ""
	if e.Section >= 0 {
		where = fmt.Sprintf("section %d: ", e.Section)
	}
	if e.Off >= 0 {
		return fmt.Sprintf("%smappings, byte %d: %s", where, e.Off, e.Msg)
	}
	return where + e.Msg
}

// MaxSize is the size in bytes of the largest map that is read.
const MaxSize = 1 << 30

// Parse decodes a map. It takes a byte order mark and the ")]}'" prefix line
// (https://tc39.es/ecma426/#sec-ParseSourceMap) off the front. The map keeps
// raw, which must not be changed any more.
func Parse(raw []byte) (*Map, error) {
	if len(raw) > MaxSize {
		return nil, &SyntaxError{Section: -1, Off: -1,
			Msg: fmt.Sprintf("the map has %d bytes; at most %d are read", len(raw), MaxSize)}
	}
	r := reader{m: &Map{scan: scan{raw}}, section: -1}
	doc, err := r.whole(raw)
	if err != nil {
		return nil, err
	}
	r.m.File, r.m.DebugID = doc.file, strings.ToLower(doc.debugID)
	if err := r.collect(doc, Pos{}, end, 0); err != nil {
		return nil, err
	}
	m := r.m
	p, count, dropped, err := positionsOf(r.groups)
	if err != nil {
		return nil, err
	}
	m.Positions, m.segments = p, count
	m.dropped += dropped
	return m, nil
}

// Original is where a generated position came from.
type Original struct {
	Source  string // path as the map has it, "" when the source is null
	Index   int    // of the source in the map
	Pos     Pos    // in the source
	Name    string // the map's name for the token, "" when it has none
	Ignored bool   // the source is on the ignoreList
	Exact   bool   // a segment begins at exactly this position
}

// Find returns the original of the segment at or before p on p's line
// (https://tc39.es/ecma426/#sec-GetOriginalPositions). ok is false where the
// map says nothing or says that the code has no source. Of several segments
// that begin at one place the last is taken.
func (m *Map) Find(p Pos) (o Original, ok bool) {
	s, ok := m.Positions.Find(p)
	if !ok || s.Source < 0 {
		return o, false
	}
	o = Original{Source: m.Source(int(s.Source)), Index: int(s.Source), Pos: s.Orig, Ignored: m.ignored[s.Source],
		Exact: s.Gen == p}
	if s.Name >= 0 {
		o.Name = m.Name(int(s.Name))
	}
	return o, true
}

// Lines is the number of generated lines up to the last segment.
func (m *Map) Lines() int {
	k := len(m.Positions.Marks)
	if k == 0 {
		return 0
	}
	c := cursor{text: m.Positions.run(k - 1), at: m.Positions.Marks[k-1], first: true}
	last := c.at.At.Line
	for c.next(math.MaxInt32) {
		last = c.at.At.Line
	}
	return int(last) + 1
}

// Segments is the number of segments.
func (m *Map) Segments() int { return m.segments }

// Dropped is how much was dropped: segments, names of segments and entries of
// the ignoreList that name what is not there, members of a wrong type.
func (m *Map) Dropped() int { return m.dropped }

// Sources is the number of sources.
func (m *Map) Sources() int { return len(m.sources) }

// Source is the path of source i behind its sourceRoot
// (https://tc39.es/ecma426/#sec-DecodeSourceMapSources), "" for null. The root is put
// before it with a slash between, as tools mean it; no address is resolved.
func (m *Map) Source(i int) string {
	if m.sources[i] == 0 {
		return ""
	}
	path := m.scan.text(int(m.sources[i]))
	at := sort.Search(len(m.roots), func(k int) bool { return m.roots[k].from > i }) - 1
	if at >= 0 {
		return m.roots[at].path + path
	}
	return path
}

// Ignored says whether source i is on the ignoreList.
func (m *Map) Ignored(i int) bool { return m.ignored[int32(i)] }

// Names is the number of names, Name the i-th.
func (m *Map) Names() int { return len(m.names) }

// Name is name i.
func (m *Map) Name(i int) string {
	if m.names[i] == 0 {
		return ""
	}
	return m.scan.text(int(m.names[i]))
}

// HasContent says whether the map holds the text of source i.
func (m *Map) HasContent(i int) bool { return i < len(m.contents) && m.contents[i] != 0 }

// Content is the text of source i, ok false when the map does not hold it.
func (m *Map) Content(i int) (text string, ok bool) {
	if i < 0 || i >= len(m.contents) || m.contents[i] == 0 {
		return "", false
	}
	return m.scan.text(int(m.contents[i])), true
}
