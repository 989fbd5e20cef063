// Package show formats output for people: tables, figures, times, frames, and colours in a terminal.
// Control characters in reported text cannot reach the terminal.
package show

import (
	"fmt"
	"strings"
	"unicode"
)

// Plain escapes what could take over a terminal: control characters and marks
// that turn the direction of text.
func Plain(s string) string {
	bad := func(r rune) bool {
		return unicode.IsControl(r) || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069 || r == 0x200e ||
			r == 0x200f || r == 0x061c
	}
	if strings.IndexFunc(s, bad) < 0 {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == '\t':
			b.WriteByte(' ')
		case bad(r):
			fmt.Fprintf(&b, "\\u%04x", r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// Lines is plain for text of several lines.
func Lines(s string) string {
	parts := strings.Split(s, "\n")
	for i, p := range parts {
		parts[i] = Plain(strings.ReplaceAll(p, "\t", "    "))
	}
	return strings.Join(parts, "\n")
}
