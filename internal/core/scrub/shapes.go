package scrub

import (
	"bytes"
	"encoding/base64"
	"unicode/utf8"
)

// longWord is how long a word must be before it is looked at closely.
const longWord = 10

// prefixes begin access tokens and keys of services that mark them so; most
// of what follows must be letters and digits, at least so many.
var prefixes = []struct {
	text string
	rest int
}{
	{"AKIA", 16}, {"ASIA", 16}, {"AIza", 30}, {"ghp_", 20}, {"gho_", 20}, {"ghu_", 20}, {"ghs_", 20}, {"ghr_", 20},
	{"github_pat_", 20}, {"glpat-", 16},
	{"xoxb-", 10}, {"xoxp-", 10}, {"xoxa-", 10}, {"xoxr-", 10}, {"xoxs-", 10}, {"sk_live_", 10}, {"sk_test_", 10},
	{"rk_live_", 10}, {"whsec_", 16}, {"sk-", 20},
	{"npm_", 30}, {"pypi-", 20}, {"hf_", 20}, {"dop_v1_", 20}, {"shpat_", 20}, {"AGE-SECRET-KEY-1", 20},
}

// long looks closely at the word t[i:j]. next is where the walk goes on when
// something was found.
func (s *textScan) long(t []byte, i, j int, seen uint8) (next int) {
	if t[i] == '-' {
		return s.privateKey(t, i, j)
	}
	if t[i] == 'e' && t[i+1] == 'y' {
		if next := s.webToken(t, i, j); next > 0 {
			return next
		}
	}
	if seen&isDigit == 0 {
		return 0
	}
	s.steps += 2 * (j - i) // prefixed, random
	if prefixed(t, i, j) {
		if s.take(Token, t, i, j) {
			return j
		}
		return 0
	}
	if seen&^(isDigit|isJoint) == 0 {
		return s.cardWord(t, i, j)
	}
	if seen == isDigit|isUpper && iban(t[i:j]) {
		if s.take(IBAN, t, i, j) {
			return j
		}
		return 0
	}
	if j-i < 16 {
		return 0
	}
	if i >= s.looked {
		end := j // with the rest of base64
		for end < len(t) && (class[t[end]]&inText&^isOther != 0 || t[end] == '+' || t[end] == '/' || t[end] == '=') {
			end++
		}
		s.steps += 4 * (end - i) // its own walk, random, pathLike and decoded
		s.looked = end
		if digestText(t[i:end]) {
			return end
		}
		wide := end-j > 4 && end-i >= 28 && random(t[i:end], true) && !pathLike(t, i, end)
		if s.encoded(t, i, end) || wide && s.take(Token, t, i, end) {
			return end
		}
	}
	if j-i >= 24 && random(t[i:j], false) && s.take(Token, t, i, j) {
		return j
	}
	return 0
}

// prefixed says whether a word begins like a token that its service marks.
func prefixed(t []byte, i, j int) bool {
	w := t[i:j]
	for _, p := range prefixes {
		if len(w) < len(p.text) || string(w[:len(p.text)]) != p.text {
			continue
		}
		if len(w)-len(p.text) >= p.rest && digits(w[len(p.text):]) > 0 &&
			(p.text != "AKIA" && p.text != "ASIA" || len(w) == 20) {
			return true
		}
	}
	return false
}

func digits(w []byte) (n int) {
	for _, c := range w {
		if digit(c) {
			n++
		}
	}
	return n
}

// webToken looks for a JSON web token that begins at t[i]: parts of base64url
// with dots between them.
func (s *textScan) webToken(t []byte, i, j int) (next int) {
	if t[i+2] != 'J' || j >= len(t) || t[j] != '.' {
		return 0
	}
	end, parts := j, 1
	for parts < 5 && end < len(t) && t[end] == '.' {
		k := end + 1
		for k < len(t) && class[t[k]]&inText&^isOther != 0 {
			k++
		}
		s.steps += k - end
		if parts == 1 && k-end < 5 {
			return 0
		}
		end = k
		parts++
	}
	if s.take(JWT, t, i, end) {
		return end
	}
	return 0
}

