package scope

// This file reads the types of TypeScript. They hold no functions: it is only
// to be known where they end.

// annotation reads ": T", where it is there.
func (p *parser) annotation() {
	if p.dialect.Types && p.take(kColon) {
		p.typ()
	}
}

// returnType reads ": T" behind parameters, where T may be a predicate.
func (p *parser) returnType() {
	if p.dialect.Types && p.take(kColon) {
		p.result()
	}
}

// result reads what a function returns: "x is T", "asserts x", a type.
func (p *parser) result() {
	if p.word("asserts") {
		if t := p.peek(); (t.kind == kName || t.kind == kThis) && !t.newline {
			p.next()
			p.next()
			if p.word("is") {
				p.next()
				p.typ()
			}
			return
		}
	}
	if p.is(kName) || p.is(kThis) {
		if t := p.peek(); t.kind == kName && !t.newline && p.text(t) == "is" {
			p.next()
			p.next()
		}
	}
	p.typ()
}

// typ reads a type.
func (p *parser) typ() {
	p.enter()
	defer p.leave()
	if p.word("abstract") && p.peek().kind == kNew {
		p.next()
	}
	if p.is(kNew) || p.is(kLess) {
		p.take(kNew)
		p.typeParameters()
		if !p.is(kOpenParen) {
			p.fail()
			return
		}
	}
	p.take(kOr)
	p.take(kAnd)
	p.typeOperand()
	for p.is(kOr) || p.is(kAnd) {
		p.next()
		p.typeOperand()
	}
	if !p.noCondition && p.is(kExtends) && !p.tok.newline {
		p.next()
		p.constraint()
		p.expect(kQuestion)
		p.typ()
		p.expect(kColon)
		p.typ()
	}
}

// constraint reads a type behind "extends", which is no conditional one.
func (p *parser) constraint() {
	outer := p.noCondition
	p.noCondition = true
	p.typ()
	p.noCondition = outer
}

// typeOperand reads an operand between "|" and "&".
func (p *parser) typeOperand() {
	for p.is(kName) {
		word := p.text(p.tok)
		if word != "keyof" && word != "unique" && word != "readonly" && word != "infer" {
			break
		}
		switch t := p.peek(); {
		case t.kind.isName() && t.kind != kExtends,
			t.kind == kOpenBracket,
			t.kind == kOpenParen,
			t.kind == kOpenBrace,
			t.kind == kString,
			t.kind == kTemplate,
			t.kind == kTemplateHead:
			p.next()
			if word == "infer" {
				p.inferred()
				return
			}
			continue
		}
		break
	}
	p.typePrimary()
	for p.is(kOpenBracket) && !p.tok.newline {
		p.balanced()
	}
}

// inferred reads "U" or "U extends T" behind "infer".
func (p *parser) inferred() {
	p.next()
	if !p.is(kExtends) {
		return
	}
	s := p.save()
	p.next()
	p.constraint()
	if p.failed || !p.noCondition && p.is(kQuestion) { // that "extends" asks
		p.restore(s)
	}
}

func (p *parser) typePrimary() {
	switch p.tok.kind {
	case kOpenBrace, kOpenBracket:
		p.balanced()
	case kOpenParen:
		function := p.parametersAhead()
		p.balanced()
		if function && p.take(kArrow) {
			outer := p.noCondition
			p.noCondition = false
			p.result()
			p.noCondition = outer
		}
	case kTemplateHead:
		p.typeTemplate()
	case kPlus:
		p.next()
		p.expect(kNumber)
	case kTypeof:
		p.next()
		p.take(kImport)
		p.typeName()
	case kImport:
		p.next()
		p.typeName()
	case kString, kNumber, kTemplate, kNull, kTrue, kFalse, kThis, kVoid:
		p.next()
		if p.is(kDot) { // typeof this.x
			p.typeName()
		}
	case kName:
		p.typeName()
	default:
		p.fail()
	}
}

