package scope

import (
	"slices"
	"strings"
)

// Dialect says what the code is written in, beyond JavaScript.
type Dialect struct {
	Types  bool // TypeScript
	Markup bool // tags within expressions (JSX)
}

// parser reads a program by recursive descent and notes its functions. It
// builds no tree: of everything else it keeps nothing.
type parser struct {
	lexer
	dialect Dialect
	funcs   []found
	depth   int

	// Of the function that is being read.
	current   int // -1: none
	generator bool
	noIn      bool // "in" ends the expression: it is the head of a for loop
	ternary   bool // ":" ends the expression: it stands between "?" and ":"

	noCondition bool // "extends" ends the type

	hint    hint
	hints   int32
	bound   bound
	via     via
	ref     ref
	noArrow map[int32]bool // "(" that were found to begin no arrow function
	repairs int            // bodies of functions that were skipped
	skipped bool           // some were
	classes []extended
}

// maxDepth bounds how deep code may be nested, maxRepairs how many bodies of
// functions that cannot be read are passed over.
const (
	maxDepth   = 5000
	maxRepairs = 50
)

// found is a function with its places as offsets into the code.
type found struct {
	start, body, end int32
	parent           int32
	binding
	via
	class   int    // the class whose constructor it is, from 1; 0: it is none
	returns string // the class of what it returns again, "" when that is nothing
}

// extended is a class with what it extends, as far as that is a name.
type extended struct{ name, base string }

// binding is the name a function or class is bound to, as the language names
// functions (ECMA-262, NamedEvaluation and SetFunctionName), and for functions
// that are assigned to a property, that property.
type binding struct {
	name      string
	at        int32
	kind      Kind
	property  bool
	member    bool
	assigned  bool
	isDefault bool
	inClass   bool
	owner     string // class, or what the property belongs to
	ownerAt   int32
	classHead int32
}

// hint is what an anonymous function is bound to that begins at a place.
type hint struct {
	binding
	at int32
	id int32 // 0: none
}

// bound is the function that took a hint.
type bound struct {
	fn, end, id int32
}

// via is the call that an expression is an argument of.
type via struct {
	callee   string
	calleeAt int32
	member   bool
	text     string
	argument int32 // where the argument begins
}

// ref is a name or the member of something, as it was read last.
type ref struct {
	name     string
	at, end  int32
	member   bool
	computed bool   // it stands in brackets
	object   string // of a member: the name before it
	objectAt int32
	dotted   bool // and that is a member of something itself
	proto    bool // between them stands "prototype"
}

// parse reads the code from an offset on. What is read before a fault stays.
func parse(src string, from int, dialect Dialect) *parser {
	p := &parser{
		lexer:   lexer{src: src, pos: from, budget: 8*(len(src)-from) + 1000},
		dialect: dialect,
		current: -1,
		hint:    hint{at: -1},
		via:     via{argument: -1},
	}
	if strings.HasPrefix(strings.TrimPrefix(src[from:], "\ufeff"), "#!") {
		p.line()
	}
	p.next()
	for p.tok.kind != kEOF {
		p.statement()
	}
	return p
}

// enter goes one level deeper; leave has to follow.
func (p *parser) enter() {
	if p.depth++; p.depth > maxDepth {
		p.fail()
	}
}

func (p *parser) leave() { p.depth-- }

// is says whether the token is of a kind.
func (p *parser) is(k kind) bool { return p.tok.kind == k }

// take goes past the token where it is of a kind.
func (p *parser) take(k kind) bool {
	if p.tok.kind != k {
		return false
	}
	p.next()
	return true
}

// expect goes past a token that has to be of a kind.
func (p *parser) expect(k kind) {
	if !p.take(k) {
		p.fail()
	}
}

// state is what looking ahead has to put back.
type state struct {
	lexer
	current                  int
	funcs, depth             int
	generator, noIn, ternary bool
	noCondition              bool
	hint                     hint
	bound                    bound
	via                      via
	ref                      ref
	skipped                  bool
}

