package scope

// statement reads one statement or declaration.
func (p *parser) statement() {
	p.enter()
	defer p.leave()
	switch p.tok.kind {
	case kOpenBrace:
		p.block()
	case kSemicolon:
		p.next()
	case kVar, kConst:
		p.declaration()
	case kFunction:
		p.function(p.tok.start, binding{}, 0, false)
	case kClass, kAt:
		p.classOrDecorated(binding{}, 0)
	case kEnum:
		if !p.dialect.Types {
			p.fail()
			return
		}
		p.enum()
	case kImport:
		if t := p.peek().kind; t == kOpenParen || t == kDot {
			p.expressionStatement()
			return
		}
		p.importDeclaration()
	case kExport:
		p.exportDeclaration()
	case kName:
		p.nameStatement()
	case kIf, kFor, kWhile, kWith, kDo, kSwitch, kTry, kReturn, kThrow, kBreak, kContinue, kDebugger:
		p.control()
	default:
		p.expressionStatement()
	}
}

func (p *parser) expressionStatement() {
	p.expression()
	p.semicolon()
}

// semicolon ends a statement (ECMA-262, automatic semicolon insertion).
func (p *parser) semicolon() {
	if !p.take(kSemicolon) && !p.is(kCloseBrace) && !p.is(kEOF) && !p.tok.newline {
		p.fail()
	}
}

func (p *parser) block() {
	p.expect(kOpenBrace)
	for !p.is(kCloseBrace) && !p.is(kEOF) {
		p.statement()
	}
	p.expect(kCloseBrace)
}

// control reads the statements that begin with a reserved word.
func (p *parser) control() {
	word := p.tok.kind
	p.next()
	switch word {
	case kIf:
		p.condition()
		p.statement()
		if p.take(kElse) {
			p.statement()
		}
	case kWhile, kWith:
		p.condition()
		p.statement()
	case kDo:
		p.statement()
		p.expect(kWhile)
		p.condition()
		p.take(kSemicolon)
	case kFor:
		p.loop()
	case kSwitch:
		p.switchStatement()
	case kTry:
		p.block()
		if p.take(kCatch) {
			if p.take(kOpenParen) {
				p.target()
				p.annotation()
				p.expect(kCloseParen)
			}
			p.block()
		}
		if p.take(kFinally) {
			p.block()
		}
	case kReturn, kThrow:
		if !p.is(kSemicolon) && !p.is(kCloseBrace) && !p.is(kEOF) && !p.tok.newline {
			if word == kReturn && p.is(kNew) {
				p.returnsNew(p.current)
			}
			p.expression()
		}
		p.semicolon()
	case kBreak, kContinue:
		if p.is(kName) && !p.tok.newline {
			p.next()
		}
		p.semicolon()
	default:
		p.semicolon()
	}
}

func (p *parser) condition() {
	p.expect(kOpenParen)
	p.expression()
	p.expect(kCloseParen)
}

func (p *parser) loop() {
	if p.word("await") {
		p.next()
	}
	p.expect(kOpenParen)
	noIn := p.noIn
	p.noIn = true
	switch {
	case p.is(kSemicolon):
	case p.is(kVar) || p.is(kConst) || p.declares():
		p.variables()
	default:
		p.expression()
	}
	p.noIn = noIn
	switch {
	case p.word("of"):
		p.next()
		p.assign()
	case p.take(kIn):
		p.expression()
	default:
		for range 2 {
			p.expect(kSemicolon)
			if !p.is(kSemicolon) && !p.is(kCloseParen) {
				p.expression()
			}
		}
	}
	p.expect(kCloseParen)
	p.statement()
}

func (p *parser) switchStatement() {
	p.condition()
	p.expect(kOpenBrace)
	for !p.is(kCloseBrace) && !p.is(kEOF) {
		switch {
		case p.take(kCase):
			p.expression()
			p.expect(kColon)
		case p.take(kDefault):
			p.expect(kColon)
		default:
			p.statement()
		}
	}
	p.expect(kCloseBrace)
}

// declares says whether a name begins a declaration of variables: "let x",
// "using x", "await using x".
func (p *parser) declares() bool {
	if !p.is(kName) {
		return false
	}
	switch p.text(p.tok) {
	case "let":
		t := p.peek()
		return t.kind == kName && !(p.noIn && p.text(t) == "of") || t.kind == kOpenBracket || t.kind == kOpenBrace
	case "using":
		t := p.peek()
		return t.kind == kName && !t.newline && (!p.noIn || p.text(t) != "of")
	case "await":
		s := p.lexer
		p.next()
		using := p.word("using") && !p.tok.newline
		p.lexer = s
		if !using {
			return false
		}
		p.next()
		t := p.peek()
		p.lexer = s
		return t.kind == kName && !t.newline
	}
	return false
}

func (p *parser) declaration() {
	if p.is(kConst) && p.dialect.Types && p.peek().kind == kEnum {
		p.next()
		p.enum()
		return
	}
	p.variables()
	p.semicolon()
}

// variables reads the declarations after "var", "let", "const" or "using", and these words.
func (p *parser) variables() {
	if p.word("await") {
		p.next()
	}
	p.next()
	for {
		b := binding{}
		if p.is(kName) {
			b = binding{name: p.text(p.tok), at: p.tok.start}
		}
		p.target()
		if p.dialect.Types && p.is(kNot) {
			p.next()
		}
		p.annotation()
		if p.take(kEqual) {
			p.value(b)
		}
		if !p.take(kComma) {
			return
		}
	}
}

// target reads what is declared: a name or a pattern.
func (p *parser) target() {
	p.enter()
	defer p.leave()
	switch p.tok.kind {
	case kName, kThis:
		p.next()
	case kOpenBracket:
		p.next()
		for !p.is(kCloseBracket) && !p.is(kEOF) {
			if p.take(kComma) {
				continue
			}
			p.take(kEllipsis)
			p.element()
			if !p.take(kComma) {
				break
			}
		}
		p.expect(kCloseBracket)
	case kOpenBrace:
		p.next()
		for !p.is(kCloseBrace) && !p.is(kEOF) {
			p.property()
			if !p.take(kComma) {
				break
			}
		}
		p.expect(kCloseBrace)
	default:
		p.fail()
	}
}

// property reads one property of an object pattern.
func (p *parser) property() {
	if p.take(kEllipsis) {
		p.target()
		return
	}
	b := p.memberName()
	if p.take(kColon) {
		p.element()
		return
	}
	if p.take(kEqual) {
		p.value(binding{name: b.name, at: b.at})
	}
}

// element reads a target with its default.
func (p *parser) element() {
	b := binding{}
	if p.is(kName) {
		b = binding{name: p.text(p.tok), at: p.tok.start}
	}
	p.target()
	if p.take(kEqual) {
		p.value(b)
	}
}

// nameStatement reads a statement that begins with a name: an expression, a
// label, or a declaration whose word is not reserved.
func (p *parser) nameStatement() {
	switch word := p.text(p.tok); word {
	case "let", "using", "await":
		if p.declares() {
			p.declaration()
			return
		}
	case "async":
		if t := p.peek(); t.kind == kFunction && !t.newline {
			start := p.tok.start
			p.next()
			p.function(start, binding{}, 0, false)
			return
		}
	case "type", "interface", "namespace", "module", "declare", "abstract", "global":
		if p.dialect.Types && p.typeDeclaration(word) {
			return
		}
	}
	if c, _ := p.ahead(); c == ':' {
		p.next()
		p.next()
		p.statement()
		return
	}
	p.expressionStatement()
}
