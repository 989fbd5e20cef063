package scope

import (
	"bytes"
	"cmp"
	"slices"
	"unicode/utf8"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"

	"firethorn/internal/core/sourcemap"
)

// token is a token that matters, with where it begins.
type token struct {
	kind js.TokenType
	text string // names and strings only
	pos  sourcemap.Pos
}

// bracket is one open bracket, or the body of an arrow function without one.
type bracket struct {
	open      js.TokenType
	object    bool    // an object literal
	class     bool    // a class body
	fn        int     // the function whose body this is, -1: none
	head      binding // '(' only: what a function beginning here would be bound to
	headPos   sourcemap.Pos
	keyword   bool // '(' only: behind "function"
	method    bool // '(' only: at member level of a class or object, behind a name
	arrow     bool // the body of an arrow function that is an expression
	ternary   int  // arrow only: "?" still waiting for their ":"
	className string
	classPos  sourcemap.Pos
}

// binding is the name a function is bound to.
type binding struct {
	name     string
	pos      sourcemap.Pos
	property bool
}

type scanner struct {
	table   Table
	stack   []bracket
	last    [4]token // the last four tokens, newest first
	current int      // the innermost open function, -1: none
	closed  bracket  // the bracket that the newest ')' closed
	fnHead  binding  // name of a "function" whose "(" has not come
	fnPos   sourcemap.Pos
	inFn    bool
	class   binding // name of a class whose "{" has not come
	inClass bool
	newline bool // a line break lies before this token
}

// Scan reads code and returns its functions.
func Scan(code []byte) *Table {
	if bytes.HasPrefix(code, []byte("#!")) { // the lexer does not know it; keep the columns of all later lines
		code = slices.Clone(code)
		code[0], code[1] = '/', '/'
	}
	s := scanner{current: -1}
	lexer := js.NewLexer(parse.NewInputBytes(slices.Clip(code)))
	var pos sourcemap.Pos
	for {
		kind, text := lexer.Next()
		if kind == js.ErrorToken {
			break
		}
		if (kind == js.DivToken || kind == js.DivEqToken) && s.regexpMayStart() {
			kind, text = lexer.RegExp()
			if kind == js.ErrorToken {
				break
			}
		}
		switch kind {
		case js.WhitespaceToken, js.CommentToken:
		case js.LineTerminatorToken, js.CommentLineTerminatorToken:
			s.newline = true
		default:
			s.token(token{kind: kind, text: nameText(kind, text), pos: pos}, advance(pos, text))
			s.newline = false
		}
		pos = advance(pos, text)
	}
	for len(s.stack) > 0 {
		s.pop(pos)
	}
	slices.SortStableFunc(s.table.funcs, func(a, b Func) int {
		return cmp.Or(cmp.Compare(a.Start.Line, b.Start.Line), cmp.Compare(a.Start.Col, b.Start.Col))
	})
	s.relink()
	return &s.table
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
	case kind == js.StringToken && len(text) >= 2:
		return string(text[1 : len(text)-1])
	case js.IsIdentifierName(kind), kind == js.PrivateIdentifierToken:
		return string(text)
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
		return s.closed.control()
	case js.CloseBracketToken, js.CloseBraceToken, js.StringToken, js.TemplateToken, js.TemplateEndToken, js.RegExpToken,
		js.ThisToken, js.SuperToken, js.NullToken, js.TrueToken, js.FalseToken, js.IncrToken, js.DecrToken, js.PrivateIdentifierToken:
		return false
	}
	return !js.IsIdentifier(k) && !js.IsNumeric(k)
}

// control says whether a '(' stood behind if, for, while or with.
func (b bracket) control() bool {
	switch b.head.name {
	case "\x00control":
		return true
	}
	return false
}

func (s *scanner) top() *bracket {
	if len(s.stack) == 0 {
		return &bracket{fn: -1}
	}
	return &s.stack[len(s.stack)-1]
}

