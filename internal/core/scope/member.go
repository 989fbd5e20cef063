package scope

import "strings"

// modifiers are the words before a member's name.
type modifiers struct {
	static, generator bool
	kind              Kind
	any               bool
}

// modifiers reads the words before a member's name.
func (p *parser) modifiers(inClass bool) (m modifiers) {
	for {
		if p.is(kStar) {
			p.next()
			m.generator, m.any = true, true
			continue
		}
		if !p.is(kName) {
			return m
		}
		word := p.text(p.tok)
		free := false // it can stand on a line of its own
		switch word {
		case "get", "set":
			free = true
		case "async":
		case "static":
			if !inClass {
				return m
			}
			free = true
		case "accessor":
			if !inClass {
				return m
			}
		case "declare", "abstract", "public", "private", "protected", "readonly", "override":
			if !inClass || !p.dialect.Types {
				return m
			}
		default:
			return m
		}
		t := p.peek()
		if t.newline && !free || !p.modified(word, t.kind) {
			return m
		}
		switch word {
		case "get":
			m.kind = Getter
		case "set":
			m.kind = Setter
		case "static":
			m.static = true
		}
		m.any = true
		p.next()
	}
}

// modified says whether a token can stand behind a word that is a modifier.
func (p *parser) modified(word string, k kind) bool {
	switch {
	case k.isName(), k == kString, k == kNumber, k == kPrivate, k == kOpenBracket:
		return true
	case k == kStar:
		return word != "get" && word != "set"
	case k == kOpenBrace:
		return word == "static"
	}
	return false
}

// memberName reads the name of a member.
func (p *parser) memberName() binding {
	b := binding{at: p.tok.start, property: true}
	switch {
	case p.tok.kind.isName(), p.is(kPrivate), p.is(kNumber):
		b.name = p.text(p.tok)
	case p.is(kString):
		b.name = unquoted(p.text(p.tok))
	case p.is(kOpenBracket):
		return p.computed()
	default:
		p.fail()
		return b
	}
	p.next()
	return b
}

// computed reads "[…]" and gives the name of the member: of a
// string or number, or a well-known symbol.
func (p *parser) computed() binding {
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.next()
	from, first := p.tok.start, p.tok.kind
	text := ""
	at := from
	switch first {
	case kString, kTemplate:
		text = unquoted(p.text(p.tok))
	case kNumber:
		text = p.text(p.tok)
	}
	p.expression()
	end := p.before
	p.expect(kCloseBracket)
	p.noIn, p.ternary = noIn, ternary
	b := binding{property: true}
	if p.failed {
		return b
	}
	whole := p.src[from:end]
	switch {
	case text != "" && (first == kNumber && whole == text || first != kNumber && plainString(whole)):
		b.name, b.at = text, at
	case first == kString:
		if joined, ok := joinedStrings(whole); ok {
			b.name, b.at = joined, at
		}
	case first == kName:
		whole, _, _ = strings.Cut(whole, " as ") // a type
		if name, ok := strings.CutPrefix(whole, "Symbol."); ok && plainName(name) {
			b.name, b.at = "["+whole+"]", from+int32(len("Symbol."))
		}
	}
	return b
}

// plainString says whether s is one string and nothing behind it.
func plainString(s string) bool {
	l := lexer{src: s, budget: 4}
	l.next()
	l.next()
	return l.tok.kind == kEOF && !l.failed
}

func plainName(s string) bool {
	for i := range len(s) {
		if !part[s[i]] {
			return false
		}
	}
	return true
}

// joinedStrings is what "'a' + 'b'" comes to.
func joinedStrings(s string) (joined string, ok bool) {
	l := lexer{src: s, budget: len(s) + 2}
	for {
		l.next()
		if l.tok.kind != kString {
			return "", false
		}
		joined += unquoted(l.text(l.tok))
		l.next()
		if l.tok.kind == kEOF {
			return joined, !l.failed
		}
		if l.tok.kind != kPlus {
			return "", false
		}
	}
}

// method reads a member from its parameters on.
func (p *parser) method(start int32, b binding, generator bool) {
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.via.argument = -1
	p.rest(start, b, 0, generator)
	p.noIn, p.ternary = noIn, ternary
}

// classOrDecorated reads a class with the decorators before it. b is what it is
// bound to when it has no name of its own.
func (p *parser) classOrDecorated(b binding, id int32) {
	for p.is(kAt) {
		p.decorator()
	}
	if p.take(kExport) { // decorators may stand before "export"
		if p.take(kDefault) {
			b = binding{isDefault: true}
		}
	}
	if p.dialect.Types && p.word("abstract") {
		p.next()
	}
	if p.dialect.Types && p.word("declare") {
		p.next()
	}
	p.class(b, id)
}

