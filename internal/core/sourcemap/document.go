package sourcemap

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// document is the JSON of a map, plain or index
// (https://tc39.es/ecma426/#sec-source-map-format). Strings are where they
// stand in the text, 0 for none.
type document struct {
	version           string
	file, debugID     string
	root              string
	sources, contents []uint32
	names             []uint32
	ignore            []int32
	mappings          int
	hasMappings       bool
	sections          []section
	hasSections       bool
}

// section is one part of an index map.
type section struct {
	at  Pos
	doc document
}

// reader reads documents and collects what they hold in one map.
type reader struct {
	m       *Map
	groups  []group
	section int // which section of the outermost map is being read, -1: none
}

// sectionsDeep is how deep index maps may lie within index maps.
const sectionsDeep = 16

func (r *reader) fail(format string, args ...any) error {
	return &SyntaxError{Section: r.section, Off: -1, Msg: fmt.Sprintf(format, args...)}
}

// whole reads the document that is all of raw.
func (r *reader) whole(raw []byte) (d document, err error) {
	i := 0
	if bytes.HasPrefix(raw, []byte("\xef\xbb\xbf")) {
		i = 3
	}
	if bytes.HasPrefix(raw[i:], []byte(")]}'")) {
		if n := bytes.IndexAny(raw[i:], "\r\n"); n >= 0 {
			i += n
		}
	}
	i = r.m.scan.blank(i)
	i, err = r.document(i, 0, &d)
	if err == nil {
		if i = r.m.scan.blank(i); i < len(raw) {
			err = &broken{i, "text behind the end"}
		}
	}
	if b, ok := err.(*broken); ok {
		return d, r.fail("this is no source map: %v", b)
	}
	return d, err
}

// document reads one map that begins at i. Members of a wrong type count as
// absent where the standard leaves that open.
func (r *reader) document(i, deep int, d *document) (int, error) {
	s := r.m.scan
	if s.kind(i) != '{' {
		if _, err := s.skip(i); err != nil {
			return i, err
		}
		return i, r.fail("this is no source map, which is a JSON object")
	}
	return s.members(i, func(name string, at int) (next int, err error) {
		switch name {
		case "version":
			next, err = s.skip(at)
			if err == nil {
				d.version = string(s.raw[at:next])
			}
			return next, err
		case "file":
			return r.string(at, &d.file)
		case "debugId":
			return r.string(at, &d.debugID)
		case "sourceRoot":
			return r.string(at, &d.root)
		case "sources":
			return r.strings(at, &d.sources)
		case "sourcesContent":
			return r.strings(at, &d.contents)
		case "names":
			return r.strings(at, &d.names)
		case "ignoreList":
			return r.indexes(at, &d.ignore)
		case "mappings":
			d.hasMappings, d.mappings = true, at
			if s.kind(at) != '"' {
				return at, r.fail("\"mappings\" is no string")
			}
			return s.str(at)
		case "sections":
			d.hasSections = true
			return r.sections(at, deep, d)
		}
		return s.skip(at)
	})
}

// string reads an optional string.
func (r *reader) string(at int, to *string) (int, error) {
	next, err := r.m.scan.skip(at)
	if err != nil {
		return next, err
	}
	*to = r.m.scan.text(at)
	if k := r.m.scan.kind(at); k != '"' && k != 'n' {
		r.m.dropped++
	}
	return next, nil
}

// strings reads an optional list of strings and nulls.
func (r *reader) strings(at int, to *[]uint32) (int, error) {
	*to = nil
	return r.list(at, func(at int) {
		switch r.m.scan.kind(at) {
		case '"':
			*to = append(*to, uint32(at))
			return
		case 'n':
		default:
			r.m.dropped++
		}
		*to = append(*to, 0)
	})
}

// indexes reads an optional list of indexes.
func (r *reader) indexes(at int, to *[]int32) (int, error) {
	*to = nil
	return r.list(at, func(at int) {
		if n, ok := r.m.scan.integer(at); ok && n >= 0 {
			*to = append(*to, n)
		} else {
			r.m.dropped++
		}
	})
}

// list reads an optional list; any other value but null is dropped.
func (r *reader) list(at int, each func(at int)) (int, error) {
	s := r.m.scan
	if k := s.kind(at); k != '[' {
		if k != 'n' {
			r.m.dropped++
		}
		return s.skip(at)
	}
	return s.elements(at, func(at int) (int, error) {
		next, err := s.skip(at)
		if err == nil {
			each(at)
		}
		return next, err
	})
}

