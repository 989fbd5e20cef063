package query

import (
	"strings"
	"unicode"
)

// String prints a search. Parsed again it is the same tree, columns aside.
func String(n Node) string {
	var b strings.Builder
	print(&b, n, true)
	return b.String()
}

// print writes a part; alone says that no bracket is needed around alternatives.
func print(b *strings.Builder, n Node, alone bool) {
	switch n := n.(type) {
	case And:
		for i, x := range n.All {
			if i > 0 {
				b.WriteByte(' ')
			}
			print(b, x, alone && len(n.All) == 1)
		}
	case Or:
		if !alone {
			b.WriteByte('(')
		}
		for i, x := range n.Any {
			if i > 0 {
				b.WriteString(" OR ")
			}
			print(b, x, false)
		}
		if !alone {
			b.WriteByte(')')
		}
	case Not:
		b.WriteByte('-')
		if and, ok := n.Of.(And); ok {
			b.WriteByte('(')
			print(b, and, true)
			b.WriteByte(')')
			return
		}
		if not, ok := n.Of.(Not); ok {
			b.WriteByte('(')
			print(b, not, true)
			b.WriteByte(')')
			return
		}
		print(b, n.Of, false)
	case Word:
		if n.Phrase || !plainWord(n.Text) {
			b.WriteString(quote(n.Text))
			return
		}
		b.WriteString(n.Text)
	case Term:
		b.WriteString(nameText(n.Name) + ":")
		for i, v := range n.Values {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteString(valueText(v))
		}
	case Range:
		b.WriteString(nameText(n.Name) + ":" + rangeText(n))
	}
}

func rangeText(r Range) string {
	from, to := r.From, r.To
	switch {
	case to.Text == "" && from.Inclusive:
		return ">=" + boundText(from)
	case to.Text == "":
		return ">" + boundText(from)
	case from.Text == "" && to.Inclusive:
		return "<=" + boundText(to)
	case from.Text == "":
		return "<" + boundText(to)
	}
	return from.Text + ".." + to.Text
}

func boundText(b Bound) string {
	if plain(b.Text, ",\"") && !strings.ContainsAny(b.Text[:1], "<>=") {
		return b.Text
	}
	return quote(b.Text)
}

func nameText(name string) string {
	if plain(name, ":\"") && name[0] != '-' && name[0] != '(' {
		return name
	}
	return quote(name)
}

// valueText writes a value; one with wildcards cannot be quoted, and was not.
func valueText(v Value) string {
	text, exact := v.Text()
	if !exact {
		return strings.Join(v.Parts, "*")
	}
	if !strings.Contains(text, "..") && plain(text, ",\"*") && !strings.ContainsAny(text[:1], "<>") {
		return text
	}
	return quote(text)
}

func plainWord(text string) bool {
	return text == "-" || plain(text, ":\"") && text != "OR" && text[0] != '-' && text[0] != '('
}

// plain says whether a text can stand without quotes, where some characters end it.
func plain(text, ends string) bool {
	open := 0
	for _, c := range text {
		switch {
		case unicode.IsSpace(c) || strings.ContainsRune(ends, c):
			return false
		case c == '(':
			open++
		case c == ')':
			if open--; open < 0 {
				return false
			}
		}
	}
	return text != "" && open == 0
}

func quote(text string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(text) + `"`
}
