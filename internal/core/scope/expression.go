package scope

// expression reads expressions with commas between them.
func (p *parser) expression() {
	p.assign()
	for p.take(kComma) {
		p.assign()
	}
}

// ahead is the first two characters after the present token.
func (p *parser) ahead() (first, second byte) {
	i := p.pos
	for i < len(p.src) && (p.src[i] == ' ' || p.src[i] == '\t' || p.src[i] == '\n' || p.src[i] == '\r') {
		i++
	}
	if i+1 < len(p.src) && p.src[i] == '/' && (p.src[i+1] == '/' || p.src[i+1] == '*') {
		i = int(p.peek().start)
	}
	if i < len(p.src) {
		first = p.src[i]
	}
	if i+1 < len(p.src) {
		second = p.src[i+1]
	}
	return first, second
}

// assign reads one expression without commas (AssignmentExpression).
func (p *parser) assign() {
	p.enter()
	defer p.leave()
	start := p.tok.start
	begun := false
	switch p.tok.kind {
	case kName:
		arrow, call := p.arrowOfName()
		if arrow {
			return
		}
		if p.generator && p.word("yield") {
			p.yield()
			return
		}
		begun = call
	case kOpenParen:
		if p.parens(start) {
			return
		}
		begun = true
	case kLess:
		if p.genericArrow(start) {
			return
		}
	}
	if begun {
		p.suffixes()
		p.step()
	} else {
		p.unary()
	}
	p.operators()
}

func (p *parser) yield() {
	p.next()
	if p.tok.newline {
		return
	}
	if p.take(kStar) {
		p.assign()
		return
	}
	switch p.tok.kind {
	case kCloseParen, kCloseBracket, kCloseBrace, kTemplateMiddle, kTemplateTail, kComma, kSemicolon, kColon, kEOF, kIn:
		return
	}
	p.assign()
}

// operators reads what an expression goes on with behind its first operand.
// How operators bind makes no difference here.
func (p *parser) operators() {
	for more := true; more; {
		switch p.tok.kind {
		case kSign, kLess, kGreater, kDivide, kStar, kPlus, kAnd, kOr, kInstanceof:
			p.next()
			p.unary()
		case kIn:
			if p.noIn {
				return
			}
			p.next()
			p.unary()
		case kName:
			more = p.asType()
		default:
			more = false
		}
	}
	switch p.tok.kind {
	case kQuestion:
		p.conditional()
	case kEqual, kLogicalAssign:
		b := p.assigned()
		p.next()
		p.value(b)
	case kAssign:
		p.next()
		p.assign()
	}
}

func (p *parser) conditional() {
	if c, _ := p.ahead(); c == ':' || c == ',' || c == ')' || c == '=' {
		return // a parameter that may be missing: "(a?: T) =>"
	}
	p.next()
	ternary, noIn := p.ternary, p.noIn
	p.ternary, p.noIn = true, false
	p.assign()
	p.ternary, p.noIn = ternary, noIn
	p.expect(kColon)
	p.assign()
}

// assigned is what an assignment names a function after: the name or member on
// its left side.
func (p *parser) assigned() binding {
	r := p.ref
	switch {
	case r.name == "" || r.end != p.before:
		return binding{}
	case !r.member:
		return binding{name: r.name, at: r.at}
	}
	b := binding{name: r.name, at: r.at, property: true}
	switch {
	case r.object == "":
	case r.proto:
		b.owner, b.ownerAt = r.object, r.objectAt
	case !r.dotted:
		b.owner, b.ownerAt, b.assigned = r.object, r.objectAt, true
	}
	return b
}

// unary reads an operand with the operators before and behind it.
func (p *parser) unary() {
	for {
		switch p.tok.kind {
		case kNot, kPlus, kStep, kTypeof, kVoid, kDelete, kNew:
			p.next()
			if p.is(kDot) { // new.target
				p.suffixes()
				return
			}
			continue
		case kName:
			if p.word("await") && p.awaits() {
				p.next()
				continue
			}
		case kLess:
			if p.dialect.Types && !p.dialect.Markup { // <T>x
				start := p.tok.start
				p.next()
				p.typ()
				p.splitGreater()
				p.expect(kGreater)
				if p.hint.at == start {
					p.hint.at = p.tok.start
				}
				continue
			}
		}
		break
	}
	p.primary()
	p.suffixes()
	p.step()
}

// step reads "++" or "--" behind an operand.
func (p *parser) step() {
	if p.is(kStep) && !p.tok.newline {
		p.next()
	}
}

