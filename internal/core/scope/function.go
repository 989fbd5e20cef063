package scope

import "strings"

// function reads from the word "function" on. b is what it is bound to when it
// has no name of its own, id the hint that came from.
func (p *parser) function(start int32, b binding, id int32, expression bool) {
	v := p.via
	p.next()
	generator := p.take(kStar)
	if p.is(kName) {
		b, id = binding{name: p.text(p.tok), at: p.tok.start}, 0
		p.next()
	} else if !p.is(kOpenParen) && !p.is(kLess) {
		p.fail()
		return
	}
	if expression {
		p.via = v
	} else {
		p.via.argument = -1
	}
	p.rest(start, b, id, generator)
	if !expression {
		p.ref = ref{}
	}
}

// rest reads a function from its parameters on. One without a body (an
// overload, an abstract method) is none.
func (p *parser) rest(start int32, b binding, id int32, generator bool) {
	outer := p.current
	i := p.open(start, b)
	p.typeParameters()
	p.parameters()
	p.returnType()
	if p.is(kOpenBrace) {
		p.funcs[i].body = p.tok.start
		p.body(i, generator)
		p.close(i, id)
		return
	}
	if !p.dialect.Types {
		p.fail()
		return
	}
	p.funcs, p.current = p.funcs[:i], outer
	p.semicolon()
}

// parameters reads a list of parameters with its parentheses.
func (p *parser) parameters() {
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.expect(kOpenParen)
	for !p.is(kCloseParen) && !p.is(kEOF) {
		for p.is(kAt) {
			p.decorator()
		}
		for p.dialect.Types && p.is(kName) && parameterModifier[p.text(p.tok)] && p.targetFollows() {
			p.next()
		}
		p.take(kEllipsis)
		b := binding{}
		if p.is(kName) {
			b = binding{name: p.text(p.tok), at: p.tok.start}
		}
		p.target()
		if p.dialect.Types {
			p.take(kQuestion)
		}
		p.annotation()
		if p.take(kEqual) {
			p.value(b)
		}
		if !p.take(kComma) {
			break
		}
	}
	p.expect(kCloseParen)
	p.noIn, p.ternary = noIn, ternary
}

var parameterModifier = map[string]bool{
	"public":    true,
	"private":   true,
	"protected": true,
	"readonly":  true,
	"override":  true,
}

func (p *parser) targetFollows() bool {
	k := p.peek().kind
	return k == kName || k == kOpenBrace || k == kOpenBracket || k == kEllipsis
}

// arrowOfName reads an arrow function that begins with a name: "x => …",
// "async x => …", "async (x) => …". call is true when it was "async(…)" instead,
// and has been read.
func (p *parser) arrowOfName() (arrow, call bool) {
	start := p.tok.start
	if p.word("async") {
		switch t := p.peek(); {
		case t.newline || t.kind == kFunction:
		case t.kind == kOpenParen:
			name := ref{name: "async", at: start, end: p.tok.end}
			p.next()
			p.ref = name
			if p.parens(start) {
				return true, false
			}
			p.ref = ref{}
			return false, true
		case t.kind == kLess:
			s := p.save()
			p.next()
			if p.genericArrow(start) {
				return true, false
			}
			p.restore(s)
		case t.kind == kName:
			s := p.save()
			p.next()
			if c, d := p.ahead(); c == '=' && d == '>' {
				p.next()
				p.arrow(start)
				return true, false
			}
			p.restore(s)
		}
	}
	if c, d := p.ahead(); c == '=' && d == '>' {
		p.next()
		p.arrow(start)
		return true, false
	}
	return false, false
}

// arrow reads an arrow function from its "=>" on.
func (p *parser) arrow(start int32) {
	if p.tok.newline {
		p.fail()
		return
	}
	b, id := p.named(start)
	i := p.open(start, b)
	p.next()
	p.funcs[i].body = p.tok.start
	if p.is(kOpenBrace) {
		p.body(i, false)
	} else {
		generator := p.generator
		p.generator = false
		if p.is(kNew) {
			p.returnsNew(i)
		}
		p.assign()
		p.generator = generator
	}
	p.close(i, id)
	p.ref = ref{}
}

