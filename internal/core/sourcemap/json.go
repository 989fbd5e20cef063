package sourcemap

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math/bits"
	"strconv"
	"strings"
	"unsafe"
)

// scan walks over JSON (RFC 8259) without decoding what nobody asks for: a map
// is mostly one long string and the texts of its sources. Its methods take
// the index of a value's first byte and return the index behind the value.
type scan struct{ raw []byte }

// broken is a fault of the JSON itself.
type broken struct {
	at  int
	msg string
}

func (e *broken) Error() string { return fmt.Sprintf("byte %d: %s", e.at, e.msg) }

// maxNested bounds how deep values may lie within each other.
const maxNested = 1000

// blank skips white space.
func (s scan) blank(i int) int {
	for i < len(s.raw) && (s.raw[i] == ' ' || s.raw[i] == '\n' || s.raw[i] == '\r' || s.raw[i] == '\t') {
		i++
	}
	return i
}

// kind is the first byte of the value at i, 0 at the end.
func (s scan) kind(i int) byte {
	if i < len(s.raw) {
		return s.raw[i]
	}
	return 0
}

const (
	ones  = 0x0101010101010101
	highs = 0x8080808080808080
)

// str finds the end of the string whose opening quote stands at i. It takes
// eight bytes at a time: texts of sources are megabytes.
func (s scan) str(i int) (end int, err error) {
	raw := s.raw
	for i++; ; {
		for i+8 <= len(raw) {
			w := binary.LittleEndian.Uint64(raw[i:])
			q, b := w^('"'*ones), w^('\\'*ones)
			if special := ((q-ones)&^q | (b-ones)&^b | (w-' '*ones)&^w) & highs; special != 0 {
				i += bits.TrailingZeros64(special) / 8
				break
			}
			i += 8
		}
		if i >= len(raw) {
			return i, &broken{len(raw), "the text ends inside a string"}
		}
		switch c := raw[i]; {
		case c == '"':
			return i + 1, nil
		case c == '\\':
			n := escape(raw[i:])
			if n == 0 {
				return i, &broken{i, "this is no escape of a string"}
			}
			i += n
		case c < ' ':
			return i, &broken{i, "a control character inside a string"}
		default:
			i++
		}
	}
}

// escape is the length of the escape that text begins with, 0 when it is none.
func escape(text []byte) int {
	if len(text) < 2 {
		return 0
	}
	switch text[1] {
	case '"', '\\', '/', 'b', 'f', 'n', 'r', 't':
		return 2
	case 'u':
		if len(text) < 6 {
			return 0
		}
		for _, c := range text[2:6] {
			if !(c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'f') {
				return 0
			}
		}
		return 6
	}
	return 0
}

// skip finds the end of any value.
func (s scan) skip(i int) (int, error) {
	var open []byte // the brackets that wait for their end
	for {
		i = s.blank(i)
		c := s.kind(i)
		switch {
		case c == '{' || c == '[':
			if len(open) == maxNested {
				return i, &broken{i, "values are nested more than " + strconv.Itoa(maxNested) + " deep"}
			}
			open = append(open, c)
			i = s.blank(i + 1)
			if s.kind(i) == c+2 { // the closing bracket
				break
			}
			if c == '{' {
				next, err := s.key(i)
				if err != nil {
					return i, err
				}
				i = next
			}
			continue
		default:
			next, err := s.scalar(i)
			if err != nil {
				return i, err
			}
			i = next
		}
		for { // a value has ended: so may those around it
			if len(open) == 0 {
				return i, nil
			}
			i = s.blank(i)
			outer := open[len(open)-1]
			if s.kind(i) == outer+2 {
				open = open[:len(open)-1]
				i++
				continue
			}
			if s.kind(i) != ',' {
				return i, s.unexpected(i)
			}
			i++
			if outer == '{' {
				next, err := s.key(s.blank(i))
				if err != nil {
					return i, err
				}
				i = next
			}
			break
		}
	}
}

// key skips a member's name and its colon.
func (s scan) key(i int) (int, error) {
	if s.kind(i) != '"' {
		return i, s.unexpected(i)
	}
	i, err := s.str(i)
	if err != nil {
		return i, err
	}
	i = s.blank(i)
	if s.kind(i) != ':' {
		return i, s.unexpected(i)
	}
	return i + 1, nil
}

func (s scan) scalar(i int) (int, error) {
	switch c := s.kind(i); {
	case c == '"':
		return s.str(i)
	case c == '-' || c >= '0' && c <= '9':
		end := i
		for end < len(s.raw) && strings.IndexByte("+-.eE0123456789", s.raw[end]) >= 0 {
			end++
		}
		if !json.Valid(s.raw[i:end]) {
			return i, &broken{i, "this is no number"}
		}
		return end, nil
	}
	for _, word := range []string{"null", "true", "false"} {
		if bytes.HasPrefix(s.raw[i:], []byte(word)) {
			return i + len(word), nil
		}
	}
	return i, s.unexpected(i)
}

func (s scan) unexpected(i int) error {
	if i >= len(s.raw) {
		return &broken{len(s.raw), "the text ends too early"}
	}
	return &broken{i, fmt.Sprintf("%q is not expected here", s.raw[i])}
}

// members calls f with each member of the object at i: its name and where its
// value begins. f returns where the value ends.
func (s scan) members(i int, f func(name string, at int) (int, error)) (int, error) {
	return s.each(i, '{', func(i int) (int, error) {
		behind, err := s.key(i)
		if err != nil {
			return i, err
		}
		return f(s.text(i), s.blank(behind))
	})
}

// elements calls f with where each element of the list at i begins.
func (s scan) elements(i int, f func(at int) (int, error)) (int, error) {
	return s.each(i, '[', f)
}

func (s scan) each(i int, open byte, f func(at int) (int, error)) (int, error) {
	if s.kind(i) != open {
		return i, s.unexpected(i)
	}
	i = s.blank(i + 1)
	if s.kind(i) == open+2 {
		return i + 1, nil
	}
	for {
		end, err := f(i)
		if err != nil {
			return i, err
		}
		i = s.blank(end)
		switch s.kind(i) {
		case open + 2:
			return i + 1, nil
		case ',':
			i = s.blank(i + 1)
		default:
			return i, s.unexpected(i)
		}
	}
}

// text is the string at i, which str has been over; "" when there is no
// string. It shares the memory of raw where nothing is escaped.
func (s scan) text(i int) string {
	if s.kind(i) != '"' {
		return ""
	}
	end, err := s.str(i)
	if err != nil {
		return ""
	}
	inner := s.raw[i+1 : end-1]
	if len(inner) == 0 {
		return ""
	}
	if bytes.IndexByte(inner, '\\') < 0 {
		return strings.ToValidUTF8(unsafe.String(&inner[0], len(inner)), "\ufffd")
	}
	var text string
	if json.Unmarshal(s.raw[i:end], &text) != nil {
		return ""
	}
	return text
}

// integer is the whole number at i; ok is false when there is none that fits.
func (s scan) integer(i int) (n int32, ok bool) {
	end, err := s.scalar(i)
	if err != nil {
		return 0, false
	}
	f, err := strconv.ParseFloat(string(s.raw[i:end]), 64)
	return int32(f), err == nil && f == float64(int32(f))
}
