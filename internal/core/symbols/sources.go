package symbols

import (
	"fmt"
	"math"
	"strings"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// Doubt says why the functions of a source are not, or not all, taken from it.
type Doubt struct{ Source, Why string }

// Doubts are some of them in a sentence, "" for none.
func Doubts(list []Doubt) string {
	if len(list) == 0 {
		return ""
	}
	words := fmt.Sprintf("of %d sources function names come from the generated file, not from their own text", len(list))
	if len(list) == 1 {
		words = "of one source function names come from the generated file, not from its own text"
	}
	for i, d := range list {
		if i == mostDoubts {
			return words + "; …"
		}
		words += "; " + d.Source + ": " + d.Why
	}
	return words
}

const mostDoubts = 3

// source is the text of a source with its functions.
type source struct {
	text  *sourcemap.Text
	src   string
	table *scope.Table
	// until is where the text stops to be what the build was made from.
	until sourcemap.Pos
}

var everywhere = sourcemap.Pos{Line: math.MaxInt32, Col: math.MaxInt32}

// find is the function around p, -1: none; known is false where the text is
// not to be trusted.
func (s *source) find(p sourcemap.Pos) (i int, known bool) {
	if !p.Before(s.until) {
		return -1, false
	}
	i, ok := s.table.Find(p)
	if !ok {
		return -1, true
	}
	return i, s.table.At(i).Kind != scope.Outside
}

// readSource reads the functions of a source. nil: it is no script, or, for
// the reason given, cannot be read.
func readSource(name, text string) (s *source, why string) {
	t := scope.ScanSource(name, text)
	if t == nil {
		return nil, ""
	}
	if t.Fault != nil {
		why = fmt.Sprintf("it cannot be read from line %d, column %d on", t.Fault.Line+1, t.Fault.Col+1)
	}
	if !t.Clean {
		return nil, why
	}
	return &source{src: text, text: sourcemap.NewText(text), table: t, until: everywhere}, why
}

// lineEnds gives a text the line ends that the build counted: where a map
// names more lines than there are "\n", it counted the others of ECMA-262 too.
func lineEnds(text string, lines int) string {
	if !strings.ContainsAny(text, "\r\u2028\u2029") || strings.Count(text, "\n") >= lines-1 {
		return text
	}
	return otherEnds.Replace(text)
}

var otherEnds = strings.NewReplacer("\r\n", "\r\n", "\r", "\n", "\u2028", "\n", "\u2029", "\n")

// A text is of another build from where more than disagreeShare of
// disagreeWindow places of the map that follow each other lie outside of its
// lines or within its words.
const (
	disagreeWindow = 40
	disagreeShare  = 0.4
)

// agreement counts, by line of a source, how many places of a map there are
// and how many disagree with the text.
type agreement struct {
	source *source
	lines  map[int32][2]int32
	last   sourcemap.Pos
}

// trust looks whether the map's places are where something begins in the
// texts of sources that were read, and bounds what is trusted of them.
func trust(m *sourcemap.Map, sources map[int]*source) {
	all := map[int32]*agreement{}
	for i, s := range sources {
		all[int32(i)] = &agreement{source: s, lines: map[int32][2]int32{}, last: sourcemap.Pos{Line: -1}}
	}
	if len(all) == 0 {
		return
	}
	for seg := range m.Positions.All() {
		if a := all[seg.Source]; a != nil {
			a.add(seg.Orig)
		}
	}
	for _, a := range all {
		a.source.until = a.until()
	}
}

func (a *agreement) add(p sourcemap.Pos) {
	step := p.Line == a.last.Line && p.Col == a.last.Col+1
	if step || p == a.last { // maps that name every character do not tell where words begin
		a.last = p
		return
	}
	a.last = p
	n := a.lines[p.Line]
	n[0]++
	off, ok := a.source.text.Offset(p)
	if !ok || off > 0 && off < len(a.source.src) && inWord(a.source.src[off-1]) && inWord(a.source.src[off]) {
		n[1]++
	}
	a.lines[p.Line] = n
}

func inWord(c byte) bool {
	return c == '_' || c == '$' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

// until is the line from which on the text disagrees.
func (a *agreement) until() sourcemap.Pos {
	last := int32(-1)
	for line := range a.lines {
		last = max(last, line)
	}
	from, all, bad := int32(0), int32(0), int32(0)
	for line := int32(0); line <= last; line++ {
		n := a.lines[line]
		all, bad = all+n[0], bad+n[1]
		if all < disagreeWindow && line < last {
			continue
		}
		if all >= disagreeWindow/4 && float64(bad) > disagreeShare*float64(all) {
			return sourcemap.Pos{Line: from}
		}
		if all >= disagreeWindow {
			from, all, bad = line+1, 0, 0
		}
	}
	return everywhere
}