// returnsNew notes of what class function i makes what it returns; the token is "new".
func (p *parser) returnsNew(i int) {
	if i < 0 || p.funcs[i].returns != "" {
		return
	}
	end := p.pos
	for end < len(p.src) && (part[p.src[end]] || p.src[end] == '.' || p.src[end] == ' ') {
		end++
	}
	p.funcs[i].returns = lastName(p.src[p.pos:end])
}

// lastName is the last part of "a.b.C", "" of what is no such name.
func lastName(text string) string {
	text = strings.TrimSpace(text)
	for i := range len(text) {
		if !part[text[i]] && text[i] != '.' {
			return ""
		}
	}
	return text[strings.LastIndexByte(text, '.')+1:]
}

// parens reads "(…)" and, when it begins an arrow function, all of that. The
// function would start at start.
func (p *parser) parens(start int32) (arrow bool) {
	open, h, v := p.tok.start, p.hint, p.via
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.next()
	if h.at == open {
		p.hint.at = p.tok.start
	}
	for !p.is(kCloseParen) && !p.is(kEOF) {
		p.take(kEllipsis)
		p.item()
		if !p.take(kComma) {
			break
		}
	}
	p.noIn, p.ternary = noIn, ternary
	end := p.before
	p.expect(kCloseParen)
	if p.is(kArrow) && !p.tok.newline {
		p.hint, p.via = h, v
		p.arrow(start)
		return true
	}
	if p.dialect.Types && p.is(kColon) && !p.noArrow[open] {
		s := p.save()
		p.hint, p.via = h, v
		p.returnType()
		if !p.failed && p.is(kArrow) && !p.tok.newline {
			p.arrow(start)
			if !p.failed && (!ternary || p.is(kColon)) {
				return true
			}
		}
		p.restore(s)
		if p.noArrow == nil {
			p.noArrow = map[int32]bool{}
		}
		p.noArrow[open] = true
	}
	p.extend(end)
	if p.ref.end != p.before {
		p.ref = ref{}
	}
	return false
}

// item reads one item between the commas of parentheses: an expression, or
// a parameter.
func (p *parser) item() {
	p.assign()
	if !p.dialect.Types || !p.is(kQuestion) && !p.is(kColon) {
		return
	}
	b := binding{}
	if p.ref.end == p.before && !p.ref.member {
		b = binding{name: p.ref.name, at: p.ref.at}
	}
	p.take(kQuestion)
	p.annotation()
	if p.take(kEqual) {
		p.value(b)
	}
}

// genericArrow reads an arrow function with type parameters; false: none is there.
func (p *parser) genericArrow(start int32) bool {
	if !p.dialect.Types || p.noArrow[p.tok.start] || p.dialect.Markup && !p.typeList() {
		return false
	}
	s := p.save()
	h, v, open := p.hint, p.via, p.tok.start
	p.typeParameters()
	if !p.failed && p.is(kOpenParen) {
		p.hint, p.via = h, v
		if p.parens(start) && !p.failed {
			return true
		}
	}
	p.restore(s)
	if p.noArrow == nil {
		p.noArrow = map[int32]bool{}
	}
	p.noArrow[open] = true
	return false
}

// typeList says whether "<" begins a list of type parameters where it could
// also begin a tag: "<T,>", "<T extends U>", "<const T>".
func (p *parser) typeList() bool {
	s := p.lexer
	defer func() { p.lexer = s }()
	p.next()
	if p.is(kConst) {
		return true
	}
	if !p.is(kName) {
		return false
	}
	p.next()
	if p.is(kExtends) { // <T extends U>, not <T extends={…}>
		p.next()
		return !p.is(kEqual) && !p.is(kGreater) && !p.is(kDivide)
	}
	return p.is(kComma) || p.is(kEqual) && !strings.HasPrefix(p.src[p.pos:], "\"") && p.peek().kind == kName
}

// unquoted is the text of a string without its quotes and escapes.
func unquoted(s string) string {
	if len(s) < 2 {
		return ""
	}
	s = s[1 : len(s)-1]
	if strings.IndexByte(s, '\\') < 0 {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '\\' && i+1 < len(s) && strings.IndexByte("'\"`\\", s[i+1]) >= 0 {
			i++
		}
		b.WriteByte(s[i])
	}
	return b.String()
}