func (s *scanner) token(t token, end sourcemap.Pos) {
	s.endArrows(t)
	switch t.kind {
	case js.FunctionToken:
		if s.last[0].kind != js.DotToken && s.last[0].kind != js.OptChainToken {
			s.inFn, s.fnHead, s.fnPos = true, s.bindingBefore(0), t.pos
		}
	case js.ClassToken:
		if s.last[0].kind != js.DotToken && s.last[0].kind != js.OptChainToken {
			s.inClass, s.class = true, s.bindingBefore(0)
		}
	case js.OpenParenToken:
		s.openParen(t)
	case js.OpenBraceToken:
		s.openBrace(t)
	case js.OpenBracketToken, js.TemplateStartToken:
		s.push(bracket{open: t.kind, fn: -1})
	case js.CloseParenToken, js.CloseBracketToken, js.CloseBraceToken, js.TemplateEndToken:
		s.closeTo(t, end)
	case js.QuestionToken:
		s.top().ternary++
	case js.ColonToken:
		s.top().ternary--
	default:
		s.name(t)
	}
	s.arrowBody(t)
	s.last[3], s.last[2], s.last[1], s.last[0] = s.last[2], s.last[1], s.last[0], t
}

// name takes an identifier as the name of a function or class being declared.
func (s *scanner) name(t token) {
	if t.text == "" || !js.IsIdentifierName(t.kind) {
		return
	}
	if s.inFn && (s.last[0].kind == js.FunctionToken || s.last[0].kind == js.MulToken && s.last[1].kind == js.FunctionToken) {
		s.fnHead = binding{name: t.text, pos: t.pos}
	}
	if s.inClass && s.last[0].kind == js.ClassToken && t.kind != js.ExtendsToken {
		s.class = binding{name: t.text, pos: t.pos}
	}
}

// bindingBefore is what an expression that begins behind the token `skip`
// tokens back is bound to: "x =", "x:" or "a.x =".
func (s *scanner) bindingBefore(skip int) binding {
	if skip < 2 && s.last[skip].kind == js.AsyncToken {
		skip++
	}
	if skip > 2 {
		return binding{}
	}
	sign, name := s.last[skip], s.last[skip+1]
	switch {
	case sign.kind == js.EqToken && name.text != "" && js.IsIdentifierName(name.kind):
		dotted := skip+2 < len(s.last) && s.last[skip+2].kind == js.DotToken
		return binding{name.text, name.pos, dotted}
	case sign.kind == js.EqToken && name.kind == js.PrivateIdentifierToken:
		return binding{name.text, name.pos, true}
	case sign.kind == js.ColonToken && name.text != "" && s.top().object:
		return binding{name.text, name.pos, true}
	}
	return binding{}
}

func (s *scanner) openParen(t token) {
	b := bracket{open: t.kind, fn: -1, headPos: t.pos}
	prev, outer := s.last[0], s.top()
	switch {
	case s.inFn:
		b.keyword, b.head, b.headPos = true, s.fnHead, s.fnPos
		s.inFn = false
	case (outer.class || outer.object) && (prev.text != "" || prev.kind == js.CloseBracketToken || js.IsNumeric(prev.kind)) && s.atMember():
		b.method, b.head, b.headPos = true, binding{prev.text, prev.pos, true}, prev.pos
	default:
		switch prev.kind {
		case js.IfToken, js.ForToken, js.WhileToken, js.WithToken:
			b.head.name = "\x00control"
		case js.AsyncToken:
			b.head, b.headPos = s.bindingBefore(0), prev.pos
		default:
			b.head = s.bindingBefore(0)
		}
	}
	s.push(b)
}

// atMember says whether the newest token can be the name of a method: what
// stands before it ends a member or is a modifier.
func (s *scanner) atMember() bool {
	if s.last[0].kind == js.CloseBracketToken {
		return true
	}
	p := s.last[1]
	switch p.kind {
	case js.OpenBraceToken, js.CloseBraceToken, js.SemicolonToken, js.CommaToken, js.MulToken,
		js.GetToken, js.SetToken, js.StaticToken, js.AsyncToken:
		return true
	}
	return s.top().class && s.newline
}

