package scrub

import (
	"bytes"
	"fmt"
	"strconv"

	"firethorn/internal/core/text"
)

// MaxDepth is how deep JSON may be nested.
const MaxDepth = 64

// JSON scrubs a JSON text by the policy and says what it replaced. The result
// shares no memory with src unless nothing was replaced. It does not validate:
// valid JSON stays valid, and what is none comes out scrubbed all the same,
// save that nesting over MaxDepth is refused with a *DepthError.
func (p *Policy) JSON(src []byte) ([]byte, Report, error) { return p.Explain(src, nil) }

// Explain is JSON that also calls changed for each value that it changes, with the rule, the
// place, and the text around the value before and after. changed may be nil.
func (p *Policy) Explain(src []byte, changed func(rule, where, before, after string)) ([]byte, Report, error) {
	s := scanner{policy: p, src: src, changed: changed}
	return s.scrub()
}

type scanner struct {
	policy *Policy
	src    []byte
	out    []byte
	kept   int // src is copied to out up to here
	report Report
	depth  int
	levels [MaxDepth + 1]level
	text   textScan
	buf    []byte // of a string without its escapes
	marked int    // names that were replaced
	steps  int    // bytes looked at beside text's own, for the proof that time is linear
	// Names that mean no secret: the same few come again and again.
	harmless [32][]byte

	changed func(rule, where, before, after string) // called for each replaced value; may be nil
}

func (s *scanner) scrub() ([]byte, Report, error) {
	s.text.policy = s.policy
	s.text.at.path = s.path
	if err := s.run(); err != nil {
		return nil, nil, err
	}
	if s.out == nil {
		return s.src, nil, nil
	}
	return append(s.out, s.src[s.kept:]...), s.report, nil
}

// level is the walk's place in one array or object.
type level struct {
	from, to int // the name of the field, quotes included; to is 0 when there is none
	index    int // of the element, in an array
	array    bool
}

func (s *scanner) replace(from, to int, with []byte) {
	if s.out == nil {
		s.out = make([]byte, 0, len(s.src)+64)
	}
	s.out = append(append(s.out, s.src[s.kept:from]...), with...)
	s.kept = to
}

var quotedMark = []byte(`"` + Mark + `"`)

// run walks over the text. It follows the structure just as far as paths and
// values need it.
func (s *scanner) run() error {
	for i, seen := 0, 0; i < len(s.src); seen = i {
		s.steps += i - seen
		switch c := s.src[i]; c {
		case '"':
			end := text.JSONStringEnd(s.src, i)
			j := end
			for j < len(s.src) && space(s.src[j]) {
				j++
			}
			if j >= len(s.src) || s.src[j] != ':' {
				s.value(i, end)
				i = end
				continue
			}
			s.levels[s.depth].from, s.levels[s.depth].to = i, end
			next, err := s.field(i, end, skipSpace(s.src, j+1))
			if err != nil {
				return err
			}
			i = next
		case '{', '[':
			if s.depth++; s.depth > MaxDepth {
				return &DepthError{Off: i}
			}
			s.levels[s.depth] = level{array: c == '['}
			i++
		case '}', ']':
			s.depth = max(0, s.depth-1)
			i++
		case ',':
			s.levels[s.depth].index++
			i++
		case '0', '1', '2', '3', '4', '5', '6', '7', '8', '9':
			i = s.number(i)
		default:
			i++
		}
	}
	return nil
}

