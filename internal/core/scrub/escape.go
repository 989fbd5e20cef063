package scrub

import (
	"bytes"
	"fmt"
	"unicode/utf16"
	"unicode/utf8"
)

// unescape undoes the escapes of a JSON string (RFC 8259, section 7) into the
// scanner's buffer. What is no escape stays.
func (s *scanner) unescape(raw []byte) []byte {
	b := s.buf[:0]
	for {
		n := bytes.IndexByte(raw, '\\')
		if n < 0 || n+1 >= len(raw) {
			b = append(b, raw...)
			break
		}
		b = append(b, raw[:n]...)
		switch c := raw[n+1]; c {
		case 'n':
			b = append(b, '\n')
		case 't':
			b = append(b, '\t')
		case 'r':
			b = append(b, '\r')
		case 'b':
			b = append(b, '\b')
		case 'f':
			b = append(b, '\f')
		case 'u':
			r, used := escapedRune(raw[n:])
			b = utf8.AppendRune(b, r)
			raw = raw[n+used:]
			continue
		default: // a quote, a slash, a backslash
			b = append(b, c)
		}
		raw = raw[n+2:]
	}
	s.buf = b
	return b
}

// escapedRune reads \uXXXX, or two of them that make one character.
func escapedRune(raw []byte) (r rune, used int) {
	first, ok := hex4(raw)
	if !ok {
		return 'u', 2
	}
	if utf16.IsSurrogate(first) && len(raw) >= 12 {
		if second, ok := hex4(raw[6:]); ok && raw[6] == '\\' && raw[7] == 'u' {
			if r := utf16.DecodeRune(first, second); r != utf8.RuneError {
				return r, 12
			}
		}
	}
	return first, 6
}

func hex4(raw []byte) (rune, bool) {
	if len(raw) < 6 {
		return 0, false
	}
	var r rune
	for _, c := range raw[2:6] {
		switch {
		case c >= '0' && c <= '9':
			r = r<<4 | rune(c-'0')
		case c|0x20 >= 'a' && c|0x20 <= 'f':
			r = r<<4 | rune(c|0x20-'a'+10)
		default:
			return 0, false
		}
	}
	return r, true
}

// appendString writes text as a JSON string.
func appendString(b, text []byte) []byte {
	b = append(b, '"')
	for _, c := range text {
		switch {
		case c == '"' || c == '\\':
			b = append(b, '\\', c)
		case c == '\n':
			b = append(b, '\\', 'n')
		case c == '\r':
			b = append(b, '\\', 'r')
		case c == '\t':
			b = append(b, '\\', 't')
		case c < 0x20:
			b = fmt.Appendf(b, `\u%04x`, c)
		default:
			b = append(b, c)
		}
	}
	return append(b, '"')
}
