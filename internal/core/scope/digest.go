package scope

import (
	"encoding/base64"
	"encoding/binary"
	"hash/fnv"
	"strings"
)

// Digest is a hash of the text of a function, wherever it lies and however it is
// set: its tokens without comments, white space and the names of its locals.
// Two digests can be compared for how much of their texts is the same.
type Digest struct {
	Hash   uint64      // of all tokens
	Sketch [slots]byte // by which likeness is estimated
	Tokens int         // how many there are, at most 65,535
}

// slots is how many minimal hashes a sketch holds. The estimate's standard
// error is at most 1/(2·√64), a sixteenth.
const slots = 64

// gram is how many tokens that follow each other are one feature.
const gram = 3

// maxDeclared is how many tokens one declaration, or one list of parameters,
// is read for names; maxText how many bytes of a function are digested.
const (
	maxDeclared = 300
	maxText     = 256 << 10
)

// DigestOf digests the text of a function.
func DigestOf(text string) Digest {
	text = text[:min(len(text), maxText)]
	words := normal(text)
	d := Digest{Tokens: min(len(words), 1<<16-1)}
	all := fnv.New64a()
	hashes := make([]uint64, len(words))
	for i, w := range words {
		h := fnv.New64a()
		h.Write([]byte(w))
		hashes[i] = h.Sum64()
		all.Write([]byte(w))
		all.Write([]byte{0})
	}
	d.Hash = all.Sum64()
	var least [slots]uint64
	for i := range least {
		least[i] = 1<<64 - 1
	}
	for i := 0; i+gram <= len(hashes); i++ {
		h := uint64(0)
		for _, x := range hashes[i : i+gram] {
			h = mix(h*31 + x)
		}
		for s := range least {
			least[s] = min(least[s], mix(h+uint64(s)*0x9e3779b97f4a7c15))
		}
	}
	for s, x := range least {
		d.Sketch[s] = byte(x)
	}
	return d
}

// mix spreads the bits of x (the finaliser of MurmurHash3).
func mix(x uint64) uint64 {
	x ^= x >> 33
	x *= 0xff51afd7ed558ccd
	x ^= x >> 33
	x *= 0xc4ceb9fe1a85ec53
	return x ^ x>>33
}

// Like estimates which share of their features two texts have in common
// (Jaccard's index of runs of three tokens): 1 for equal ones.
func (d Digest) Like(other Digest) float64 {
	switch {
	case d.Hash == other.Hash && d.Tokens == other.Tokens:
		return 1
	case d.Tokens < gram || other.Tokens < gram:
		return 0
	}
	same := 0
	for s := range d.Sketch {
		if d.Sketch[s] == other.Sketch[s] {
			same++
		}
	}
	const chance = 1.0 / 256 // that two slots are equal without reason
	return min(max((float64(same)/slots-chance)/(1-chance), 0), 0.999)
}

// IsZero says whether d is the digest of no text.
func (d Digest) IsZero() bool { return d.Tokens == 0 }

// String writes a digest in 99 characters, "" for that of no text.
func (d Digest) String() string {
	if d.IsZero() {
		return ""
	}
	raw := binary.LittleEndian.AppendUint64(make([]byte, 0, 10+slots), d.Hash)
	raw = binary.LittleEndian.AppendUint16(raw, uint16(d.Tokens))
	return base64.RawStdEncoding.EncodeToString(append(raw, d.Sketch[:]...))
}

// ParseDigest reads what String wrote; the zero Digest where that is nothing.
func ParseDigest(s string) (d Digest) {
	raw, err := base64.RawStdEncoding.DecodeString(s)
	if err != nil || len(raw) != 10+slots {
		return d
	}
	d.Hash, d.Tokens = binary.LittleEndian.Uint64(raw), int(binary.LittleEndian.Uint16(raw[8:]))
	copy(d.Sketch[:], raw[10:])
	return d
}

