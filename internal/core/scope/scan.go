package scope

import (
	"github.com/tdewolff/parse/v2/js"

	"firethorn/internal/core/sourcemap"
)

// token is a token that matters, with where it begins.
type token struct {
	kind    js.TokenType
	text    string // names, strings and numbers only
	pos     sourcemap.Pos
	newline bool // a line break lies before it
	ternary bool // ":" of a "?" before
}

// bracket is one open bracket, or the body of an arrow function without one.
type bracket struct {
	open      js.TokenType
	before    js.TokenType // the token before it
	object    bool         // an object literal
	class     bool         // a class body
	value     bool         // '{' only: of an expression, not of a statement
	fn        int          // the function whose body this is, -1: none
	head      binding      // '(' and '[' only: what a function beginning here would be bound to
	headPos   sourcemap.Pos
	callee    token  // '(' only: what is called, where that is a name
	member    bool   // it is a member's name
	text      string // '(' only: the first argument, where that is a text
	control   bool   // '(' only: behind if, for, while, with
	keyword   bool   // '(' only: behind "function"
	method    bool   // '(' only: at member level of a class or object, behind a name
	arrow     bool   // the body of an arrow function that is an expression
	ternary   int    // "?" still waiting for their ":"
	className binding
	classHead sourcemap.Pos
}

type scanner struct {
	code       []byte
	table      Table
	stack      []bracket
	last       [8]token     // the last tokens, newest first
	current    int          // the innermost open function, -1: none
	closed     bracket      // the bracket that the newest ')' closed
	ended      bracket      // and the newest '}'
	key        binding      // the member's name that the newest ']' closed
	keyFrom    js.TokenType // the token before its '['
	fnHead     binding      // name of a "function" whose "(" has not come
	fnPos      sourcemap.Pos
	fnValue    bool // it is an expression
	inFn       bool
	class      binding // name of a class whose "{" has not come
	classAt    sourcemap.Pos
	classValue bool
	inClass    bool
	odd        bool // something is not as JavaScript has it
}

func (s *scanner) top() *bracket {
	if len(s.stack) == 0 {
		s.stack = append(s.stack, bracket{fn: -1})
	}
	return &s.stack[len(s.stack)-1]
}