// privateKey looks for a key in its textual encoding; one that is cut off goes
// to the end of the text.
func (s *textScan) privateKey(t []byte, i, j int) (next int) {
	if i < s.kept {
		return 0
	}
	head := t[i:min(len(t), i+64)]
	s.steps += len(head)
	if !bytes.HasPrefix(head, []byte("-----BEGIN")) || !bytes.Contains(head, []byte("PRIVATE KEY")) {
		return 0
	}
	last := s.search(&s.keyEnd, j, func(from int) int { return indexOrEnd(t, from, "-----END") })
	end := s.search(&s.keyTail, last, func(end int) int {
		for end < len(t) && t[end] != '\n' && t[end] != '\\' && t[end] != '"' {
			end++
		}
		return end
	})
	if s.take(PrivateKey, t, i, end) {
		return end
	}
	return 0
}

// digestText says whether a word is a digest that is written with its name:
// "sha384-…".
func digestText(w []byte) bool {
	return len(w) > 7 && string(w[:3]) == "sha" && digit(w[3]) && w[6] == '-'
}

// random says whether a word was drawn and not written: capitals, small
// letters and digits change too often for words of a language. Hexadecimal is
// never taken for a secret: ids and digests look the same.
func random(w []byte, base64 bool) bool {
	var lower, upper, nums, changes, run, longest, segment, best int
	hex := true
	last := uint8(0)
	for _, c := range w {
		k := class[c]
		hex = hex && (digit(c) || c|0x20 >= 'a' && c|0x20 <= 'f' || c == '-')
		switch k {
		case isLower:
			lower++
		case isUpper:
			upper++
		case isDigit:
			nums++
		case isOther:
			return false
		}
		if k == isLower {
			run++
			longest = max(longest, run)
		} else {
			run = 0
		}
		if k&(isLower|isUpper|isDigit) != 0 {
			if last != 0 && last != k {
				changes++
			}
			last = k
			segment++
			best = max(best, segment)
		} else {
			segment = 0
		}
	}
	letters := lower + upper + nums
	if hex || nums < 2 || longest > 8 {
		return false
	}
	if upper >= 2 && lower >= 2 {
		return changes*100 >= 40*letters
	}
	if base64 || upper > 0 { // one case alone: ids are made so
		return false
	}
	return best >= 32 && nums >= 4 && longest <= 7 && changes*100 >= 30*letters
}

// pathLike says whether t[i:end] is a part of a path or an address.
func pathLike(t []byte, i, end int) bool {
	if i > 0 && (t[i-1] == '/' || t[i-1] == '.') || end < len(t) && (t[end] == '.' || t[end] == ':' || t[end] == '?') {
		return true
	}
	parts := 0
	for part := range bytes.SplitSeq(t[i:end], []byte("/")) {
		if parts++; len(part) >= 20 {
			return false
		}
	}
	return parts > 4
}

// encoded says whether t[i:end] is base64 of a text that holds a secret, and
// takes it then.
func (s *textScan) encoded(t []byte, i, end int) bool {
	if s.inside || end-i < 16 {
		return false
	}
	plain, ok := decoded(t[i:end])
	if !ok {
		return false
	}
	in := textScan{policy: s.policy, at: s.at, inside: true}
	in.scan(plain)
	s.steps += in.steps
	return len(in.spans) > 0 && s.take(Encoded, t, i, end)
}

// decoded undoes base64 (RFC 4648, both alphabets) of a text.
func decoded(w []byte) ([]byte, bool) {
	w = bytes.TrimRight(w, "=")
	if len(w) < 4 || len(w)%4 == 1 {
		return nil, false
	}
	enc := base64.RawStdEncoding
	if bytes.ContainsAny(w, "-_") {
		enc = base64.RawURLEncoding
	}
	// Most of what looks like base64 is none, which its first bytes tell.
	var head [12]byte
	if n, err := enc.Decode(head[:], w[:min(len(w), 16)&^3]); err != nil || !printable(head[:n], true) {
		return nil, false
	}
	plain := make([]byte, enc.DecodedLen(len(w)))
	n, err := enc.Decode(plain, w)
	return plain[:n], err == nil && printable(plain[:n], false)
}

func printable(b []byte, cut bool) bool {
	for _, c := range b {
		if c < 0x20 && c != '\n' && c != '\t' && c != '\r' || c == 0x7F {
			return false
		}
	}
	for len(b) > 0 {
		r, n := utf8.DecodeRune(b)
		if r == utf8.RuneError && n == 1 {
			return cut && len(b) < utf8.UTFMax
		}
		b = b[n:]
	}
	return true
}