// sections reads the parts of an index map
// (https://tc39.es/ecma426/#sec-DecodeIndexSourceMap).
func (r *reader) sections(at, deep int, d *document) (int, error) {
	s := r.m.scan
	if s.kind(at) != '[' {
		return at, r.fail("\"sections\" is no list")
	}
	if deep == sectionsDeep {
		return at, r.fail("index maps lie within index maps more than %d deep", sectionsDeep)
	}
	outermost := r.section < 0
	defer func() {
		if outermost {
			r.section = -1
		}
	}()
	d.sections = nil
	return s.elements(at, func(at int) (int, error) {
		if outermost {
			r.section = len(d.sections)
		}
		var part section
		hasOffset, hasMap := false, false
		if s.kind(at) != '{' {
			return at, r.fail("a section is no object")
		}
		next, err := s.members(at, func(name string, at int) (int, error) {
			switch name {
			case "offset":
				hasOffset = true
				return r.offset(at, &part.at)
			case "map":
				hasMap = true
				part.doc = document{}
				return r.document(at, deep+1, &part.doc)
			}
			return s.skip(at)
		})
		switch {
		case err != nil:
			return at, err
		case !hasOffset:
			return at, r.fail("a section has no \"offset\"")
		case !hasMap:
			return at, r.fail("a section has no \"map\"")
		}
		if k := len(d.sections); k > 0 && !d.sections[k-1].at.Before(part.at) {
			return at, r.fail("sections are not in order or overlap")
		}
		d.sections = append(d.sections, part)
		return next, nil
	})
}

// offset reads where a section begins.
func (r *reader) offset(at int, to *Pos) (int, error) {
	s := r.m.scan
	if s.kind(at) != '{' {
		return at, r.fail("the \"offset\" of a section is no object")
	}
	*to = Pos{-1, -1}
	next, err := s.members(at, func(name string, at int) (int, error) {
		n, ok := s.integer(at)
		if !ok {
			n = -1
		}
		switch name {
		case "line":
			to.Line = n
		case "column":
			to.Col = n
		}
		return s.skip(at)
	})
	if err == nil && (to.Line < 0 || to.Col < 0) {
		return at, r.fail("the \"offset\" of a section needs \"line\" and \"column\", whole numbers from 0")
	}
	return next, err
}

// collect checks a document and takes what it holds into the map: sources,
// names, and its mappings as groups to be decoded.
func (r *reader) collect(d document, at, until Pos, deep int) error {
	if err := r.version(d.version); err != nil {
		return err
	}
	if d.hasSections {
		if d.hasMappings {
			return r.fail("a map with \"sections\" has no \"mappings\" of its own")
		}
		for i, part := range d.sections {
			if deep == 0 {
				r.section = i
			}
			begin, stop := plus(at, part.at), until
			if i+1 < len(d.sections) {
				if next := plus(at, d.sections[i+1].at); next.Before(stop) {
					stop = next
				}
			}
			if err := r.collect(part.doc, begin, stop, deep+1); err != nil {
				return err
			}
		}
		return nil
	}
	if !d.hasMappings {
		return r.fail("\"mappings\" is missing")
	}
	m := r.m
	g := group{text: r.mappings(d.mappings), at: at, until: until, section: r.section, source: int32(len(m.sources)),
		name: int32(len(m.names)), sources: int32(len(d.sources)), names: int32(len(d.names))}
	if d.root != "" || len(m.roots) > 0 {
		path := ""
		if d.root != "" {
			path = strings.TrimSuffix(d.root, "/") + "/"
		}
		m.roots = append(m.roots, root{len(m.sources), path})
	}
	for _, i := range d.ignore {
		if i >= g.sources {
			m.dropped++
			continue
		}
		if m.ignored == nil {
			m.ignored = map[int32]bool{}
		}
		m.ignored[g.source+i] = true
	}
	if r.section < 0 { // the only document: its lists are the map's
		m.sources, m.names = d.sources, d.names
		m.contents = d.contents[:min(len(d.contents), len(d.sources))]
	} else {
		m.contents = append(m.contents, make([]uint32, len(m.sources)-len(m.contents))...)
		m.sources, m.names = append(m.sources, d.sources...), append(m.names, d.names...)
		m.contents = append(m.contents, d.contents[:min(len(d.contents), len(d.sources))]...)
	}
	m.dropped += max(0, len(d.contents)-len(d.sources))
	r.groups = append(r.groups, g)
	return nil
}

// plus is where at, counted from a section's begin, lies in the whole.
func plus(begin, at Pos) Pos {
	line := int64(begin.Line) + int64(at.Line)
	if line > math.MaxInt32 {
		return end
	}
	if at.Line > 0 {
		return Pos{int32(line), at.Col}
	}
	return Pos{int32(line), int32(min(int64(begin.Col)+int64(at.Col), math.MaxInt32))}
}

func (r *reader) version(v string) error {
	if n, err := strconv.ParseFloat(v, 64); err == nil && n == 3 {
		return nil
	}
	if v == "" {
		return r.fail("\"version\" is missing: this is no source map")
	}
	return r.fail("\"version\" is %.20s; only 3 is known", v)
}

// mappings is the text of the string at i.
func (r *reader) mappings(i int) []byte {
	last, err := r.m.scan.str(i)
	if err != nil {
		return nil
	}
	text := r.m.scan.raw[i+1 : last-1]
	if bytes.IndexByte(text, '\\') >= 0 { // some write "/" as "\/"
		return []byte(r.m.scan.text(i))
	}
	return text
}
