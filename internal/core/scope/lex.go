package scope

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// token is one token of the code, with its bytes [start,end) there.
type token struct {
	kind       kind
	start, end int32
	newline    bool // a line break lies before it
}

// lexer cuts code into tokens. Where the grammar alone tells what a character
// begins (regular expressions, parts of templates, text between tags) the
// parser asks for it to be read again.
type lexer struct {
	src     string
	pos     int
	tok     token
	before  int32 // where the token before tok ended
	failed  bool  // what was read is no program; from then on there is nothing but the end
	problem int32 // where that was
	budget  int   // how many tokens may still be read: looking ahead must not take for ever
}

// fail lets the parser see the end of the code: every loop ends there.
func (l *lexer) fail() {
	if !l.failed {
		l.problem = l.tok.start
	}
	l.failed = true
	l.tok = token{kind: kEOF, start: l.tok.start, end: l.tok.start, newline: true}
}

func (l *lexer) text(t token) string { return l.src[t.start:t.end] }

// word says whether the token is this name, which is no reserved word.
func (l *lexer) word(text string) bool {
	return l.tok.kind == kName && l.src[l.tok.start:l.tok.end] == text
}

// next reads the next token.
func (l *lexer) next() {
	if l.failed {
		l.fail()
		return
	}
	if l.budget--; l.budget < 0 {
		l.fail()
		return
	}
	l.before = l.tok.end
	l.tok.newline = l.space()
	l.tok.start = int32(l.pos)
	if l.pos >= len(l.src) {
		l.tok.kind, l.tok.end = kEOF, l.tok.start
		return
	}
	c := l.src[l.pos]
	switch class[c] {
	case letter:
		l.name()
	case digit:
		l.number()
	case quote:
		l.quoted(c)
	default:
		l.sign(c)
	}
	l.tok.end = int32(l.pos)
}

// space skips the text between tokens, and says whether a line ended there.
func (l *lexer) space() (newline bool) {
	for l.pos < len(l.src) {
		c := l.src[l.pos]
		switch {
		case c == ' ' || c == '\t' || c == '\v' || c == '\f':
			l.pos++
		case c == '\n' || c == '\r':
			newline = true
			l.pos++
		case c == '/' && strings.HasPrefix(l.src[l.pos:], "//"):
			l.line()
		case c == '/' && strings.HasPrefix(l.src[l.pos:], "/*"):
			n := strings.Index(l.src[l.pos+2:], "*/")
			if n < 0 {
				l.broken(l.pos)
				return true
			}
			newline = newline || strings.ContainsAny(l.src[l.pos:l.pos+2+n], "\n\r")
			l.pos += n + 4
		case (c == '<' || c == '-') && (newline || l.tok.end == 0) &&
			(strings.HasPrefix(l.src[l.pos:], "<!--") || strings.HasPrefix(l.src[l.pos:], "-->")):
			l.line() // ECMA-262, B.1.1
		case c >= utf8.RuneSelf:
			r, n := utf8.DecodeRuneInString(l.src[l.pos:])
			if r != '\ufeff' && !unicode.IsSpace(r) && r != '\u2028' && r != '\u2029' {
				return newline
			}
			newline = newline || r == '\u2028' || r == '\u2029'
			l.pos += n
		default:
			return newline
		}
	}
	return newline
}

// line skips the rest of a line.
func (l *lexer) line() {
	for l.pos < len(l.src) {
		switch l.src[l.pos] {
		case '\n', '\r':
			return
		case 0xe2:
			if strings.HasPrefix(l.src[l.pos:], "\u2028") || strings.HasPrefix(l.src[l.pos:], "\u2029") {
				return
			}
		}
		l.pos++
	}
}

// name reads an identifier or a word of the language.
func (l *lexer) name() {
	start := l.pos
	plain := true
	for l.pos < len(l.src) {
		c := l.src[l.pos]
		if part[c] {
			l.pos++
			continue
		}
		n := l.wide()
		if n == 0 {
			break
		}
		plain = false
		l.pos += n
	}
	l.tok.kind = kName
	if n := l.pos - start; n == 0 {
		l.pos++
		l.tok.kind = kOther
	} else if plain && n >= 2 && n <= 10 {
		l.tok.kind = wordKind(l.src[start:l.pos])
	}
}

// wide is the length of a letter beyond ASCII, or of one that is escaped; 0:
// there is none.
func (l *lexer) wide() int {
	rest := l.src[l.pos:]
	if rest[0] == '\\' {
		if !strings.HasPrefix(rest, `\u`) {
			return 0
		}
		if end := strings.IndexByte(rest[:min(len(rest), 12)], '}'); len(rest) > 2 && rest[2] == '{' && end > 0 {
			return end + 1
		}
		return min(6, len(rest))
	}
	if rest[0] < utf8.RuneSelf {
		return 0
	}
	r, n := utf8.DecodeRuneInString(rest)
	if unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsDigit(r) || unicode.Is(unicode.Pc, r) ||
		unicode.Is(unicode.Nl, r) ||
		r == '\u200c' ||
		r == '\u200d' ||
		unicode.Is(unicode.Other_ID_Start, r) {
		return n
	}
	return 0
}

