package scrub

import (
	"bytes"
	"cmp"
	"iter"
	"slices"
	"strings"
)

// span is a stretch of a text that something else comes to represent.
type span struct {
	from, to int
	rule     string
	with     string
}

// textScan looks for secrets in one text.
type textScan struct {
	policy *Policy
	at     place
	spans  []span
	inside bool // of something that was encoded

	raw     bool // the text stands as in JSON, with its escapes
	escaped bool // it holds escapes that could hide something

	// Searches that reach far ahead remember what they found, so that time stays
	// linear: see ahead.
	kept    int   // up to here values were found and are kept
	atMark  ahead // the next @
	keyEnd  ahead // the last line of the next private key
	keyTail ahead // the end of that line
	value   ahead // the end of a bare value
	header  ahead // the end of a header's value
	looked  int   // up to here the text was taken for base64

	matches int // of a project's patterns
	steps   int // bytes looked at, for the proof that time is linear
}

// ahead remembers where a forward search ended. A later search from inside the
// stretch ends at the same place and is not run again.
type ahead struct{ from, to int }

// search answers where find ends when it starts at i.
func (s *textScan) search(a *ahead, i int, find func(i int) (to int)) int {
	if i < a.from || i > a.to || a.to == 0 {
		a.from, a.to = i, find(i)
		s.steps += a.to - i
	}
	return a.to
}

// The classes of characters: what words are made of, and what ends them.
const (
	isLower = 1 << iota
	isUpper
	isDigit
	isJoint // - and _
	isOther // beyond ASCII
	isSign  // no part of a word: what may tie a name to a value
	isBlank // no part of a word: a blank

	inText = isLower | isUpper | isDigit | isJoint | isOther
)

var class = func() (c [256]uint8) {
	for i := range 26 {
		c['a'+i], c['A'+i] = isLower, isUpper
	}
	for i := range 10 {
		c['0'+i] = isDigit
	}
	for i := 0x80; i < 0x100; i++ {
		c[i] = isOther
	}
	c['-'], c['_'] = isJoint, isJoint
	c[':'], c['='], c['@'], c['%'], c['.'], c['\\'], c[' '] = isSign, isSign, isSign, isSign, isSign, isSign, isBlank
	return c
}()

func word(c byte) bool { return class[c]&inText != 0 }

func digit(c byte) bool { return c-'0' < 10 }

// shortest is the length of the shortest text that can hold a secret by its
// name or looks: "pin=123".
const shortest = 7

// likely is a quick look whether a field's name could itself hold a secret.
func (s *textScan) likely(name []byte) bool {
	if s.policy.addresses || len(s.policy.patterns) > 0 {
		return true
	}
	if len(name) < longWord {
		return false
	}
	for _, c := range name {
		if digit(c) {
			return true
		}
	}
	return false
}

