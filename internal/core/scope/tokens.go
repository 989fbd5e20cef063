package scope

import (
	"bytes"
	"cmp"
	"io"
	"slices"
	"unicode/utf8"
	"unsafe"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"

	"firethorn/internal/core/sourcemap"
)

// Scan reads code and returns its functions, whose names share its memory.
func Scan(code []byte) *Table {
	if bytes.HasPrefix(code, []byte("#!")) { // the lexer does not know it; keep the columns of all later lines
		code = slices.Clone(code)
		code[0], code[1] = '/', '/'
	}
	s := scanner{code: code, current: -1}
	pos, whole := s.tokens()
	s.table.Clean = whole && !s.odd
	for len(s.stack) > 0 {
		b := s.pop(pos)
		s.table.Clean = s.table.Clean && (b.open == 0 || b.arrow)
	}
	slices.SortStableFunc(s.table.funcs, func(a, b Func) int {
		return cmp.Or(cmp.Compare(a.Start.Line, b.Start.Line), cmp.Compare(a.Start.Col, b.Start.Col))
	})
	s.relink()
	return &s.table
}

// tokens goes over the code and returns where it ends, and whether that is all.
func (s *scanner) tokens() (sourcemap.Pos, bool) {
	lexer := js.NewLexer(parse.NewInputBytes(slices.Clip(s.code)))
	var pos sourcemap.Pos
	newline := false
	for {
		kind, text := lexer.Next()
		if kind == js.ErrorToken {
			return pos, lexer.Err() == io.EOF
		}
		if (kind == js.DivToken || kind == js.DivEqToken) && s.regexpMayStart() {
			kind, text = lexer.RegExp()
			if kind == js.ErrorToken {
				return pos, false
			}
			s.odd = s.odd || s.last[0].kind == js.LtToken // "</": markup
		}
		next := advance(pos, text)
		switch kind {
		case js.WhitespaceToken, js.CommentToken:
		case js.LineTerminatorToken, js.CommentLineTerminatorToken:
			newline = true
		default:
			s.token(token{kind: kind, text: nameText(kind, text), pos: pos, newline: newline}, next)
			newline = false
		}
		pos = next
	}
}

// relink sets Parent anew after sorting, by nesting.
func (s *scanner) relink() {
	var open []int
	for i := range s.table.funcs {
		f := &s.table.funcs[i]
		for len(open) > 0 && !after(s.table.funcs[open[len(open)-1]].End, f.Start) {
			open = open[:len(open)-1]
		}
		f.Parent = -1
		if len(open) > 0 {
			f.Parent = open[len(open)-1]
		}
		open = append(open, i)
	}
}

func nameText(kind js.TokenType, text []byte) string {
	switch {
	case (kind == js.StringToken || kind == js.TemplateToken) && len(text) > 2:
		return unsafe.String(&text[1], len(text)-2)
	case js.IsIdentifierName(kind), kind == js.PrivateIdentifierToken, js.IsNumeric(kind):
		return unsafe.String(&text[0], len(text))
	}
	return ""
}

// advance moves pos over text, counting UTF-16 units.
func advance(pos sourcemap.Pos, text []byte) sourcemap.Pos {
	for i := 0; i < len(text); {
		c := text[i]
		switch {
		case c == '\n':
			pos.Line++
			pos.Col = 0
			i++
		case c < utf8.RuneSelf:
			pos.Col++
			i++
		default:
			r, n := utf8.DecodeRune(text[i:])
			pos.Col++
			if r > 0xffff {
				pos.Col++
			}
			i += n
		}
	}
	return pos
}

// regexpMayStart tells a regular expression from a division by the token before.
func (s *scanner) regexpMayStart() bool {
	k := s.last[0].kind
	switch k {
	case 0:
		return true
	case js.CloseParenToken:
		return s.closed.control
	case js.CloseBraceToken:
		return !s.ended.value
	case js.CloseBracketToken, js.StringToken, js.TemplateToken, js.TemplateEndToken, js.RegExpToken,
		js.ThisToken, js.SuperToken, js.NullToken, js.TrueToken, js.FalseToken, js.IncrToken, js.DecrToken, js.PrivateIdentifierToken:
		return false
	}
	return !js.IsIdentifier(k) && !js.IsNumeric(k)
}
