package scope

// typeDeclaration reads a declaration that only TypeScript has; false: the
// word is a name.
func (p *parser) typeDeclaration(word string) bool {
	t := p.peek()
	named := t.kind == kName && !t.newline
	switch word {
	case "type":
		if !named {
			return false
		}
		p.next()
		p.next()
		p.typeParameters()
		p.expect(kEqual)
		p.typ()
		p.semicolon()
	case "interface":
		if !named {
			return false
		}
		p.next()
		p.next()
		p.typeParameters()
		if p.take(kExtends) {
			p.typ()
			for p.take(kComma) {
				p.typ()
			}
		}
		if !p.is(kOpenBrace) {
			p.fail()
			return true
		}
		p.balanced()
	case "namespace", "module":
		if !named && (t.kind != kString || t.newline) {
			return false
		}
		p.next()
		p.next()
		for p.take(kDot) {
			p.next()
		}
		if p.is(kOpenBrace) {
			p.block()
		} else {
			p.semicolon()
		}
	case "global":
		if t.kind != kOpenBrace {
			return false
		}
		p.next()
		p.block()
	default: // declare, abstract
		if t.newline || !t.kind.isName() || t.kind == kIn || t.kind == kInstanceof ||
			word == "abstract" && t.kind != kClass {
			return false
		}
		p.next()
		p.statement()
	}
	return true
}

// enum reads an enumeration from its word on.
func (p *parser) enum() {
	p.next()
	p.expect(kName)
	p.expect(kOpenBrace)
	for !p.is(kCloseBrace) && !p.is(kEOF) {
		p.memberName()
		if p.take(kEqual) {
			p.assign()
		}
		if !p.take(kComma) {
			break
		}
	}
	p.expect(kCloseBrace)
}