func space(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

func skipSpace(src []byte, i int) int {
	for i < len(src) && space(src[i]) {
		i++
	}
	return i
}

// field handles a name and, when it settles the matter, the value that begins
// at from; next is where the walk goes on.
func (s *scanner) field(nameFrom, nameTo, from int) (next int, err error) {
	raw := s.src[nameFrom+1 : max(nameFrom+1, nameTo-1)]
	slot := &s.harmless[slotOf(raw)]
	s.steps += len(raw)
	if len(*slot) > 0 && bytes.Equal(*slot, raw) {
		return from, nil
	}
	s.text.at.name = s.plain(nameFrom, nameTo)
	likely := s.text.likely(s.text.at.name)
	if likely {
		s.name(nameFrom, nameTo)
	}
	if !s.policy.fields && weigh(s.text.at.name) == none {
		if !likely {
			*slot = raw
		}
		return from, nil
	}
	at := place{bytes.Clone(s.text.at.name), s.path}
	s.steps += len(at.name)
	d, ok := s.policy.field(at)
	if !ok {
		return from, nil
	}
	to, err := s.valueEnd(from)
	if err != nil {
		return 0, err
	}
	v := s.src[from:to]
	s.steps += len(v)
	if d.act == Keep || len(v) == 0 || string(v) == "null" || string(v) == `""` || bytes.Equal(v, quotedMark) {
		return to, nil
	}
	with := quotedMark
	if d.act == Shorten && v[0] == '"' && len(v) > 1 {
		plain := s.plain(from, to)
		short := shorten("", plain)
		if short == string(plain) {
			return to, nil
		}
		with = appendString(nil, []byte(short))
	}
	s.replace(from, to, with)
	s.found(d.rule, s.path(), v, with)
	return to, nil
}

// slotOf is where a name is remembered.
func slotOf(name []byte) int {
	if len(name) == 0 {
		return 0
	}
	return (len(name)*5 + int(name[0]) + int(name[len(name)-1])*3) % 32
}

// name scrubs a field's name that holds a secret itself. Names stay different.
func (s *scanner) name(from, to int) {
	s.text.spans = s.text.spans[:0]
	s.text.scan(s.text.at.name)
	if len(s.text.spans) == 0 {
		return
	}
	rule := s.text.spans[0].rule
	with := `"` + Mark + `"`
	if s.marked++; s.marked > 1 {
		with = fmt.Sprintf(`"%s %d"`, Mark, s.marked)
	}
	s.levels[s.depth].to = 0
	s.report.add(rule, s.path()+" (a name)")
	s.replace(from, to, []byte(with))
}

// value scrubs the string at src[from:to], quotes included.
func (s *scanner) value(from, to int) {
	if to-from < shortest+2 && !s.policy.addresses && len(s.policy.patterns) == 0 {
		return
	}
	if to-from < 2 { // it has no end
		return
	}
	lv := &s.levels[s.depth]
	s.text.at.name = nil
	if lv.to > 0 {
		s.text.at.name = s.src[lv.from+1 : lv.to-1]
	}
	text := s.src[from+1 : to-1]
	s.text.spans = s.text.spans[:0]
	s.text.raw, s.text.escaped = true, false
	if len(s.policy.patterns) > 0 {
		s.text.escaped = bytes.IndexByte(text, '\\') >= 0
	}
	if !s.text.escaped {
		s.text.scan(text)
	}
	s.text.raw = false
	escaped := s.text.escaped || len(s.text.spans) > 0 && bytes.IndexByte(text, '\\') >= 0
	if escaped { // what is in doubt is looked at as it reads
		text = s.unescape(text)
		s.steps += len(text)
		s.text.spans = s.text.spans[:0]
		s.text.scan(text)
	}
	if len(s.text.spans) == 0 {
		return
	}
	where := s.path()
	for _, sp := range s.text.spans {
		s.report.add(sp.rule, where)
		if s.changed != nil {
			s.changed(sp.rule, where, around(text, sp, string(text[sp.from:sp.to])), around(text, sp, sp.with))
		}
	}
	if escaped {
		s.replace(from, to, appendString(nil, s.text.apply(nil, text)))
		return
	}
	for _, sp := range s.text.spans {
		s.replace(from+1+sp.from, from+1+sp.to, []byte(sp.with)) // a part of a text without escapes, or Mark
	}
}

// found notes what was replaced.
func (s *scanner) found(rule, where string, before, after []byte) {
	s.report.add(rule, where)
	if s.changed != nil {
		s.changed(rule, where, shown(before), shown(after))
	}
}

const (
	maxAround = 40  // bytes of a text beside what was replaced
	maxShown  = 160 // bytes of an example
)

// around is a piece of text with something in the place of a span.
func around(text []byte, sp span, with string) string {
	a, b := max(0, sp.from-maxAround), min(len(text), sp.to+maxAround)
	return shown(append(append(bytes.Clone(text[a:sp.from]), with...), text[sp.to:b]...))
}

func shown(b []byte) string {
	return string(bytes.ToValidUTF8(b[:min(len(b), maxShown)], nil))
}

// number scrubs a number that is a card's.
func (s *scanner) number(i int) int {
	end := i
	for end < len(s.src) &&
		(digit(s.src[end]) || s.src[end] == '.' || s.src[end]|0x20 == 'e' || s.src[end] == '-' || s.src[end] == '+') {
		end++
	}
	if _, ok := card(s.src[i:end]); !ok {
		return end
	}
	s.text.at.name = nil
	if lv := s.levels[s.depth]; lv.to > 0 {
		s.text.at.name = s.src[lv.from+1 : lv.to-1]
	}
	if d := s.policy.found(Card, s.text.at, s.src[i:end]); d.act != Keep {
		s.replace(i, end, quotedMark)
		s.found(d.rule, s.path(), s.src[i:end], quotedMark)
	}
	return end
}

// maxPath is how much of a path is reported and compared, in bytes.
const maxPath = 300

// path is where the walk stands: "attributes.url.full", "breadcrumbs[3].message".
func (s *scanner) path() string {
	var b []byte
	for i := 0; i <= s.depth && len(b) <= maxPath; i++ {
		switch lv := s.levels[i]; {
		case lv.array:
			b = append(strconv.AppendInt(append(b, '['), int64(lv.index), 10), ']')
		case lv.to > 0:
			if len(b) > 0 {
				b = append(b, '.')
			}
			b = append(b, s.src[lv.from+1:min(lv.to-1, lv.from+2+maxPath)]...)
		case i > 0 && s.marked > 0:
			b = append(b, "."+Mark...)
		}
	}
	s.steps += len(b)
	if len(b) > maxPath {
		b = append(bytes.ToValidUTF8(b[:maxPath], nil), "…"...)
	}
	return string(bytes.TrimPrefix(b, []byte(".")))
}

// valueEnd is the end of the JSON value that begins at i.
func (s *scanner) valueEnd(i int) (int, error) {
	depth := 0
	for i < len(s.src) {
		switch s.src[i] {
		case '"':
			i = text.JSONStringEnd(s.src, i)
			if depth == 0 {
				return i, nil
			}
			continue
		case '{', '[':
			if depth++; s.depth+depth > MaxDepth {
				return 0, &DepthError{Off: i}
			}
		case '}', ']':
			if depth == 0 {
				return i, nil
			}
			if depth--; depth == 0 {
				return i + 1, nil
			}
		case ',', '\n':
			if depth == 0 {
				return i, nil
			}
		}
		i++
	}
	return i, nil
}

// plain is the text of the string src[from:to]; it may share the buffer.
func (s *scanner) plain(from, to int) []byte {
	if to-from < 2 {
		return nil
	}
	raw := s.src[from+1 : to-1]
	if bytes.IndexByte(raw, '\\') < 0 {
		return raw
	}
	return s.unescape(raw)
}
