package scope

// importDeclaration reads an import up to its end.
func (p *parser) importDeclaration() {
	p.next()
	for !p.is(kString) {
		switch p.tok.kind {
		case kEOF, kSemicolon:
			p.fail()
			return
		case kOpenBrace:
			p.balanced()
		case kEqual: // import a = require("b")
			p.next()
			p.expression()
			p.semicolon()
			return
		default:
			if !p.tok.kind.isName() && !p.is(kStar) && !p.is(kComma) {
				p.fail()
				return
			}
			p.next()
		}
	}
	p.next()
	p.importAttributes()
}

func (p *parser) importAttributes() {
	if p.is(kWith) || p.word("assert") && !p.tok.newline {
		p.next()
		if !p.is(kOpenBrace) {
			p.fail()
			return
		}
		p.balanced()
	}
	p.semicolon()
}

func (p *parser) exportDeclaration() {
	p.next()
	switch {
	case p.take(kDefault):
		p.exportDefault()
	case p.is(kStar),
		p.is(kOpenBrace),
		p.word("type") && p.dialect.Types && (p.peek().kind == kOpenBrace || p.peek().kind == kStar):
		p.exportList()
	case p.dialect.Types && p.take(kEqual):
		p.assign()
		p.semicolon()
	case p.dialect.Types && p.word("as"): // export as namespace x
		p.next()
		p.next()
		p.next()
		p.semicolon()
	default:
		p.statement()
	}
}

// exportList reads "* as a from 'b'" and "{a, b} from 'c'".
func (p *parser) exportList() {
	if p.is(kName) {
		p.next()
	}
	if p.take(kStar) {
		if p.word("as") {
			p.next()
			p.next()
		}
	} else {
		p.balanced()
	}
	if p.word("from") {
		p.next()
		p.expect(kString)
		p.importAttributes()
		return
	}
	p.semicolon()
}

func (p *parser) exportDefault() {
	b := binding{isDefault: true}
	switch {
	case p.is(kFunction):
		p.function(p.tok.start, b, 0, false)
	case p.is(kClass) || p.is(kAt):
		p.classOrDecorated(b, 0)
	case p.word("async") && p.peek().kind == kFunction:
		start := p.tok.start
		p.next()
		p.function(start, b, 0, false)
	case p.dialect.Types && p.word("abstract") && p.peek().kind == kClass:
		p.next()
		p.class(b, 0)
	case p.dialect.Types && p.word("interface") && p.peek().kind == kName:
		p.typeDeclaration("interface")
	default:
		p.value(b)
		p.semicolon()
	}
}
