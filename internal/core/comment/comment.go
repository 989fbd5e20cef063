// Package comment validates comments on issues and finds the people they mention.
package comment

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/text"
)

// MaxLength bytes a comment may have.
const MaxLength = 10_000

// Clean checks a comment and takes blanks from its ends. Control characters
// other than line ends and tabs go.
func Clean(text string) (string, error) {
	text = strings.ToValidUTF8(strings.ReplaceAll(text, "\r\n", "\n"), "�")
	text = strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) && r != '\n' && r != '\t' {
			return -1
		}
		return r
	}, text))
	switch {
	case text == "":
		return "", problem.New(problem.BadInput, "a comment is text; this one is empty")
	case len(text) > MaxLength:
		return "", problem.New(problem.TooLarge, "a comment may have %d bytes, this one has %d", MaxLength, len(text))
	}
	return text, nil
}

// Person is a person who can be mentioned.
type Person struct{ Name, Email string }

// Mentions lists the people a comment mentions, each once, in order: by @
// and the address before its own @, or the name written together, with dots or
// dashes. Code does not count.
func Mentions(said string, list []Person) (names []string) {
	for _, word := range mentioned(prose(said)) {
		i := slices.IndexFunc(list, func(p Person) bool { return text.Handle(word, p.Name, p.Email) })
		if i >= 0 && !slices.Contains(names, list[i].Name) {
			names = append(names, list[i].Name)
		}
	}
	return names
}

// prose leaves a text without its code: fenced blocks, and spans in backquotes
// (CommonMark, sections 4.5 and 6.1).
func prose(text string) string {
	var b strings.Builder
	fence := ""
	for line := range strings.Lines(text) {
		trimmed := strings.TrimLeft(line, " ")
		if fence != "" {
			if strings.HasPrefix(trimmed, fence) {
				fence = ""
			}
			continue
		}
		if strings.HasPrefix(trimmed, "```") || strings.HasPrefix(trimmed, "~~~") {
			fence = trimmed[:3]
			continue
		}
		b.WriteString(line)
	}
	return spans(b.String())
}

// spans removes the text between equal runs of backquotes.
func spans(text string) string {
	var b strings.Builder
	for {
		at := strings.IndexByte(text, '`')
		if at < 0 {
			b.WriteString(text)
			return b.String()
		}
		n := 1
		for at+n < len(text) && text[at+n] == '`' {
			n++
		}
		b.WriteString(text[:at])
		rest := text[at+n:]
		end := closing(rest, n)
		if end < 0 { // it opens nothing
			text = rest
			continue
		}
		b.WriteByte(' ')
		text = rest[end+n:]
	}
}

// closing finds a run of exactly n backquotes.
func closing(text string, n int) int {
	for i := 0; i < len(text); {
		if text[i] != '`' {
			i++
			continue
		}
		run := i
		for i < len(text) && text[i] == '`' {
			i++
		}
		if i-run == n {
			return run
		}
	}
	return -1
}

// mentioned lists the words behind an @ that begins a word.
func mentioned(text string) (words []string) {
	before := rune(' ')
	for i, r := range text {
		if r == '@' && !letter(before) {
			rest := text[i+1:]
			end := strings.IndexFunc(rest, func(r rune) bool { return !letter(r) && !strings.ContainsRune(".-_", r) })
			if end < 0 {
				end = len(rest)
			}
			if w := strings.TrimRight(rest[:end], ".-_"); w != "" && utf8.RuneCountInString(w) <= 100 {
				words = append(words, w)
			}
		}
		before = r
	}
	return words
}

func letter(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }
