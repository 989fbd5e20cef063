package scope

// tag reads an element of markup with all it holds. Within another one it
// ends at its last ">", behind which text goes on.
func (p *parser) tag(within bool) {
	p.enter()
	defer p.leave()
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.next()
	p.splitGreater()
	closed := false
	if !p.is(kGreater) { // else a fragment
		p.markupName()
		if p.dialect.Types && p.is(kLess) {
			p.typeArguments()
		}
		closed = p.attributes()
	}
	if !closed {
		p.children()
	}
	p.noIn, p.ternary = noIn, ternary
	p.ref = ref{}
	if !within {
		p.next()
	}
}

// markupName reads the name of a tag or attribute, with what such names hold
// beyond others.
func (p *parser) markupName() binding {
	if !p.tok.kind.isName() {
		p.fail()
		return binding{}
	}
	for p.pos = int(p.tok.start); p.pos < len(p.src); p.pos++ {
		if c := p.src[p.pos]; !part[c] && c < 0x80 && c != '-' && c != ':' && c != '.' {
			break
		}
	}
	b := binding{name: p.src[p.tok.start:p.pos], at: p.tok.start, property: true}
	p.tok.end = int32(p.pos)
	p.next()
	return b
}

// attributes reads up to the ">" of a tag; closed says that it is "/>".
func (p *parser) attributes() (closed bool) {
	for !p.failed {
		p.splitGreater()
		switch {
		case p.is(kGreater):
			return false
		case p.is(kDivide):
			p.next()
			p.splitGreater()
			if !p.is(kGreater) {
				p.fail()
			}
			return true
		case p.is(kOpenBrace):
			p.next()
			p.expect(kEllipsis)
			p.assign()
			p.expect(kCloseBrace)
		default:
			b := p.markupName()
			if p.is(kEqual) {
				p.attribute(b)
			}
		}
	}
	return false
}

// attribute reads the value of an attribute from its "=" on. A function there
// is called as the attribute, which becomes a property.
func (p *parser) attribute(b binding) {
	p.space()
	if p.pos < len(p.src) && (p.src[p.pos] == '"' || p.src[p.pos] == '\'') { // such strings know no escapes
		end := p.pos + 1
		for end < len(p.src) && p.src[end] != p.src[p.pos] {
			end++
		}
		p.pos = min(end+1, len(p.src))
		p.next()
		return
	}
	p.next()
	switch {
	case p.take(kOpenBrace):
		p.value(b)
		p.expect(kCloseBrace)
	case p.is(kLess):
		p.tag(false)
	default:
		p.fail()
	}
}

// children reads the text between ">" of a tag and that of its end. A
// function that is the only child becomes the property "children".
func (p *parser) children() {
	count, only := 0, -1
	for !p.failed {
		p.pos = int(p.tok.end)
		for p.pos < len(p.src) && p.src[p.pos] != '<' && p.src[p.pos] != '{' {
			if c := p.src[p.pos]; c != ' ' && c != '\n' && c != '\t' && c != '\r' {
				count = 2
			}
			p.pos++
		}
		p.next()
		switch {
		case p.is(kOpenBrace):
			p.next()
			p.take(kEllipsis)
			if !p.is(kCloseBrace) {
				count++
				if p.value(binding{name: "children", at: p.tok.start, property: true}) {
					only = int(p.bound.fn)
				}
			}
			if !p.is(kCloseBrace) {
				p.fail()
			}
		case p.is(kLess):
			if c, _ := p.ahead(); c != '/' {
				count++
				p.tag(true)
				continue
			}
			if only >= 0 && count > 1 && only < len(p.funcs) {
				p.funcs[only].binding = binding{}
			}
			p.next()
			p.next()
			if p.tok.kind.isName() {
				p.markupName()
			}
			p.splitGreater()
			if !p.is(kGreater) {
				p.fail()
			}
			return
		default:
			p.fail()
		}
	}
}