// normal gives the tokens of a function's text, each local name as "_".
func normal(text string) []string {
	list := tokens(text)
	local := locals(text, list)
	out := make([]string, 0, len(list))
	for i, t := range list {
		word := text[t.start:t.end]
		if t.kind == kName && local[word] && !isMember(list, i) {
			word = "_"
		}
		out = append(out, word)
	}
	return out
}

// tokens cuts a text as well as that goes without its grammar.
func tokens(text string) (out []token) {
	l := lexer{src: text, budget: len(text) + 1}
	var open []kind // what "}" ends: a template's expression, or a block
	last := kSemicolon
	for l.next(); l.tok.kind != kEOF; l.next() {
		switch k := l.tok.kind; {
		case (k == kDivide || k == kAssign && strings.HasPrefix(l.text(l.tok), "/")) && !endsOperand(last) &&
			last != kCloseParen && last != kCloseBracket && last != kCloseBrace:
			l.regexp()
		case k == kTemplateHead, k == kOpenBrace:
			open = append(open, k)
		case k == kCloseBrace && len(open) > 0:
			if open[len(open)-1] == kTemplateHead {
				l.again()
				if l.tok.kind == kTemplateMiddle {
					break
				}
			}
			open = open[:len(open)-1]
		}
		if l.tok.kind == kEOF {
			break
		}
		out = append(out, l.tok)
		last = l.tok.kind
	}
	return out
}

func isMember(list []token, i int) bool {
	return i > 0 && (list[i-1].kind == kDot || list[i-1].kind == kOptional)
}

// locals are the names that a function's text declares: variables, parameters,
// what is caught, functions within.
func locals(text string, list []token) map[string]bool {
	out, ends := map[string]bool{}, closings(list)
	name := func(i int) {
		if i < len(list) && list[i].kind == kName {
			out[text[list[i].start:list[i].end]] = true
		}
	}
	for i, t := range list {
		switch t.kind {
		case kConst, kVar:
			declared(list, i+1, name)
		case kName:
			if w := text[t.start:t.end]; w == "let" {
				declared(list, i+1, name)
			}
			if i+1 < len(list) && list[i+1].kind == kArrow {
				name(i)
			}
		case kFunction:
			name(i + 1)
		case kOpenParen:
			if end := ends[i]; end-i <= maxDeclared && parameters(list, i, end) {
				for j := i + 1; j < end; j++ {
					if !isMember(list, j) && (list[j-1].kind != kColon) {
						name(j)
					}
				}
			}
		}
	}
	return out
}

// declared names what a declaration binds, up to what it is set to.
func declared(list []token, i int, name func(int)) {
	for depth, end := 0, min(len(list), i+maxDeclared); i < end; i++ {
		switch list[i].kind {
		case kOpenBrace, kOpenBracket:
			depth++
		case kCloseBrace, kCloseBracket:
			depth--
		case kEqual, kSemicolon, kIn, kCloseParen:
			if depth == 0 {
				return
			}
		case kColon:
			if depth == 0 {
				return // its type follows
			}
		case kName:
			name(i)
		}
	}
}

// closings says of each "(" where it is closed, the end of the list where it is not.
func closings(list []token) map[int]int {
	out := map[int]int{}
	var open []int
	for i, t := range list {
		switch {
		case t.kind == kOpenParen:
			open = append(open, i)
			out[i] = len(list)
		case t.kind == kCloseParen && len(open) > 0:
			out[open[len(open)-1]] = i
			open = open[:len(open)-1]
		}
	}
	return out
}

// parameters says whether a group in brackets is a function's parameters: the
// first of the text, before an arrow or a body, or what is caught.
func parameters(list []token, i, end int) bool {
	if end+1 >= len(list) {
		return false
	}
	switch next := list[end+1].kind; {
	case i > 0 && list[i-1].kind == kCatch, next == kArrow:
		return true
	case i > 0 && (list[i-1].kind == kIf || list[i-1].kind == kFor || list[i-1].kind == kWhile ||
		list[i-1].kind == kSwitch || list[i-1].kind == kWith):
		return false
	default:
		return next == kOpenBrace || next == kColon && i < 4
	}
}