func (p *parser) save() state {
	return state{
		p.lexer,
		p.current,
		len(p.funcs),
		p.depth,
		p.generator,
		p.noIn,
		p.ternary,
		p.noCondition,
		p.hint,
		p.bound,
		p.via,
		p.ref,
		p.skipped,
	}
}

func (p *parser) restore(s state) {
	budget := p.budget
	p.lexer, p.current, p.depth, p.generator, p.noIn, p.ternary = s.lexer, s.current, s.depth, s.generator, s.noIn,
		s.ternary
	p.noCondition, p.hint, p.bound, p.via, p.ref, p.skipped = s.noCondition, s.hint, s.bound, s.via, s.ref, s.skipped
	p.funcs = p.funcs[:s.funcs]
	p.budget = budget
}

// peek is the token behind the present one.
func (p *parser) peek() token {
	s := p.lexer
	p.next()
	t := p.tok
	budget := p.budget
	p.lexer = s
	p.budget = budget
	return t
}

// open begins a function that starts at an offset.
func (p *parser) open(start int32, b binding) int {
	f := found{start: start, body: start, end: -1, parent: int32(p.current), binding: b}
	if p.via.argument == start {
		f.via = p.via
	}
	p.funcs = append(p.funcs, f)
	p.current = len(p.funcs) - 1
	return p.current
}

// close ends function i where the last token ended.
func (p *parser) close(i int, id int32) {
	f := &p.funcs[i]
	f.end = p.before
	p.current = int(f.parent)
	if id != 0 {
		p.bound = bound{int32(i), p.before, id}
	}
}

// named takes the hint that is meant for what begins at start.
func (p *parser) named(start int32) (b binding, id int32) {
	if p.hint.at != start {
		return b, 0
	}
	b, id = p.hint.binding, p.hint.id
	p.hint.at = -1
	return b, id
}

// value reads an expression whose value is bound to b: a function without a
// name of its own is called so, if it is all there is. It says whether it was.
func (p *parser) value(b binding) (function bool) {
	p.hints++
	id := p.hints
	p.hint = hint{b, p.tok.start, id}
	p.assign()
	if p.bound.id != id {
		return false
	}
	if p.bound.end != p.before {
		p.funcs[p.bound.fn].binding = binding{}
		return false
	}
	return true
}

// body reads the body of function i in braces. One that cannot be read is
// passed over, with what was found in it so far: the rest of the code may well be right.
func (p *parser) body(i int, generator bool) {
	s := p.save()
	p.generator, p.noIn, p.ternary = generator, false, false
	p.block()
	p.generator, p.noIn, p.ternary = s.generator, s.noIn, s.ternary
	if !p.failed || p.repairs >= maxRepairs {
		return
	}
	p.repairs++
	kept := slices.Clone(p.funcs[s.funcs:])
	p.restore(s)
	p.skipped = true
	p.balanced()
	if !p.failed {
		kept = slices.DeleteFunc(kept, func(f found) bool { return f.end < 0 })
	}
	p.funcs = append(p.funcs, kept...)
}

// balanced passes over a bracket and all up to its other.
func (p *parser) balanced() {
	p.enter()
	defer p.leave()
	closing := p.tok.kind + 1
	last := p.tok.kind
	p.next()
	for p.tok.kind != closing {
		this := p.tok.kind
		switch this {
		case kDivide, kAssign:
			if p.src[p.tok.start] == '/' && !endsOperand(last) {
				p.regexp()
			}
			p.next()
		case kEOF, kCloseBrace, kCloseParen, kCloseBracket:
			p.fail()
			return
		case kOpenBrace, kOpenParen, kOpenBracket:
			p.balanced()
		case kTemplateHead:
			p.typeTemplate()
		default:
			p.next()
		}
		last = this
	}
	p.next()
}

// endsOperand says whether "/" behind such a token divides.
func endsOperand(k kind) bool {
	switch k {
	case kName,
		kPrivate,
		kNumber,
		kString,
		kTemplate,
		kTemplateHead,
		kOpenBrace,
		kOpenParen,
		kOpenBracket,
		kThis,
		kSuper,
		kNull,
		kTrue,
		kFalse:
		return true
	}
	return false
}
