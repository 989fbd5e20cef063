package scope

// template reads a template from its first part on.
func (p *parser) template() {
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	for p.is(kTemplateHead) || p.is(kTemplateMiddle) {
		p.next()
		p.expression()
		if !p.is(kCloseBrace) {
			p.fail()
			return
		}
		p.again()
	}
	p.noIn, p.ternary = noIn, ternary
	p.ref = ref{}
	p.next()
}

func (p *parser) array() {
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.next()
	for !p.is(kCloseBracket) && !p.is(kEOF) {
		if p.take(kComma) {
			continue
		}
		p.take(kEllipsis)
		p.assign()
		if !p.take(kComma) {
			break
		}
	}
	p.expect(kCloseBracket)
	p.noIn, p.ternary = noIn, ternary
	p.ref = ref{}
}

// object reads an object literal, or the pattern that looks like one.
func (p *parser) object() {
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.next()
	for !p.is(kCloseBrace) && !p.is(kEOF) {
		p.objectMember()
		if !p.take(kComma) {
			break
		}
	}
	p.expect(kCloseBrace)
	p.noIn, p.ternary = noIn, ternary
	p.ref = ref{}
}

func (p *parser) objectMember() {
	if p.take(kEllipsis) {
		p.assign()
		return
	}
	start := p.tok.start
	m := p.modifiers(false)
	b := p.memberName()
	switch {
	case p.is(kOpenParen), p.is(kLess) && p.dialect.Types:
		b.kind, b.member = m.kind, true
		p.method(start, b, m.generator)
	case p.take(kColon):
		b.property = b.name != ""
		p.value(b)
	case p.take(kEqual):
		p.value(binding{name: b.name, at: b.at})
	}
}
