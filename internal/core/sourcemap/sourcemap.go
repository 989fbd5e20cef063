// Package sourcemap decodes source maps (ECMA-426) and answers where a
// position of generated code came from. Input is the map's JSON; every
// fault is reported with its place. Positions in this package are 0-based
// lines and 0-based UTF-16 columns, as the standard has them.
//
// Reading order: Parse, Map.Find, Map.Source. It imports the standard
// library alone and knows nothing of events.
package sourcemap

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"
)

// Pos is a position, both parts 0-based; Col in UTF-16 code units.
type Pos struct{ Line, Col int32 }

// Map is a decoded source map: the segments in columns of their own, sorted
// by generated position, and where each generated line begins among them.
type Map struct {
	File    string
	DebugID string // lower case, "" when the map has none

	lines   []int32 // index of the first segment of each generated line, plus one end
	cols    []int32 // generated column
	source  []int32 // index into sources, -1: generated code without a source
	srcLine []int32
	srcCol  []int32
	name    []int32 // index into names, -1: none

	sources  []string // joined with sourceRoot; "" for null
	contents []*string
	names    []string
	ignored  map[int32]bool
	dropped  int
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

// document is the JSON of a map, plain or index
// (https://tc39.es/ecma426/#sec-source-map-format).
type document struct {
	Version        json.RawMessage   `json:"version"`
	File           string            `json:"file"`
	SourceRoot     string            `json:"sourceRoot"`
	Sources        []*string         `json:"sources"`
	SourcesContent []*string         `json:"sourcesContent"`
	Names          []string          `json:"names"`
	Mappings       *string           `json:"mappings"`
	IgnoreList     []int32           `json:"ignoreList"`
	DebugID        string            `json:"debugId"`
	Sections       []json.RawMessage `json:"sections"`
}

type section struct {
	Offset struct {
		Line   int32 `json:"line"`
		Column int32 `json:"column"`
	} `json:"offset"`
	Map json.RawMessage `json:"map"`
}

// Parse decodes a map. It takes a byte order mark and the ")]}'" prefix line
// (https://tc39.es/ecma426/#sec-ParseSourceMap) off the front.
func Parse(raw []byte) (*Map, error) {
	raw = bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf"))
	if bytes.HasPrefix(raw, []byte(")]}'")) {
		if i := bytes.IndexByte(raw, '\n'); i >= 0 {
			raw = raw[i+1:]
		}
	}
	b := builder{m: &Map{ignored: map[int32]bool{}}}
	if err := b.add(raw, Pos{}, -1); err != nil {
		return nil, err
	}
	b.finish()
	return b.m, nil
}

// builder collects segments in the order they come.
type builder struct {
	m     *Map
	genAt []int32 // generated line of each segment
	mixed bool    // segments did not come in order
}

func (b *builder) add(raw []byte, off Pos, sectionNo int) error {
	fail := func(at int, format string, args ...any) error {
		return &SyntaxError{Section: sectionNo, Off: at, Msg: fmt.Sprintf(format, args...)}
	}
	var d document
	if err := json.Unmarshal(raw, &d); err != nil {
		return fail(-1, "this is no source map: %v", err)
	}
	if v := string(bytes.TrimSpace(d.Version)); v != "3" {
		if v == "" {
			return fail(-1, "\"version\" is missing: this is no source map")
		}
		return fail(-1, "\"version\" is %.20s; only 3 is known", v)
	}
	if d.DebugID != "" && sectionNo < 0 {
		b.m.DebugID = strings.ToLower(d.DebugID)
	}
	if sectionNo < 0 {
		b.m.File = d.File
	}
	if d.Sections != nil {
		return b.addSections(d.Sections, off, sectionNo)
	}
	if d.Mappings == nil {
		return fail(-1, "\"mappings\" is missing")
	}
	srcBase, nameBase := int32(len(b.m.sources)), int32(len(b.m.names))
	for i, s := range d.Sources {
		path := ""
		if s != nil {
			path = joinRoot(d.SourceRoot, *s)
		}
		var content *string
		if i < len(d.SourcesContent) {
			content = d.SourcesContent[i]
		}
		b.m.sources = append(b.m.sources, path)
		b.m.contents = append(b.m.contents, content)
	}
	b.m.names = append(b.m.names, d.Names...)
	for _, i := range d.IgnoreList {
		if i < 0 || int(i) >= len(d.Sources) {
			b.m.dropped++
			continue
		}
		b.m.ignored[srcBase+i] = true
	}
	off2, msg := b.decode(*d.Mappings, off, srcBase, nameBase, int32(len(d.Sources)), int32(len(d.Names)))
	if msg != "" {
		return fail(off2, "%s", msg)
	}
	return nil
}

func (b *builder) addSections(list []json.RawMessage, off Pos, outer int) error {
	if outer >= 0 {
		return &SyntaxError{Section: outer, Off: -1, Msg: "an index map within an index map is not allowed"}
	}
	last := Pos{Line: -1}
	for i, raw := range list {
		var s section
		if err := json.Unmarshal(raw, &s); err != nil {
			return &SyntaxError{Section: i, Off: -1, Msg: "unreadable: " + err.Error()}
		}
		at := Pos{s.Offset.Line, s.Offset.Column}
		if at.Line < last.Line || at.Line == last.Line && at.Col <= last.Col || at.Line < 0 || at.Col < 0 {
			return &SyntaxError{Section: i, Off: -1, Msg: "sections are not in order or overlap"}
		}
		last = at
		if err := b.add(s.Map, at, i); err != nil {
			return err
		}
	}
	return nil
}

// finish sorts unsorted segments and builds the line index.
func (b *builder) finish() {
	m := b.m
	if b.mixed {
		b.sortSegments()
	}
	n := int32(0)
	if k := len(b.genAt); k > 0 {
		n = b.genAt[k-1] + 1
	}
	m.lines = make([]int32, n+1)
	seg := int32(0)
	for line := range n {
		m.lines[line] = seg
		for int(seg) < len(b.genAt) && b.genAt[seg] == line {
			seg++
		}
	}
	m.lines[n] = seg
}

func (b *builder) compare(i, j int32) int {
	if b.genAt[i] != b.genAt[j] {
		return int(b.genAt[i]) - int(b.genAt[j])
	}
	return int(b.m.cols[i]) - int(b.m.cols[j])
}

func (b *builder) sortSegments() {
	idx := make([]int32, len(b.m.cols))
	for i := range idx {
		idx[i] = int32(i)
	}
	slices.SortStableFunc(idx, b.compare)
	for _, col := range []*[]int32{&b.genAt, &b.m.cols, &b.m.source, &b.m.srcLine, &b.m.srcCol, &b.m.name} {
		out := make([]int32, len(idx))
		for to, from := range idx {
			out[to] = (*col)[from]
		}
		*col = out
	}
}

// joinRoot puts sourceRoot before a source path
// (https://tc39.es/ecma426/#sec-DecodeSourceMapSources).
func joinRoot(root, source string) string {
	if root == "" {
		return source
	}
	return strings.TrimSuffix(root, "/") + "/" + source
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
// map says nothing or says that the code has no source.
func (m *Map) Find(p Pos) (o Original, ok bool) {
	if p.Line < 0 || p.Col < 0 || int(p.Line) >= len(m.lines)-1 {
		return o, false
	}
	lo, hi := int(m.lines[p.Line]), int(m.lines[p.Line+1])
	i := lo + sort.Search(hi-lo, func(i int) bool { return m.cols[lo+i] > p.Col }) - 1
	if i < lo || m.source[i] < 0 {
		return o, false
	}
	s := m.source[i]
	o = Original{Source: m.sources[s], Index: int(s), Pos: Pos{m.srcLine[i], m.srcCol[i]}, Ignored: m.ignored[s], Exact: m.cols[i] == p.Col}
	if m.name[i] >= 0 {
		o.Name = m.names[m.name[i]]
	}
	return o, true
}

// Lines is the number of generated lines the map speaks of, Segments the
// number of its segments.
func (m *Map) Lines() int { return len(m.lines) - 1 }

// Segments is the number of segments.
func (m *Map) Segments() int { return len(m.cols) }

// Dropped is how many segments, names of segments and entries of the
// ignoreList name what is not there: they were let go, the rest holds.
func (m *Map) Dropped() int { return m.dropped }

// Sources are the paths of the sources, in the map's order.
func (m *Map) Sources() []string { return m.sources }

// Content is the text of source i, ok false when the map does not hold it.
func (m *Map) Content(i int) (text string, ok bool) {
	if i < 0 || i >= len(m.contents) || m.contents[i] == nil {
		return "", false
	}
	return *m.contents[i], true
}

// Size estimates the map's memory in bytes, for a cache with a bound.
func (m *Map) Size() int {
	n := 24*len(m.cols) + 4*len(m.lines)
	for _, c := range m.contents {
		if c != nil {
			n += len(*c)
		}
	}
	for _, s := range m.names {
		n += len(s) + 16
	}
	return n
}

const maxField = math.MaxInt32
