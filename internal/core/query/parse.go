package query

import (
	"fmt"
	"regexp"
	"strings"
	"unicode"
)

// Parse reads a search. The error is an *Error.
func Parse(text string) (Node, error) {
	p := &parser{text: []rune(text)}
	if len(p.text) > MaxLength {
		return nil, p.wrong(MaxLength+1, "a search has at most %d characters, this one has %d", MaxLength, len(p.text))
	}
	n, err := p.alternatives()
	if err != nil {
		return nil, err
	}
	if p.at < len(p.text) {
		return nil, p.wrong(p.at+1, "this bracket closes nothing")
	}
	return n, nil
}

// parser reads from the beginning to the end, once.
type parser struct {
	text  []rune
	at    int
	depth int // open brackets
	terms int
}

func (p *parser) wrong(column int, format string, args ...any) error {
	return &Error{Column: column, Message: fmt.Sprintf(format, args...)}
}

func (p *parser) space() {
	for p.at < len(p.text) && unicode.IsSpace(p.text[p.at]) {
		p.at++
	}
}

// peek is the next character; 0 at the end.
func (p *parser) peek() rune {
	if p.at < len(p.text) {
		return p.text[p.at]
	}
	return 0
}

// or says whether the word OR comes next, by itself.
func (p *parser) or() bool {
	rest := p.text[p.at:]
	return len(rest) >= 2 && rest[0] == 'O' && rest[1] == 'R' &&
		(len(rest) == 2 || unicode.IsSpace(rest[2]) || rest[2] == '(' || rest[2] == ')')
}

// alternatives reads terms with OR between them, up to a closing bracket or the end.
func (p *parser) alternatives() (Node, error) {
	var any []Node
	for {
		begins := p.at
		n, err := p.all()
		if err != nil {
			return nil, err
		}
		p.space()
		more := p.or()
		if (more || len(any) > 0) && len(n.All) == 0 {
			column := p.at + 1
			if !more {
				column = begins + 1
			}
			return nil, p.wrong(column, "OR needs a term on each side: write (a OR b), or \"OR\" for the word")
		}
		any = append(any, single(n))
		if !more {
			break
		}
		p.at += 2
	}
	if len(any) == 1 {
		return any[0], nil
	}
	return Or{flatOr(any)}, nil
}

// single is the one part of an And of one.
func single(n And) Node {
	if len(n.All) == 1 {
		return n.All[0]
	}
	return n
}

// flatOr lifts alternatives of alternatives up.
func flatOr(list []Node) (out []Node) {
	for _, n := range list {
		if or, ok := n.(Or); ok {
			out = append(out, or.Any...)
			continue
		}
		out = append(out, n)
	}
	return out
}

// all reads terms that must all hold, up to an OR, a closing bracket or the end.
func (p *parser) all() (And, error) {
	var out And
	for {
		p.space()
		if c := p.peek(); c == 0 && p.at >= len(p.text) || c == ')' && p.depth > 0 || p.or() {
			return out, nil
		} else if c == ')' {
			return out, nil // Parse says that it closes nothing
		}
		n, err := p.term()
		if err != nil {
			return out, err
		}
		if and, ok := n.(And); ok {
			out.All = append(out.All, and.All...)
			continue
		}
		out.All = append(out.All, n)
	}
}

// term reads one term, or a group in brackets, with the signs before it.
func (p *parser) term() (Node, error) {
	column := p.at + 1
	if p.peek() == '-' && p.at+1 < len(p.text) && !unicode.IsSpace(p.text[p.at+1]) && p.text[p.at+1] != ')' {
		p.at++
		if p.peek() == '-' {
			return nil, p.wrong(column, "one - is enough: it says that a term does not hold")
		}
		n, err := p.term()
		if err != nil {
			return nil, err
		}
		return Not{n}, nil
	}
	if p.peek() == '(' {
		return p.brackets()
	}
	if p.terms++; p.terms > MaxTerms {
		return nil, p.wrong(column, "a search has at most %d terms", MaxTerms)
	}
	return p.wordOrField(column)
}

func (p *parser) brackets() (Node, error) {
	column := p.at + 1
	if p.depth++; p.depth > MaxDepth {
		return nil, p.wrong(column, "brackets may be nested at most %d deep", MaxDepth)
	}
	p.at++
	n, err := p.alternatives()
	if err != nil {
		return nil, err
	}
	if p.peek() != ')' {
		return nil, p.wrong(column, "this bracket is not closed")
	}
	p.at++
	p.depth--
	if and, ok := n.(And); ok && len(and.All) == 0 {
		return nil, p.wrong(column, "there is nothing in these brackets")
	}
	return n, nil
}

