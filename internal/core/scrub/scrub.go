// Package scrub takes secrets out of raw JSON before anything is written. It
// replaces the values under names that mean secrets, and the values of such
// names inside texts ("?token=…", "password=…", "Authorization: Bearer …").
// One pass over the text; what is clean stays byte for byte as it was.
package scrub

import (
	"bytes"
	"fmt"

	"firethorn/internal/core/rawjson"
)

// Mark stands where a secret stood.
const Mark = "[scrubbed]"

// MaxDepth is how deep JSON may be nested.
const MaxDepth = 64

// DepthError is the refusal of JSON that is nested too deep.
type DepthError struct{ Off int }

func (e *DepthError) Error() string {
	return fmt.Sprintf("nested deeper than %d levels at byte %d", MaxDepth, e.Off)
}

// secretWords are the words that make a name mean a secret, compared without
// case and separators.
var secretWords = bytes.Fields([]byte("password passwd passphrase secret apikey accesskey privatekey authorization credential cookie" +
	" sessiontoken accesstoken refreshtoken idtoken authtoken csrf xsrf bearer cardnumber creditcard cvv iban"))

// secretsBy are the secret words by their first letter.
var secretsBy = func() (by ['z' + 1][][]byte) {
	for _, w := range secretWords {
		by[w[0]] = append(by[w[0]], w)
	}
	return by
}()

// wholeWords mean a secret only as a whole name or its last part.
var wholeWords = map[string]bool{"token": true, "pwd": true, "auth": true, "pin": true, "otp": true, "jwt": true, "signature": true, "sig": true, "cvc": true, "pass": true}

// Name says whether a name means a secret.
func Name[T string | []byte](name T) bool {
	if len(name) < 3 || len(name) > 200 {
		return false
	}
	var flat [200]byte // the name without case and separators
	n, part := 0, 0    // part is where its last word begins
	lower := false
	for i := range len(name) {
		c := name[i]
		switch {
		case c >= 'A' && c <= 'Z':
			if lower {
				part = n
			}
			flat[n], lower = c|0x20, false
			n++
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			flat[n], lower = c, true
			n++
		default:
			part, lower = n, false
		}
	}
	if last := n - part; last >= 3 && last <= 9 && wholeWords[string(flat[part:n])] {
		return true
	}
	for i := range n {
		for _, w := range secretsBy[flat[i]] {
			if n-i >= len(w) && string(flat[i:i+len(w)]) == string(w) {
				return true
			}
		}
	}
	return false
}

// JSON scrubs a JSON text. The result shares no memory with src unless
// nothing was replaced. It does not validate: what is no JSON comes out as it
// went in, save that nesting over MaxDepth is refused with a *DepthError.
func JSON(src []byte) ([]byte, error) {
	s := scanner{src: src}
	if err := s.run(); err != nil {
		return nil, err
	}
	if s.out == nil {
		return src, nil
	}
	return append(s.out, src[s.kept:]...), nil
}

type scanner struct {
	src   []byte
	out   []byte
	kept  int // src is copied to out up to here
	depth int
}

func (s *scanner) replace(from, to int, with string) {
	if s.out == nil {
		s.out = make([]byte, 0, len(s.src))
	}
	s.out = append(append(s.out, s.src[s.kept:from]...), with...)
	s.kept = to
}

func (s *scanner) run() error {
	for i := 0; i < len(s.src); {
		switch s.src[i] {
		case '"':
			end := rawjson.StringEnd(s.src, i)
			text := s.src[i:end]
			j := skipSpace(s.src, end)
			if j < len(s.src) && s.src[j] == ':' && Name(unquote(text)) {
				from := skipSpace(s.src, j+1)
				to, err := s.valueEnd(from)
				if err != nil {
					return err
				}
				if v := s.src[from:to]; len(v) > 0 && string(v) != "null" && string(v) != `""` {
					s.replace(from, to, `"`+Mark+`"`)
				}
				i = to
				continue
			}
			s.text(i, end)
			i = end
		case '{', '[':
			if s.depth++; s.depth > MaxDepth {
				return &DepthError{Off: i}
			}
			i++
		case '}', ']':
			s.depth--
			i++
		default:
			i++
		}
	}
	return nil
}