// awaits says whether "await" is the operator and not a name.
func (p *parser) awaits() bool {
	switch p.peek().kind {
	case kDot,
		kEqual,
		kComma,
		kCloseParen,
		kSemicolon,
		kColon,
		kArrow,
		kEOF,
		kCloseBrace,
		kCloseBracket,
		kQuestion,
		kOptional,
		kIn,
		kInstanceof,
		kSign,
		kAssign,
		kLogicalAssign,
		kLess,
		kGreater,
		kAnd,
		kOr,
		kStar:
		return false
	}
	return true
}

// primary reads what operators and suffixes stand around.
func (p *parser) primary() {
	switch p.tok.kind {
	case kName:
		p.nameOperand()
	case kThis, kSuper, kNull, kTrue, kFalse, kNumber, kString, kTemplate, kPrivate, kImport:
		p.ref = ref{}
		p.next()
	case kTemplateHead:
		p.template()
	case kDivide, kAssign:
		if p.src[p.tok.start] != '/' {
			p.fail()
			return
		}
		p.regexp()
		p.next()
	case kOpenParen:
		p.parens(p.tok.start)
	case kOpenBracket:
		p.array()
	case kOpenBrace:
		p.object()
	case kFunction:
		b, id := p.named(p.tok.start)
		p.function(p.tok.start, b, id, true)
	case kClass, kAt:
		b, id := p.named(p.tok.start)
		p.classOrDecorated(b, id)
	case kLess:
		if !p.dialect.Markup {
			p.fail()
			return
		}
		p.tag(false)
	default:
		p.fail()
	}
}

// nameOperand reads a name, or an async function.
func (p *parser) nameOperand() {
	start := p.tok.start
	if p.word("async") {
		if t := p.peek(); t.kind == kFunction && !t.newline {
			b, id := p.named(start)
			p.next()
			p.function(start, b, id, true)
			return
		}
	}
	p.ref = ref{name: p.text(p.tok), at: start, end: p.tok.end}
	p.next()
}

// suffixes reads members, calls and tagged templates behind an operand.
func (p *parser) suffixes() {
	for {
		switch p.tok.kind {
		case kDot, kOptional:
			end := p.before
			p.next()
			if p.tok.kind.isName() || p.is(kPrivate) {
				p.member()
				p.next()
			} else if p.ref.end == end { // "?." before a bracket
				p.ref.end = p.before
			}
		case kOpenBracket:
			b := p.computed()
			p.ref = ref{name: b.name, at: b.at, end: p.before, member: true, computed: true}
		case kOpenParen:
			p.arguments()
		case kTemplate:
			p.ref = ref{}
			p.next()
		case kTemplateHead:
			p.template()
		case kNot:
			if !p.dialect.Types || p.tok.newline || p.src[p.tok.start] != '!' {
				return
			}
			end := p.before
			p.next()
			p.extend(end)
		case kLess, kSign:
			if !p.dialect.Types || !p.callTypes() {
				return
			}
		default:
			return
		}
	}
}

// extend lets what ended at end, with what is bound to it, end here: types
// change no value.
func (p *parser) extend(end int32) {
	if p.bound.end == end {
		p.bound.end = p.before
	}
	if p.ref.end == end {
		p.ref.end = p.before
	}
}

// member notes the member that the token names.
func (p *parser) member() {
	r := ref{name: p.text(p.tok), at: p.tok.start, end: p.tok.end, member: true}
	o := p.ref
	switch {
	case o.name == "":
		r.dotted = true
	case o.member && o.name == "prototype" && o.object != "":
		r.object, r.objectAt, r.proto = o.object, o.objectAt, true
	default:
		r.object, r.objectAt, r.dotted = o.name, o.at, o.member
	}
	p.ref = r
}

// arguments reads the arguments of a call.
func (p *parser) arguments() {
	v := via{}
	if r := p.ref; r.end == p.before && r.name != "" && r.name[0] != '#' && !r.computed {
		v = via{callee: r.name, calleeAt: r.at, member: r.member}
	}
	noIn, ternary := p.noIn, p.ternary
	p.noIn, p.ternary = false, false
	p.next()
	for first := true; !p.is(kCloseParen) && !p.is(kEOF); first = false {
		if first && v.callee != "" && (p.is(kString) || p.is(kTemplate)) {
			v.text = unquoted(p.text(p.tok))
		}
		v.argument = p.tok.start
		p.via = v
		p.take(kEllipsis)
		p.assign()
		if !p.take(kComma) {
			break
		}
	}
	p.expect(kCloseParen)
	p.noIn, p.ternary = noIn, ternary
	p.ref = ref{}
}
