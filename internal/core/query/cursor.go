package query

import (
	"strings"
	"unicode"
)

// Cursor is the word being written at the cursor.
type Cursor struct {
	Name     string // whose value it is; "": a name, or a word, is being written
	Prefix   string // what stands there already, without quotes
	From, To int    // which characters a completion takes the place of, from 0
}

// CursorAt finds out what is being written at a place of a search, in characters from
// 0. The search need not be whole.
func CursorAt(text string, at int) Cursor {
	all := []rune(text)
	at = max(0, min(at, len(all)))
	begin, quoted, name := 0, false, ""
	value := -1 // where the value begins that the cursor is in; -1: in none
	for i := 0; i < at; i++ {
		c := all[i]
		switch {
		case quoted && c == '\\' && i+1 < at:
			i++
		case c == '"':
			quoted = !quoted
		case quoted:
		case unicode.IsSpace(c) || c == '(' && i == begin || c == ')':
			begin, name, value = i+1, "", -1
		case c == '-' && i == begin:
			begin = i + 1
		case c == ':' && value < 0:
			name, value = unquoted(string(all[begin:i])), i+1
		case value >= 0 && (c == ',' || i == value && strings.ContainsRune("<>=", c)):
			value = i + 1
		}
	}
	from := begin
	if value >= 0 {
		from = value
	}
	to := at
	end := ':'
	if value >= 0 {
		end = ','
	}
	for to < len(all) && !unicode.IsSpace(all[to]) && all[to] != ')' && all[to] != end {
		to++
	}
	if quoted {
		to = at
	}
	return Cursor{Name: name, Prefix: unquoted(string(all[from:at])), From: from, To: to}
}

// unquoted is a text without the quote before it, and the one behind it if it is
// there.
func unquoted(text string) string {
	rest, ok := strings.CutPrefix(text, `"`)
	if !ok {
		return text
	}
	rest = strings.TrimSuffix(rest, `"`)
	return strings.NewReplacer(`\"`, `"`, `\\`, `\`).Replace(rest)
}

// Written is a value as a search writes it: in quotes if it needs them.
func Written(value string) string { return valueText(Exactly(value)) }