// scan looks at a text word by word: words that are long enough to be a
// secret, and the signs that tie a name to a value.
func (s *textScan) scan(t []byte) {
	s.kept, s.looked = 0, 0
	s.atMark, s.keyEnd, s.keyTail, s.value, s.header = ahead{}, ahead{}, ahead{}, ahead{}, ahead{}
	if len(s.policy.patterns) > 0 && !s.inside {
		s.patterns(t)
	}
	for i := 0; i < len(t); {
		var seen uint8
		j := i
		for j < len(t) {
			c := class[t[j]]
			if c&inText == 0 {
				break
			}
			seen |= c
			j++
		}
		s.steps += j - i + 1
		if n := j - i; n >= longWord && (seen&isDigit != 0 || t[i] == 'e' || t[i] == '-') {
			if next := s.long(t, i, j, seen); next > j {
				i = next
				continue
			}
		}
		if j >= len(t) {
			break
		}
		sign := class[t[j]]
		if sign == 0 || sign == isBlank &&
			(i == j || seen != isDigit && seen != isDigit|isUpper && t[i] != '-' && t[i]|0x20 != 'b') {
			i = j + 1
			continue
		}
		next := 0
		switch t[j] {
		case '\\':
			if !s.raw {
				break
			}
			next = j + 2
			if next <= len(t) && strings.IndexByte(`nrt"\`, t[j+1]) < 0 {
				s.escaped = true
				return
			}
		case ':':
			next = s.colon(t, i, j, seen)
		case '=':
			next = s.pair(t, j, j+1, false)
		case ' ':
			next = s.blank(t, i, j, seen)
		case '@':
			next = s.atSign(t, j)
		case '%':
			if j+2 < len(t) && t[j+1] == '3' && (t[j+2]|0x20 == 'd' || t[j+2]|0x20 == 'a') { // = and : in a URL's part
				next = s.pair(t, j, j+3, false)
			}
		case '.':
			if s.policy.addresses && seen == isDigit {
				next = s.ipv4(t, i, j)
			}
		}
		i = max(next, j+1)
	}
	s.order()
}

// order sorts what was found and joins what overlaps.
func (s *textScan) order() {
	if len(s.spans) < 2 {
		return
	}
	inOrder := func(a, b span) int { return cmp.Or(a.from-b.from, b.to-a.to) }
	if !slices.IsSortedFunc(s.spans, inOrder) {
		slices.SortStableFunc(s.spans, inOrder)
	}
	kept := s.spans[:1]
	for _, sp := range s.spans[1:] {
		if last := &kept[len(kept)-1]; sp.from >= last.to {
			kept = append(kept, sp)
		} else {
			last.to = max(last.to, sp.to)
		}
	}
	s.spans = kept
}

// take decides about t[from:to] and says whether it is to go.
func (s *textScan) take(kind Kind, t []byte, from, to int) bool {
	value := t[from:to]
	if from >= to || bytes.HasSuffix(value, []byte(Mark)) {
		return false
	}
	s.steps += (to - from) * (1 + len(s.policy.rules))
	d := s.policy.found(kind, s.at, value)
	with := Mark
	switch d.act {
	case Keep:
		s.kept = max(s.kept, to)
		return false
	case Shorten:
		with = shorten(kind, value)
	}
	if with == string(value) {
		return false
	}
	s.spans = append(s.spans, span{from, to, d.rule, with})
	return true
}

// Bounds of a search by a project's own patterns. A search may read to the end
// of its piece for every match, so pieces are short and matches are counted.
const (
	maxPiece   = 2 << 10 // bytes that are searched at once; longer texts are cut at line ends
	overlap    = 256     // bytes that the next piece repeats where a line had to be cut
	maxMatches = 2000    // in one event; after that a match takes the rest of its piece
)

// searchPieces cuts a text for the search by patterns. A match that begins at
// until or later is left to the next piece, which holds all of it.
func searchPieces(t []byte) iter.Seq2[[2]int, int] {
	return func(yield func([2]int, int) bool) {
		for from := 0; from < len(t); {
			end := min(from+maxPiece, len(t))
			next := end
			if end < len(t) {
				if n := bytes.LastIndexByte(t[from:end], '\n'); n >= 0 {
					end = from + n + 1
					next = end
				} else {
					next = end - overlap
				}
			}
			if !yield([2]int{from, end}, next) {
				return
			}
			from = next
		}
	}
}

// patterns looks for what a project's own patterns describe.
func (s *textScan) patterns(t []byte) {
	for _, n := range s.policy.patterns {
		r := &s.policy.rules[n]
		if len(r.Kinds) > 0 || len(r.Names) > 0 && !s.at.fits(r.Names) {
			continue
		}
		for piece, until := range searchPieces(t) {
			s.pattern(n, t[:piece[1]], piece[0], until)
		}
	}
}

// pattern looks for one rule's pattern in t from a place on, in matches that
// begin before until.
func (s *textScan) pattern(n int, t []byte, from, until int) {
	r := &s.policy.rules[n]
	left := max(0, maxMatches-s.matches)
	found := r.Match.FindAllIndex(t[from:], left+1)
	s.matches += len(found)
	s.steps += len(t[from:]) * (1 + len(found))
	for i, loc := range found {
		a, b := from+loc[0], from+loc[1]
		if a >= until {
			return
		}
		rest := i == left // no more searches: nothing that the pattern means may stay
		if rest {
			b = len(t)
		}
		value := t[a:b]
		if len(value) == 0 || !rest && (bytes.Contains(value, []byte(Mark)) || s.keptBefore(n, value)) {
			continue
		}
		with := Mark
		if r.Do == Shorten && !rest {
			with = shorten("", value)
		}
		s.spans = append(s.spans, span{a, b, r.Name, with})
	}
}

// keptBefore says whether a rule above number n keeps what a pattern found.
func (s *textScan) keptBefore(n int, value []byte) bool {
	for _, r := range s.policy.rules[:n] {
		if r.Do == Keep && len(r.Kinds) == 0 && r.Match != nil && r.Match.Match(value) &&
			(len(r.Names) == 0 || s.at.fits(r.Names)) {
			return true
		}
	}
	return false
}

// apply writes t with what was found replaced.
func (s *textScan) apply(b, t []byte) []byte {
	kept := 0
	for _, sp := range s.spans {
		b = append(append(b, t[kept:sp.from]...), sp.with...)
		kept = sp.to
	}
	return append(b, t[kept:]...)
}

// colon handles t[j] == ':' behind the word t[i:j].
func (s *textScan) colon(t []byte, i, j int, seen uint8) (next int) {
	if j+1 >= len(t) {
		return 0
	}
	if t[j+1] == '/' && j+2 < len(t) && t[j+2] == '/' {
		return s.userInfo(t, j+3)
	}
	if digit(t[j+1]) && !s.policy.addresses {
		if seen == isDigit {
			return 0
		}
		if next = lineAndColumn(t, j+1); next > 0 {
			return next
		}
	}
	if s.policy.addresses && (t[j+1] == ':' || word(t[j+1])) {
		if next = s.ipv6(t, i); next > 0 {
			return next
		}
	}
	return s.pair(t, j, j+1, true)
}