func (s *scanner) token(t token, end sourcemap.Pos) {
	s.endArrows(t)
	switch t.kind {
	case js.FunctionToken:
		if !s.behindDot() {
			s.inFn, s.fnHead = true, s.bindingBefore(0)
			s.fnPos, s.fnValue = s.modifiers(0, t.pos), !s.statementStart(t)
		}
	case js.ClassToken:
		if !s.behindDot() {
			s.inClass, s.class, s.classAt, s.classValue = true, s.bindingBefore(0), t.pos, !s.statementStart(t)
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
		if top := s.top(); top.ternary > 0 {
			top.ternary--
			t.ternary = true
		}
	case js.StringToken, js.TemplateToken:
		if s.last[0].kind == js.OpenParenToken {
			s.top().text = t.text
		}
	default:
		s.name(t)
	}
	s.arrowBody(t)
	copy(s.last[1:], s.last[:])
	s.last[0] = t
}

func (s *scanner) behindDot() bool {
	return s.last[0].kind == js.DotToken || s.last[0].kind == js.OptChainToken
}

func (s *scanner) openParen(t token) {
	b := bracket{open: t.kind, fn: -1, headPos: t.pos}
	prev, outer := s.last[0], s.top()
	switch {
	case s.inFn:
		b.keyword, b.head, b.headPos, b.value = true, s.fnHead, s.fnPos, s.fnValue
		s.inFn = false
	case (outer.class || outer.object) && s.atMember():
		b.method, b.head, b.headPos = true, s.member(), s.modifiers(1, prev.pos)
	default:
		switch prev.kind {
		case js.IfToken, js.ForToken, js.WhileToken, js.WithToken:
			b.control = !s.dotted(1)
		case js.AsyncToken:
			b.head, b.headPos = s.bindingBefore(0), prev.pos
		default:
			b.control = prev.kind == js.AwaitToken && s.last[1].kind == js.ForToken
			b.head = s.bindingBefore(0)
			if js.IsIdentifierName(prev.kind) && !operator[prev.kind] {
				b.callee, b.member = prev, s.dotted(1)
			}
		}
	}
	s.push(b)
}

func (s *scanner) openBrace(t token) {
	b := bracket{open: t.kind, fn: -1}
	prev := s.last[0]
	switch {
	case prev.kind == js.ArrowToken:
		// arrowBody opened the function; its body is this block.
		b.fn, b.value = s.current, true
		if top := s.top(); top.arrow {
			b.fn = top.fn
			s.stack = s.stack[:len(s.stack)-1]
		}
	case prev.kind == js.CloseParenToken && (s.closed.keyword || s.closed.method):
		b.fn, b.value = s.open(s.closed.headPos, s.closed.head), s.closed.value
	case s.inClass:
		b.class, b.className, b.classHead, b.value = true, s.class, s.classAt, s.classValue
		s.inClass = false
	case s.top().class && prev.kind == js.StaticToken:
	case s.expressionStart(prev):
		b.object, b.value = true, true
	}
	s.push(b)
}

// statementStart says whether t begins a statement.
func (s *scanner) statementStart(t token) bool {
	prev := s.last[0]
	if prev.kind == js.AsyncToken {
		t, prev = prev, s.last[1]
	}
	switch prev.kind {
	case 0, js.SemicolonToken, js.ElseToken, js.DoToken, js.ExportToken, js.DefaultToken:
		return true
	case js.OpenBraceToken:
		return !s.top().object && !s.top().class
	case js.CloseBraceToken:
		return !s.ended.value || t.newline
	case js.CloseParenToken:
		return s.closed.control
	case js.ColonToken:
		return !prev.ternary && !s.top().object
	}
	return t.newline && !continues(prev.kind) && prev.kind != js.CommaToken && prev.kind != js.OpenParenToken && prev.kind != js.OpenBracketToken
}

// expressionStart says whether a '{' behind this token begins an object.
func (s *scanner) expressionStart(t token) bool {
	switch t.kind {
	case js.OpenParenToken, js.OpenBracketToken, js.CommaToken, js.EqToken, js.QuestionToken, js.ReturnToken, js.ThrowToken,
		js.NewToken, js.TypeofToken, js.VoidToken, js.DeleteToken, js.InToken, js.OfToken, js.AwaitToken, js.YieldToken,
		js.EllipsisToken, js.TemplateStartToken, js.TemplateMiddleToken, js.DefaultToken:
		return true
	case js.ColonToken:
		return t.ternary || s.top().object
	case js.ArrowToken, js.IncrToken, js.DecrToken:
		return false
	}
	return js.IsOperator(t.kind)
}

// open begins a function.
func (s *scanner) open(start sourcemap.Pos, head binding) int {
	s.table.funcs = append(s.table.funcs, Func{
		Start: start, Parent: s.current, Kind: head.kind, Member: head.member, ClassHead: head.classHead, Name: head.name, NamePos: head.pos, Property: head.property,
		Class: head.owner, ClassPos: head.ownerPos, Assigned: head.assigned, Default: head.isDefault,
	})
	s.current = len(s.table.funcs) - 1
	if top := s.top(); top.open == js.OpenParenToken && top.callee.text != "" {
		f := &s.table.funcs[s.current]
		f.Via, f.ViaPos, f.ViaMember, f.ViaText = top.callee.text, top.callee.pos, top.member, top.text
	}
	return s.current
}

// operator are the words before "(" that call nothing.
var operator = map[js.TokenType]bool{
	js.ReturnToken: true, js.ThrowToken: true, js.TypeofToken: true, js.VoidToken: true, js.DeleteToken: true, js.InToken: true, js.OfToken: true,
	js.AwaitToken: true, js.YieldToken: true, js.NewToken: true, js.CaseToken: true, js.ElseToken: true, js.DoToken: true, js.InstanceofToken: true,
}

// arrowBody begins an arrow function when t is its "=>".
func (s *scanner) arrowBody(t token) {
	if t.kind != js.ArrowToken {
		return
	}
	start, head := s.closed.headPos, s.closed.head
	if prev := s.last[0]; prev.kind != js.CloseParenToken { // "x => …"
		start, head = s.modifiers(1, prev.pos), s.bindingBefore(1)
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
			if !t.newline || !startsStatement(t.kind) || continues(s.last[0].kind) {
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

// continues says whether an expression cannot end with this token.
func continues(k js.TokenType) bool {
	return k != js.IncrToken && k != js.DecrToken && (js.IsOperator(k) || k == js.DotToken || k == js.QuestionToken || k == js.ColonToken || k == js.NewToken || k == js.AwaitToken)
}

func (s *scanner) push(b bracket) {
	b.before = s.last[0].kind
	s.stack = append(s.stack, b)
}

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

// other is the bracket that each closing one belongs to.
var other = map[js.TokenType]js.TokenType{
	js.CloseParenToken: js.OpenParenToken, js.CloseBracketToken: js.OpenBracketToken,
	js.CloseBraceToken: js.OpenBraceToken, js.TemplateEndToken: js.TemplateStartToken,
}

// closeTo closes the bracket that t closes; arrows were ended before.
func (s *scanner) closeTo(t token, end sourcemap.Pos) {
	if len(s.stack) == 0 {
		s.odd = true
		return
	}
	b := s.pop(end)
	s.odd = s.odd || other[t.kind] != b.open
	switch t.kind {
	case js.CloseParenToken:
		s.closed = b
	case js.CloseBraceToken:
		s.ended = b
	case js.CloseBracketToken:
		s.key, s.keyFrom = s.keyOf(b), b.before
	}
}