// wordOrField reads a word, a phrase, or a name with its values.
func (p *parser) wordOrField(column int) (Node, error) {
	if p.peek() == '"' {
		text, err := p.quoted()
		if err != nil {
			return nil, err
		}
		if p.peek() == ':' && text != "" {
			return p.field(text, column)
		}
		if strings.TrimSpace(text) == "" {
			return nil, p.wrong(column, "there is nothing in these quotes")
		}
		return Word{Text: text, Phrase: true, Column: column}, p.ends()
	}
	name, err := p.until(func(c rune) bool { return c == ':' || c == '"' })
	switch {
	case err != nil:
		return nil, err
	case p.peek() == ':' && name != "":
		return p.field(name, column)
	case p.peek() == ':':
		return nil, p.wrong(column, "the colon needs a name before it, such as release:4.2.0")
	case p.peek() == '"':
		return nil, p.wrong(p.at+1, "a quote begins a phrase: put a space before it")
	}
	return Word{Text: name, Column: column}, nil
}

// until reads up to the end of a term, or to a character that stop names. Brackets
// that the term itself opens belong to it.
func (p *parser) until(stop func(rune) bool) (string, error) {
	from, open, opened := p.at, 0, 0
	for p.at < len(p.text) {
		c := p.text[p.at]
		if unicode.IsSpace(c) || stop(c) || c == ')' && open == 0 {
			break
		}
		switch c {
		case '(':
			open, opened = open+1, p.at
		case ')':
			open--
		}
		p.at++
	}
	if open > 0 {
		return "", p.wrong(opened+1, "this bracket is not closed; put a text that holds one into quotes")
	}
	return string(p.text[from:p.at]), nil
}

// quoted reads a text in quotes.
func (p *parser) quoted() (string, error) {
	column := p.at + 1
	p.at++
	var out strings.Builder
	for p.at < len(p.text) {
		c := p.text[p.at]
		p.at++
		switch {
		case c == '"':
			return out.String(), nil
		case c == '\\' && p.at < len(p.text) && (p.text[p.at] == '"' || p.text[p.at] == '\\'):
			out.WriteRune(p.text[p.at])
			p.at++
		default:
			out.WriteRune(c)
		}
	}
	return "", p.wrong(column, "this quote is not closed")
}

// ends refuses what is written right behind a quote.
func (p *parser) ends() error {
	if c := p.peek(); c != 0 && !unicode.IsSpace(c) && c != ')' {
		return p.wrong(p.at+1, "a space belongs between two terms")
	}
	return nil
}

// field reads the text after the colon of a name.
func (p *parser) field(name string, column int) (Node, error) {
	p.at++
	begins := p.at + 1
	for _, op := range []string{">=", "<=", ">", "<"} {
		if strings.HasPrefix(string(p.text[p.at:min(len(p.text), p.at+2)]), op) {
			p.at += len(op)
			text, _, err := p.value()
			if err != nil {
				return nil, err
			}
			if text == "" {
				return nil, p.wrong(p.at+1, "a value is expected behind %s", op)
			}
			b := Bound{Text: text, Inclusive: len(op) == 2}
			if op[0] == '>' {
				return Range{Name: name, From: b, Column: column}, p.ends()
			}
			return Range{Name: name, To: b, Column: column}, p.ends()
		}
	}
	t := Term{Name: name, Column: column}
	for {
		at := p.at + 1
		text, quoted, err := p.value()
		if err != nil {
			return nil, err
		}
		switch {
		case quoted:
			t.Values = append(t.Values, Exactly(text))
		case text == "":
			return nil, p.wrong(at, "a value is expected behind %s:, such as %s:4.2.0 or %s:*", name, name, name)
		default:
			if from, to, ok := rangeOf(name, text); ok && len(t.Values) == 0 && p.peek() != ',' {
				return Range{Name: name, From: Bound{from, true}, To: Bound{to, true}, Column: column}, p.ends()
			}
			t.Values = append(t.Values, Value{strings.Split(collapsed(text), "*")})
		}
		if p.peek() != ',' {
			break
		}
		p.at++
	}
	if err := p.ends(); err != nil {
		return nil, p.wrong(begins, "a value ends with a space; put one that holds quotes into quotes")
	}
	return t, nil
}

// value reads one value, up to a comma.
func (p *parser) value() (text string, quoted bool, err error) {
	if p.peek() == '"' {
		text, err = p.quoted()
		return text, true, err
	}
	text, err = p.until(func(c rune) bool { return c == ',' || c == '"' })
	return text, false, err
}

// collapsed is a value in which wildcards stand apart.
func collapsed(text string) string { return stars.ReplaceAllString(text, "*") }

var stars = regexp.MustCompile(`\*\*+`)

// ranges are two bounds that could be numbers, dates or versions.
var ranges = regexp.MustCompile(`^([-+]?\d[^*]*?)\.\.([-+]?\d[^*]*)$`)

func rangeOf(name, text string) (from, to string, ok bool) {
	if f, field := FieldOf(name); field && f.Kind == Severity {
		from, to, ok = strings.Cut(text, "..")
		return from, to, ok
	}
	m := ranges.FindStringSubmatch(text)
	if m == nil {
		return "", "", false
	}
	return m[1], m[2], true
}