func (s *scanner) openBrace(t token) {
	b := bracket{open: t.kind, fn: -1}
	prev := s.last[0]
	switch {
	case prev.kind == js.ArrowToken:
		// arrowBody opened the function; its body is this block.
		b.fn = s.current
		if top := s.top(); top.arrow {
			b.fn = top.fn
			s.stack = s.stack[:len(s.stack)-1]
		}
	case prev.kind == js.CloseParenToken && (s.closed.keyword || s.closed.method):
		b.fn = s.open(s.closed.headPos, s.closed.head)
		if s.closed.method {
			if outer := s.top(); outer.class {
				f := &s.table.funcs[b.fn]
				f.Class, f.ClassPos = outer.className, outer.classPos
			}
		}
	case s.inClass:
		b.class, b.className, b.classPos = true, s.class.name, s.class.pos
		s.inClass = false
	case s.top().class && prev.kind == js.StaticToken:
	case s.expressionStart(prev.kind):
		b.object = true
	}
	s.push(b)
}

// expressionStart says whether a '{' behind this token begins an object.
func (s *scanner) expressionStart(k js.TokenType) bool {
	switch k {
	case js.OpenParenToken, js.OpenBracketToken, js.CommaToken, js.EqToken, js.QuestionToken, js.ReturnToken, js.ThrowToken,
		js.NewToken, js.TypeofToken, js.VoidToken, js.DeleteToken, js.InToken, js.OfToken, js.AwaitToken, js.YieldToken,
		js.EllipsisToken, js.TemplateStartToken, js.TemplateMiddleToken, js.DefaultToken:
		return true
	case js.ColonToken:
		return s.top().object || s.top().ternary >= 0 && s.top().open != js.OpenBraceToken
	}
	return js.IsOperator(k) && k != js.ArrowToken
}

// open begins a function.
func (s *scanner) open(start sourcemap.Pos, head binding) int {
	s.table.funcs = append(s.table.funcs, Func{Start: start, Parent: s.current, Name: head.name, NamePos: head.pos, Property: head.property})
	s.current = len(s.table.funcs) - 1
	return s.current
}

// arrowBody begins an arrow function when t is its "=>".
func (s *scanner) arrowBody(t token) {
	if t.kind != js.ArrowToken {
		return
	}
	start, head := s.closed.headPos, s.closed.head
	if prev := s.last[0]; prev.kind != js.CloseParenToken { // "x => …"
		start, head = prev.pos, s.bindingBefore(1)
	}
	if head.name == "\x00control" {
		head = binding{}
	}
	s.push(bracket{arrow: true, fn: s.open(start, head)})
}

// endArrows ends the arrow functions whose body is an expression that t, the
// next token, cannot belong to.
func (s *scanner) endArrows(t token) {
	for len(s.stack) > 0 && s.top().arrow && s.last[0].kind != js.ArrowToken {
		switch t.kind {
		case js.CommaToken, js.SemicolonToken, js.CloseParenToken, js.CloseBracketToken, js.CloseBraceToken, js.TemplateMiddleToken, js.TemplateEndToken:
		case js.ColonToken:
			if s.top().ternary > 0 {
				return
			}
		default:
			if !s.newline || !startsStatement(t.kind) {
				return
			}
		}
		s.pop(t.pos)
	}
}

func startsStatement(k js.TokenType) bool {
	switch k {
	case js.ConstToken, js.LetToken, js.VarToken, js.FunctionToken, js.ClassToken, js.ImportToken, js.ExportToken, js.ReturnToken,
		js.IfToken, js.ForToken, js.WhileToken, js.ThrowToken, js.TryToken, js.SwitchToken:
		return true
	}
	return js.IsIdentifier(k)
}

func (s *scanner) push(b bracket) { s.stack = append(s.stack, b) }

// pop closes the newest bracket; a function that ends with it ends at end.
func (s *scanner) pop(end sourcemap.Pos) bracket {
	b := s.stack[len(s.stack)-1]
	s.stack = s.stack[:len(s.stack)-1]
	if b.fn >= 0 {
		f := &s.table.funcs[b.fn]
		f.End = end
		s.current = f.Parent
	}
	return b
}

// closeTo closes the bracket that t closes; arrows were ended before.
func (s *scanner) closeTo(t token, end sourcemap.Pos) {
	if len(s.stack) == 0 {
		return
	}
	b := s.pop(end)
	if t.kind == js.CloseParenToken {
		s.closed = b
	}
}