func (l *lexer) number() {
	l.tok.kind = kNumber
	decimal := l.src[l.pos] != '0' || l.pos+1 >= len(l.src) || !part[l.src[l.pos+1]] ||
		class[l.src[l.pos+1]] == digit ||
		l.src[l.pos+1] == 'e'
	for dot := false; l.pos < len(l.src); l.pos++ {
		c := l.src[l.pos]
		switch {
		case part[c]:
			if decimal && (c == 'e' || c == 'E') && l.pos+1 < len(l.src) &&
				(l.src[l.pos+1] == '+' || l.src[l.pos+1] == '-') {
				l.pos++
			}
		case c == '.' && decimal && !dot:
			dot = true
		default:
			return
		}
	}
}

// quoted reads a string, or a template up to its end or its first "${".
func (l *lexer) quoted(c byte) {
	if c == '`' {
		l.pos++
		l.template(kTemplate, kTemplateHead)
		return
	}
	l.tok.kind = kString
	for l.pos++; l.pos < len(l.src); l.pos++ {
		switch l.src[l.pos] {
		case c:
			l.pos++
			return
		case '\\':
			l.pos++
			if l.pos+1 < len(l.src) && l.src[l.pos] == '\r' && l.src[l.pos+1] == '\n' {
				l.pos++
			}
		case '\n', '\r':
			l.broken(l.pos)
			return
		}
	}
	l.broken(int(l.tok.start))
}

// template reads on to the end of a template, or to its next "${".
func (l *lexer) template(ended, goesOn kind) {
	for ; l.pos < len(l.src); l.pos++ {
		switch l.src[l.pos] {
		case '`':
			l.pos++
			l.tok.kind = ended
			return
		case '\\':
			l.pos++
		case '$':
			if l.pos+1 < len(l.src) && l.src[l.pos+1] == '{' {
				l.pos += 2
				l.tok.kind = goesOn
				return
			}
		}
	}
	l.broken(int(l.tok.start))
	l.tok.kind = ended
}

// broken notes that what begins at an offset has no end.
func (l *lexer) broken(at int) {
	if !l.failed {
		l.problem = int32(at)
	}
	l.pos, l.failed = len(l.src), true
}

// again reads the token again as what goes on behind "}" in a template.
func (l *lexer) again() {
	l.pos = int(l.tok.start) + 1
	l.template(kTemplateTail, kTemplateMiddle)
	l.tok.end = int32(l.pos)
}

// regexp reads the token, "/" or "/=", again as a regular expression.
func (l *lexer) regexp() {
	l.tok.kind = kRegexp
	inClass := false
	for l.pos = int(l.tok.start) + 1; l.pos < len(l.src); l.pos++ {
		switch c := l.src[l.pos]; {
		case c == '\\':
			l.pos++
		case c == '[':
			inClass = true
		case c == ']':
			inClass = false
		case c == '\n' || c == '\r':
			l.fail()
			return
		case c == '/' && !inClass:
			for l.pos++; l.pos < len(l.src) && part[l.src[l.pos]]; l.pos++ {
			}
			l.tok.end = int32(l.pos)
			return
		}
	}
	l.fail()
}

// splitGreater makes ">" of a token that begins with it.
func (l *lexer) splitGreater() {
	if (l.tok.kind == kSign || l.tok.kind == kAssign) && l.src[l.tok.start] == '>' {
		l.tok.kind, l.tok.end = kGreater, l.tok.start+1
		l.pos = int(l.tok.end)
	}
}

// sign reads a punctuator.
func (l *lexer) sign(c byte) {
	rest := l.src[l.pos:]
	second := byte(0)
	if len(rest) > 1 {
		second = rest[1]
	}
	l.tok.kind = single[c]
	n := 1
	switch {
	case c == '.' && second >= '0' && second <= '9':
		l.number()
		return
	case c == '.' && strings.HasPrefix(rest, "..."):
		l.tok.kind, n = kEllipsis, 3
	case c == '=' && second == '>':
		l.tok.kind, n = kArrow, 2
	case c == '?' && second == '.' && (len(rest) < 3 || class[rest[2]] != digit):
		l.tok.kind, n = kOptional, 2
	case c == '#' && (second == '\\' || class[second] == letter):
		l.pos++
		l.name()
		l.tok.kind = kPrivate
		return
	case operator[c]:
		n = l.operator(rest, c, second)
	}
	l.pos += n
}

// operator is the length of the operator at the beginning of rest; it sets its kind.
func (l *lexer) operator(rest string, c, second byte) int {
	switch {
	case second == '=' && c != '=' && c != '!': // "+=", "<=", ">="
		l.tok.kind = kAssign
		if c == '<' || c == '>' {
			l.tok.kind = kSign
		}
		return 2
	case second == '=': // "==", "!="
		l.tok.kind = kSign
		if len(rest) > 2 && rest[2] == '=' {
			return 3
		}
		return 2
	case second != c || c == '=' || c == '!' || c == '%' || c == '^' || c == '/':
		return 1
	}
	n := 2 // "**", "&&", "||", "??", "<<", ">>", "++", "--"
	if c == '>' && len(rest) > 2 && rest[2] == '>' {
		n = 3
	}
	l.tok.kind = kSign
	switch {
	case c == '+' || c == '-':
		l.tok.kind = kStep
	case len(rest) > n && rest[n] == '=':
		n++
		l.tok.kind = kAssign
		if c == '&' || c == '|' || c == '?' {
			l.tok.kind = kLogicalAssign
		}
	}
	return n
}
