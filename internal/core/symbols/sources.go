package symbols

import (
	"fmt"
	"maps"
	"math"
	"strings"
	"sync"
	"unicode/utf8"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
)

// Doubt says why the functions of a source are not, or not all, taken from it.
type Doubt struct{ Source, Why string }

// Doubts reports them in a sentence, of the first few by name; "" for none.
func Doubts(list []Doubt) string {
	if len(list) == 0 {
		return ""
	}
	words := fmt.Sprintf(
		"of %d sources function names come from the generated file, not from their own text",
		len(list),
	)
	if len(list) == 1 {
		words = "of one source function names come from the generated file, not from its own text"
	}
	for i, d := range list {
		if i == maxDoubts {
			return words + "; …"
		}
		words += "; " + d.Source + ": " + d.Why
	}
	return words
}

const maxDoubts = 3

// source is the text of a source with its functions.
type source struct {
	text  *sourcemap.Text
	src   string
	table *scope.Table
	// until is where the text stops to be what the build was made from.
	until sourcemap.Pos
	// asking are its functions that request what they are given.
	asking map[string]bool
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

// digest makes the digest of function i once.
func (s *source) digest(i int) func() scope.Digest {
	return sync.OnceValue(func() (d scope.Digest) {
		if text := s.function(i); text != "" {
			d = scope.DigestOf(text)
		}
		return d
	})
}

// function is the text of function i.
func (s *source) function(i int) string {
	fn := s.table.At(i)
	from, ok := s.text.Offset(fn.Start)
	to, has := s.text.Offset(fn.End)
	if !ok || !has || from >= to || to > len(s.src) {
		return ""
	}
	return s.src[from:to]
}

// readSource reads the functions of a source. nil: it is no script, or, for
// the reason given, cannot be read.
func readSource(name, text string) (s *source, why string) {
	t := scope.ScanSource(name, text)
	if t == nil {
		return nil, ""
	}
	if t.Problem != nil {
		why = fmt.Sprintf("it cannot be read from line %d, column %d on", t.Problem.Line+1, t.Problem.Col+1)
	}
	if !t.Clean {
		return nil, why
	}
	s = &source{src: text, text: sourcemap.NewText(text), table: t, until: everywhere}
	s.asking = map[string]bool{}
	t.MarkOnBehalf(s.function, s.asking)
	return s, why
}

// maxForwardSteps is how often a request may be handed on from source to source.
const maxForwardSteps = 5

// markForwards finds the functions that only hand a request on to others, also
// to those of other sources. What dependencies request is their own affair.
func markForwards(m *sourcemap.Map, own map[int]*source) {
	asking := map[string]bool{}
	each := func(do func(s *source)) {
		for i, s := range own {
			if !strings.Contains(m.Source(i), "node_modules/") {
				do(s)
			}
		}
	}
	each(func(s *source) { maps.Copy(asking, s.asking) })
	for step, more := 0, true; more && step < maxForwardSteps; step++ {
		more = false
		each(func(s *source) { more = s.table.MarkForwards(s.function, asking) || more })
	}
}

// markErrors lets sources know of each other's classes of errors.
func markErrors(own map[int]*source) {
	known := map[string]bool{}
	for more := true; more; {
		more = false
		for _, s := range own {
			more = s.table.Errors(known) || more
		}
	}
	for _, s := range own {
		s.table.MarkErrors(known)
	}
}

// lineEnds gives texts the line ends that the build counted: where the map
// names more lines than there are "\n", it counted the others of ECMA-262 too.
func lineEnds(m *sourcemap.Map, texts map[int]string) {
	lines := map[int32]int{}
	for i, text := range texts {
		if strings.ContainsAny(text, "\r\u2028\u2029") {
			lines[int32(i)] = strings.Count(text, "\n") + 1
		}
	}
	if len(lines) == 0 {
		return
	}
	for seg := range m.Positions.All() {
		if n, odd := lines[seg.Source]; odd && int(seg.Orig.Line) >= n {
			texts[int(seg.Source)] = otherEnds.Replace(texts[int(seg.Source)])
			delete(lines, seg.Source)
		}
	}
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
	starts []int32 // of lines; nil: the text is not all ASCII
	lines  []counted
	last   sourcemap.Pos
}

type counted struct{ all, bad int32 }

// trust looks whether the map's places are where something begins in the
// texts of sources that were read, and bounds what is trusted of them.
func trust(m *sourcemap.Map, sources map[int]*source) {
	all := make([]*agreement, m.Sources())
	for i, s := range sources {
		all[i] = newAgreement(s)
	}
	if len(sources) == 0 {
		return
	}
	for seg := range m.Positions.All() {
		if seg.Source >= 0 && all[seg.Source] != nil {
			all[seg.Source].add(seg.Orig)
		}
	}
	for i, s := range sources {
		s.until = all[i].until()
	}
}

func newAgreement(s *source) *agreement {
	a := &agreement{source: s, last: sourcemap.Pos{Line: -1}}
	ascii := !strings.ContainsFunc(s.src, func(r rune) bool { return r >= utf8.RuneSelf })
	lines := 1 + strings.Count(s.src, "\n")
	a.lines = make([]counted, lines+1) // the last one for all that lie behind the text
	if ascii {
		a.starts = make([]int32, 1, lines+1)
		for i := range len(s.src) {
			if s.src[i] == '\n' {
				a.starts = append(a.starts, int32(i+1))
			}
		}
		a.starts = append(a.starts, int32(len(s.src)+1))
	}
	return a
}

func (a *agreement) add(p sourcemap.Pos) {
	step := p.Line == a.last.Line && p.Col == a.last.Col+1
	if step || p == a.last { // maps that name every character do not tell where words begin
		a.last = p
		return
	}
	a.last = p
	n := &a.lines[min(int(p.Line), len(a.lines)-1)]
	n.all++
	off, ok := a.offset(p)
	if src := a.source.src; !ok || off > 0 && off < len(src) && inWord(src[off-1]) && inWord(src[off]) {
		n.bad++
	}
}

func (a *agreement) offset(p sourcemap.Pos) (off int, ok bool) {
	if a.starts == nil {
		return a.source.text.Offset(p)
	}
	if int(p.Line) >= len(a.starts)-1 {
		return 0, false
	}
	off = int(a.starts[p.Line] + p.Col)
	return off, off < int(a.starts[p.Line+1])
}

func inWord(c byte) bool {
	return c == '_' || c == '$' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

// until is the line from which on the text disagrees.
func (a *agreement) until() sourcemap.Pos {
	from, sum := 0, counted{}
	for line, n := range a.lines {
		sum.all, sum.bad = sum.all+n.all, sum.bad+n.bad
		last := line == len(a.lines)-1
		if sum.all < disagreeWindow && !last {
			continue
		}
		if sum.all >= disagreeWindow/4 && float64(sum.bad) > disagreeShare*float64(sum.all) {
			return sourcemap.Pos{Line: int32(from)}
		}
		from, sum = line+1, counted{}
	}
	return everywhere
}