// text scrubs pairs inside the string src[from:to], quotes included: name=value
// and name: value, quoted or not, also behind backslashes.
func (s *scanner) text(from, to int) {
	body := s.src[from:to]
	signs := signs{text: body, equals: -1, colon: -1}
	for i := signs.next(1); i < len(body); i = signs.next(i + 1) {
		if !Name(nameBefore(body, i)) {
			continue
		}
		start := valueStart(body, i+1)
		n := bytes.IndexAny(body[start:], valueEnds)
		if n < 0 {
			n = len(body) - start
		}
		if n >= 3 {
			s.replace(from+start, from+start+n, Mark)
			i = start + n - 1
		}
	}
}

// signs finds the signs that tie a name to its value. Most texts have none of
// one kind, which one search over the text tells.
type signs struct {
	text          []byte
	equals, colon int // the next ones
}

// next is the first sign at i or behind it; the text's length when none is left.
func (s *signs) next(i int) int {
	s.equals, s.colon = s.from(s.equals, i, '='), s.from(s.colon, i, ':')
	return min(s.equals, s.colon)
}

func (s *signs) from(known, i int, sign byte) int {
	if known >= i {
		return known
	}
	if i < len(s.text) {
		if n := bytes.IndexByte(s.text[i:], sign); n >= 0 {
			return i + n
		}
	}
	return len(s.text)
}

// valueEnds are the characters that end a value in a text.
const valueEnds = " &\"'\\;,<>#)"

// nameBefore is the name that ends before body[i], which ties it to a value.
func nameBefore(body []byte, i int) []byte {
	if body[i] == ':' && (body[i-1] == '"' || body[i-1] == '\'') {
		if i--; i > 0 && body[i-1] == '\\' {
			i--
		}
	}
	end := i
	for i > 0 && end-i < 64 && wordByte(body[i-1]) {
		i--
	}
	return body[i:end]
}

func wordByte(c byte) bool {
	return c == '_' || c == '.' || c == '-' || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z'
}

// valueStart skips what may stand between a name's sign and its value.
func valueStart(body []byte, i int) int {
	if body[i-1] == ':' {
		if i < len(body) && body[i] == ' ' {
			i++
		}
		if i+1 < len(body) && body[i] == '\\' && (body[i+1] == '"' || body[i+1] == '\'') {
			i += 2
		} else if i < len(body)-1 && body[i] == '\'' {
			i++
		}
	}
	for _, scheme := range []string{"Bearer ", "Basic "} {
		if bytes.HasPrefix(body[i:], []byte(scheme)) {
			return i + len(scheme)
		}
	}
	return i
}

// valueEnd is the end of the JSON value that begins at i.
func (s *scanner) valueEnd(i int) (int, error) {
	depth := 0
	for i < len(s.src) {
		switch s.src[i] {
		case '"':
			i = rawjson.StringEnd(s.src, i)
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

func skipSpace(src []byte, i int) int {
	for i < len(src) && (src[i] == ' ' || src[i] == '\t' || src[i] == '\n' || src[i] == '\r') {
		i++
	}
	return i
}

// unquote strips the quotes and undoes \u escapes of ASCII, which is all a
// secret's name can hide behind.
func unquote(b []byte) []byte {
	if len(b) < 2 {
		return nil
	}
	b = b[1 : len(b)-1]
	if bytes.IndexByte(b, '\\') < 0 {
		return b
	}
	var out bytes.Buffer
	for i := 0; i < len(b); i++ {
		if b[i] == '\\' && i+5 < len(b) && b[i+1] == 'u' {
			var n int
			if _, err := fmt.Sscanf(string(b[i+2:i+6]), "%04x", &n); err == nil && n < 128 {
				out.WriteByte(byte(n))
				i += 5
				continue
			}
		}
		out.WriteByte(b[i])
	}
	return out.Bytes()
}