func (p *parser) decorator() {
	p.next()
	p.primary()
	p.suffixes()
}

// class reads a class from its word on.
func (p *parser) class(b binding, id int32) {
	p.enter()
	defer p.leave()
	head := p.tok.start
	if !p.take(kClass) {
		p.fail()
		return
	}
	c := binding{name: b.name, at: b.at, isDefault: b.isDefault, classHead: head}
	if p.is(kName) && !(p.dialect.Types && p.word("implements") && p.peek().kind != kOpenBrace) {
		c.name, c.at = p.text(p.tok), p.tok.start
		p.next()
	}
	p.typeParameters()
	base := ""
	if p.take(kExtends) {
		from := p.tok.start
		p.primary()
		p.suffixes()
		base = lastName(p.src[from:p.before])
		if p.dialect.Types && p.is(kLess) {
			p.typeArguments()
		}
	}
	if p.dialect.Types && p.word("implements") {
		p.next()
		p.typ()
		for p.take(kComma) {
			p.typ()
		}
	}
	p.classes = append(p.classes, extended{c.name, base})
	number := len(p.classes)
	generator, noIn, ternary := p.generator, p.noIn, p.ternary
	p.generator, p.noIn, p.ternary = false, false, false
	p.expect(kOpenBrace)
	made := false
	for !p.is(kCloseBrace) && !p.is(kEOF) {
		if !p.take(kSemicolon) {
			from := len(p.funcs)
			if p.classMember(c) {
				made = true
				if from < len(p.funcs) {
					p.funcs[from].class = number
				}
			}
		}
	}
	p.expect(kCloseBrace)
	p.generator, p.noIn, p.ternary = generator, noIn, ternary
	p.ref = ref{}
	if !made { // engines say of the constructor that is not written that it stands at the word
		p.funcs = append(
			p.funcs,
			found{
				start:   head,
				body:    head,
				end:     head + int32(len("class")),
				parent:  int32(p.current),
				binding: c.holds(binding{kind: Constructor}),
				via:     via{argument: -1},
				class:   number,
			},
		)
	}
}

// classMember reads one member of class c. It says whether it is the constructor.
func (p *parser) classMember(c binding) (constructor bool) {
	for p.is(kAt) {
		p.decorator()
	}
	start := p.tok.start
	m := p.modifiers(true)
	if m.static && p.is(kOpenBrace) {
		i := p.open(start, c.holds(binding{kind: StaticInitializer}))
		p.funcs[i].body = p.tok.start
		p.body(i, false)
		p.close(i, 0)
		return false
	}
	if p.dialect.Types && p.is(kOpenBracket) && p.indexSignature() {
		return false
	}
	b := c.holds(p.memberName())
	if p.dialect.Types && (p.is(kQuestion) || p.is(kNot)) {
		p.next()
	}
	if p.is(kOpenParen) || p.is(kLess) && p.dialect.Types {
		b.kind, b.member = m.kind, true
		if b.name == "constructor" && b.kind == Plain && !m.static {
			b.kind = Constructor
		}
		p.method(start, b, m.generator)
		return b.kind == Constructor
	}
	p.annotation()
	if p.take(kEqual) {
		p.field(b, m.static)
	}
	p.semicolon()
	return false
}

// holds makes b a member of class c.
func (c binding) holds(b binding) binding {
	b.property = true
	b.owner, b.ownerAt, b.classHead, b.isDefault = c.name, c.at, c.classHead, c.isDefault
	b.inClass = true
	return b
}

// field reads the value of a field. It is a function of its own (ECMA-262,
// ClassFieldDefinitionEvaluation), which counts where the value is none itself.
func (p *parser) field(b binding, static bool) {
	k := FieldInitializer
	if static {
		k = StaticInitializer
	}
	outer := p.current
	p.via.argument = -1
	i := p.open(
		p.tok.start,
		binding{
			kind:      k,
			owner:     b.owner,
			ownerAt:   b.ownerAt,
			classHead: b.classHead,
			isDefault: b.isDefault,
			property:  true,
			inClass:   true,
		},
	)
	method := p.value(b)
	p.funcs[i].end = p.before
	p.current = outer
	if method { // in all but form
		p.funcs[i].end = p.funcs[i].start
	}
}

// indexSignature reads "[name: T]: U"; false: that is not there.
func (p *parser) indexSignature() bool {
	s := p.save()
	p.next()
	if p.is(kName) {
		if c, _ := p.ahead(); c == ':' {
			p.restore(s)
			p.balanced()
			p.annotation()
			p.semicolon()
			return true
		}
	}
	p.restore(s)
	return false
}
