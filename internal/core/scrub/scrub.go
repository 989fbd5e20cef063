// Package scrub takes secrets out of raw JSON before anything is written. It
// replaces the values under names that mean secrets, and the values of such
// names inside texts ("?token=…", "password=…", "Authorization: Bearer …").
// One pass over the text; what is clean stays byte for byte as it was.
package scrub

import (
	"bytes"
	"fmt"
	"regexp"
	"strings"
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
var secretWords = []string{
	"password", "passwd", "passphrase", "secret", "apikey", "accesskey", "privatekey", "authorization",
	"credential", "setcookie", "cookie", "sessiontoken", "accesstoken", "refreshtoken", "idtoken", "authtoken", "csrf", "xsrf", "bearer", "cardnumber", "creditcard", "cvv", "iban",
}

// wholeWords mean a secret only as a whole name or its last part.
var wholeWords = map[string]bool{"token": true, "pwd": true, "auth": true, "pin": true, "otp": true, "jwt": true, "signature": true, "sig": true, "cvc": true, "pass": true}

// Name says whether a name means a secret.
func Name(name string) bool {
	if len(name) > 200 {
		return false
	}
	var flat, part strings.Builder
	lastLower := false
	for _, c := range []byte(name) {
		switch {
		case c >= 'A' && c <= 'Z':
			if lastLower {
				part.Reset()
			}
			c |= 0x20
			flat.WriteByte(c)
			part.WriteByte(c)
			lastLower = false
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			flat.WriteByte(c)
			part.WriteByte(c)
			lastLower = true
		default:
			part.Reset()
			lastLower = false
		}
	}
	if wholeWords[part.String()] {
		return true
	}
	s := flat.String()
	for _, w := range secretWords {
		if strings.Contains(s, w) {
			return true
		}
	}
	return false
}

// inText finds name=value and name: value pairs within a text. Names are
// checked by Name.
var inText = regexp.MustCompile(`([A-Za-z][\w.-]{1,40})(=|(?:\\?["'])?:\s?(?:\\?["'])?(?:Bearer |Basic )?)([^\s&"'\\;,<>#)]{3,})`)

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
			end := stringEnd(s.src, i)
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

// text scrubs pairs inside the string src[from:to], quotes included.
func (s *scanner) text(from, to int) {
	body := s.src[from:to]
	if bytes.IndexByte(body, '=') < 0 && bytes.IndexByte(body, ':') < 0 {
		return
	}
	for _, m := range inText.FindAllSubmatchIndex(body, -1) {
		if Name(string(body[m[2]:m[3]])) {
			s.replace(from+m[6], from+m[7], Mark)
		}
	}
}

// valueEnd is the end of the JSON value that begins at i.
func (s *scanner) valueEnd(i int) (int, error) {
	depth := 0
	for i < len(s.src) {
		switch s.src[i] {
		case '"':
			i = stringEnd(s.src, i)
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

func stringEnd(src []byte, i int) int {
	for i++; i < len(src); i++ {
		switch src[i] {
		case '\\':
			i++
		case '"':
			return i + 1
		}
	}
	return len(src)
}

func skipSpace(src []byte, i int) int {
	for i < len(src) && (src[i] == ' ' || src[i] == '\t' || src[i] == '\n' || src[i] == '\r') {
		i++
	}
	return i
}

// unquote strips the quotes and undoes \u escapes of ASCII, which is all a
// secret's name can hide behind.
func unquote(b []byte) string {
	if len(b) < 2 {
		return ""
	}
	b = b[1 : len(b)-1]
	if bytes.IndexByte(b, '\\') < 0 {
		return string(b)
	}
	var out strings.Builder
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
	return out.String()
}
