package scope

import (
	"github.com/tdewolff/parse/v2/js"

	"firethorn/internal/core/sourcemap"
)

// binding is the name a function is bound to, as the language names functions
// (ECMA-262, NamedEvaluation and SetFunctionName), and for functions that are
// assigned to a property, that property.
type binding struct {
	name      string
	pos       sourcemap.Pos
	kind      Kind
	property  bool
	member    bool
	classHead sourcemap.Pos
	owner     string // class, or what the property belongs to
	ownerPos  sourcemap.Pos
	assigned  bool
	isDefault bool
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
	if s.last[skip].kind == js.AsyncToken {
		skip++
	}
	sign := s.last[skip]
	switch sign.kind {
	case js.EqToken, js.NullishEqToken, js.OrEqToken, js.AndEqToken:
		return s.target(skip + 1)
	case js.ColonToken:
		if name := s.last[skip+1]; !sign.ternary && s.top().object {
			if name.kind == js.CloseBracketToken {
				return s.key
			}
			return binding{name: name.text, pos: name.pos, property: name.text != ""}
		}
	case js.OpenParenToken: // "x = (function…" is bound to x as well
		if top := s.top(); !top.keyword && !top.method && !top.control {
			return top.head
		}
	case js.DefaultToken:
		if s.last[skip+1].kind == js.ExportToken {
			return binding{isDefault: true}
		}
	}
	return binding{}
}

// target is what is assigned to when the token before "=" is the i-th last.
func (s *scanner) target(i int) binding {
	name := s.last[i]
	b := binding{name: name.text, pos: name.pos}
	top := s.top()
	switch {
	case name.kind == js.CloseBracketToken: // a["b"] = …
		b = s.key
		return b
	case name.text == "" || js.IsNumeric(name.kind) && !top.class:
		return binding{}
	case s.dotted(i + 1):
		b.property = true
		owner := s.last[i+2]
		if owner.text == "prototype" && i+4 < len(s.last) && s.dotted(i+3) {
			b.owner, b.ownerPos = s.last[i+4].text, s.last[i+4].pos
		} else if js.IsIdentifier(owner.kind) && (i+3 >= len(s.last) || !s.dotted(i+3)) {
			b.owner, b.ownerPos, b.assigned = owner.text, owner.pos, true
		}
	case top.class: // a field
		b.property, b.owner, b.ownerPos, b.classHead = true, top.className.name, top.className.pos, top.classHead
	case name.kind == js.StringToken:
		return binding{}
	}
	return b
}

func (s *scanner) dotted(i int) bool {
	return i < len(s.last) && (s.last[i].kind == js.DotToken || s.last[i].kind == js.OptChainToken)
}

// modifiers is where the modifiers begin that end with the i-th last token; at
// when there are none.
func (s *scanner) modifiers(i int, at sourcemap.Pos) sourcemap.Pos {
	for ; i < len(s.last); i++ {
		switch s.last[i].kind {
		case js.AsyncToken, js.GetToken, js.SetToken, js.StaticToken, js.MulToken:
			at = s.last[i].pos
		default:
			return at
		}
	}
	return at
}

// keyOf is the member's name that "[…]" stands for: of a string or a number
// in it, or a well-known symbol.
func (s *scanner) keyOf(b bracket) binding {
	t := s.last[0]
	switch {
	case t.text != "" && (t.kind == js.StringToken || js.IsNumeric(t.kind)) && s.last[1].kind == js.OpenBracketToken:
		return binding{name: t.text, pos: t.pos, property: true, kind: accessor(b.before)}
	case t.kind == js.StringToken && s.last[1].kind == js.AddToken && s.last[2].kind == js.StringToken && s.last[3].kind == js.OpenBracketToken:
		return binding{name: s.last[2].text + t.text, pos: s.last[2].pos, property: true, kind: accessor(b.before)}
	case t.text != "" && s.last[1].kind == js.DotToken && s.last[2].text == "Symbol" && s.last[3].kind == js.OpenBracketToken:
		return binding{name: "[Symbol." + t.text + "]", pos: t.pos, property: true, kind: accessor(b.before)}
	}
	return binding{}
}

func accessor(k js.TokenType) Kind {
	switch k {
	case js.GetToken:
		return Getter
	case js.SetToken:
		return Setter
	}
	return Plain
}

// atMember says whether the newest token can be the name of a method: what
// stands before it ends a member or is a modifier.
func (s *scanner) atMember() bool {
	prev, before, top := s.last[0], s.last[1], s.top()
	if prev.kind == js.CloseBracketToken {
		return !s.initializing()
	}
	if prev.text == "" {
		return false
	}
	switch before.kind {
	case js.OpenBraceToken, js.CloseBraceToken, js.SemicolonToken, js.CommaToken, js.MulToken,
		js.GetToken, js.SetToken, js.StaticToken, js.AsyncToken:
		return true
	}
	return top.class && prev.newline && !continues(before.kind)
}

// initializing says whether "[…](" continues an expression: a member's name
// in brackets stands behind what ends a member, or a modifier.
func (s *scanner) initializing() bool {
	switch s.keyFrom {
	case js.OpenBraceToken, js.CloseBraceToken, js.SemicolonToken, js.CommaToken, js.MulToken, js.GetToken, js.SetToken, js.StaticToken, js.AsyncToken:
		return false
	}
	return true
}

// member is the binding of a method whose "(" comes now.
func (s *scanner) member() binding {
	prev, top := s.last[0], s.top()
	b := binding{name: prev.text, pos: prev.pos, property: true, kind: accessor(s.last[1].kind)}
	if prev.kind == js.CloseBracketToken {
		b = s.key
	}
	b.member = true
	if !top.class {
		return b
	}
	b.classHead = top.classHead
	b.owner, b.ownerPos = top.className.name, top.className.pos
	b.isDefault = top.className.isDefault
	if b.name == "constructor" && b.kind == Plain && s.last[1].kind != js.StaticToken {
		b.kind = Constructor
	}
	return b
}
