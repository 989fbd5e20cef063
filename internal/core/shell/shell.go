// Package shell quotes commands that people copy into a shell. Text from events, builds and people
// becomes one harmless word, whatever it contains.
package shell

import (
	"fmt"
	"strings"
	"unicode"
)

// Quote writes a text as one word of a POSIX shell. Plain words stay as they
// are. Characters that a terminal acts on while they are pasted, or that turn
// the direction of text, are written as escapes ($'…', POSIX.1-2024, section
// 2.2.4).
func Quote(text string) string {
	switch {
	case text == "":
		return "''"
	case !strings.ContainsFunc(text, special):
		return text
	case strings.ContainsFunc(text, unseen) || strings.ToValidUTF8(text, "") != text:
		return escaped(text)
	}
	return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'"
}

// Option writes an option with its value. A value that begins with a dash is
// tied to the option, so that it is not taken for another one.
func Option(name, value string) string {
	if strings.HasPrefix(value, "-") {
		return name + "=" + Quote(value)
	}
	return name + " " + Quote(value)
}

// Arguments writes the words after the options of a command. A word that
// begins with a dash is set apart from them by "--".
func Arguments(words ...string) string {
	var out []string
	dashes := false
	for _, w := range words {
		if strings.HasPrefix(w, "-") && !dashes {
			out, dashes = append(out, "--"), true
		}
		out = append(out, Quote(w))
	}
	return strings.Join(out, " ")
}

// special says whether a character means something to a shell, or may.
func special(r rune) bool {
	return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && !strings.ContainsRune("_@%+:,./-", r)
}

// unseen says whether a terminal acts on a character instead of showing it.
func unseen(r rune) bool {
	return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) || unicode.Is(unicode.Zl, r) || unicode.Is(unicode.Zp, r)
}

func escaped(text string) string {
	var b strings.Builder
	b.WriteString("$'")
	for i := 0; i < len(text); {
		r, n := rune(text[i]), 1
		if r >= 0x80 {
			for _, c := range text[i:] {
				r = c
				break
			}
			n = len(string(r))
			if r == '�' && !strings.HasPrefix(text[i:], "�") {
				n = 1
			}
		}
		switch {
		case r == '\'' || r == '\\':
			b.WriteString(`\` + string(r))
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		case unseen(r) || n == 1 && r >= 0x80 || r == '�' && n == 1:
			for _, c := range []byte(text[i : i+n]) {
				fmt.Fprintf(&b, `\%03o`, c)
			}
		default:
			b.WriteString(text[i : i+n])
		}
		i += n
	}
	return b.String() + "'"
}