// parametersAhead says whether "(" begins the parameters of a function type and
// not a type in parentheses, as TypeScript decides it.
func (p *parser) parametersAhead() bool {
	s := p.save()
	defer func() { p.restore(s) }()
	p.next()
	switch p.tok.kind {
	case kCloseParen, kEllipsis:
		return true
	case kName, kThis:
		p.next()
	case kOpenBrace, kOpenBracket:
		p.balanced()
	default:
		return false
	}
	switch p.tok.kind {
	case kColon, kComma, kQuestion, kEqual:
		return true
	case kCloseParen:
		return p.peek().kind == kArrow
	}
	return false
}

// typeName reads a name with its members and type arguments.
func (p *parser) typeName() {
	if p.is(kOpenParen) {
		p.balanced()
	} else if !p.is(kDot) {
		p.next()
	}
	for p.take(kDot) {
		p.next()
	}
	if p.is(kLess) && !p.tok.newline {
		p.typeArguments()
	}
}

// typeTemplate skips a template with its contents.
func (p *parser) typeTemplate() {
	p.enter()
	defer p.leave()
	for p.is(kTemplateHead) || p.is(kTemplateMiddle) {
		p.next()
		for !p.is(kCloseBrace) {
			switch p.tok.kind {
			case kEOF, kCloseParen, kCloseBracket:
				p.fail()
				return
			case kOpenBrace, kOpenParen, kOpenBracket:
				p.balanced()
			case kTemplateHead:
				p.typeTemplate()
			default:
				p.next()
			}
		}
		p.again()
	}
	p.next()
}

// typeParameters reads "<T, const U extends V = W>", where it is there.
func (p *parser) typeParameters() {
	if !p.dialect.Types || !p.is(kLess) {
		return
	}
	outer := p.noCondition
	p.noCondition = false
	p.next()
	for p.is(kName) || p.is(kConst) || p.is(kIn) {
		for p.is(kName) || p.is(kConst) || p.is(kIn) { // with "in", "out", "const" before it
			p.next()
		}
		if p.take(kExtends) {
			p.typ()
		}
		if p.take(kEqual) {
			p.typ()
		}
		if !p.take(kComma) {
			break
		}
	}
	p.noCondition = outer
	p.splitGreater()
	p.expect(kGreater)
}

// typeArguments reads "<T, U>".
func (p *parser) typeArguments() {
	p.enter()
	defer p.leave()
	outer := p.noCondition
	p.noCondition = false
	p.expect(kLess)
	for p.splitGreater(); !p.is(kGreater) && !p.is(kEOF); p.splitGreater() {
		p.typ()
		if !p.take(kComma) {
			break
		}
	}
	p.noCondition = outer
	p.splitGreater()
	p.expect(kGreater)
}

// callTypes reads type arguments behind an operand; false: "<" compares.
func (p *parser) callTypes() bool {
	if p.is(kSign) {
		if p.text(p.tok) != "<<" {
			return false
		}
		s := p.save()
		p.tok.kind, p.tok.end = kLess, p.tok.start+1
		p.pos = int(p.tok.end)
		if p.callTypes() {
			return true
		}
		p.restore(s)
		return false
	}
	s, end := p.save(), p.before
	p.typeArguments()
	if p.failed || !p.behindTypes() {
		p.restore(s)
		return false
	}
	p.extend(end)
	return true
}

// behindTypes says whether the token can stand behind type arguments, as
// TypeScript decides it: what begins an operand cannot.
func (p *parser) behindTypes() bool {
	switch p.tok.kind {
	case kOpenParen, kTemplate, kTemplateHead:
		return true
	case kLess, kGreater, kPlus:
		return false
	case kName:
		return p.tok.newline || p.word("as") || p.word("satisfies")
	case kNumber,
		kString,
		kPrivate,
		kOpenBracket,
		kOpenBrace,
		kFunction,
		kClass,
		kThis,
		kSuper,
		kNew,
		kNot,
		kTypeof,
		kVoid,
		kDelete,
		kDivide,
		kNull,
		kTrue,
		kFalse,
		kImport,
		kStep,
		kAt:
		return p.tok.newline
	}
	return true
}

// asType reads "as T" and "satisfies T"; false: that is not there.
func (p *parser) asType() bool {
	if !p.dialect.Types || p.tok.newline || !p.word("as") && !p.word("satisfies") {
		return false
	}
	end := p.before
	p.next()
	if !p.take(kConst) {
		p.typ()
	}
	p.extend(end)
	return true
}
