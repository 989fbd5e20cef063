package scope

// kind is what a token is.
type kind uint8

// The kinds of tokens. Words of the language that can be names elsewhere
// ("async", "of", "type") are names; operators that make no difference here
// are signs.
const (
	kEOF kind = iota
	kOther
	kName
	kPrivate // #name
	kNumber
	kString
	kTemplate     // a whole template
	kTemplateHead // up to its first "${"
	kTemplateMiddle
	kTemplateTail
	kRegexp
	kOpenBrace
	kCloseBrace
	kOpenParen
	kCloseParen
	kOpenBracket
	kCloseBracket
	kSemicolon
	kComma
	kColon
	kDot
	kEllipsis
	kOptional // ?.
	kArrow
	kQuestion
	kEqual         // =
	kLogicalAssign // &&=, ||=, ??=
	kAssign        // all others
	kLess
	kGreater
	kDivide
	kStar
	kPlus // and "-"
	kNot  // and "~"
	kStep // ++ and --
	kAt
	kAnd  // &
	kOr   // |
	kSign // any other operator
	kBreak
	kCase
	kCatch
	kClass
	kConst
	kContinue
	kDebugger
	kDefault
	kDelete
	kDo
	kElse
	kEnum
	kExport
	kExtends
	kFalse
	kFinally
	kFor
	kFunction
	kIf
	kImport
	kIn
	kInstanceof
	kNew
	kNull
	kReturn
	kSuper
	kSwitch
	kThis
	kThrow
	kTrue
	kTry
	kTypeof
	kVar
	kVoid
	kWhile
	kWith
)

// isName says whether a token can be the name of a member.
func (k kind) isName() bool { return k == kName || k >= kBreak }

// wordKind is the kind of a word: a reserved one, or a name.
func wordKind(s string) kind {
	switch s {
	case "break":
		return kBreak
	case "case":
		return kCase
	case "catch":
		return kCatch
	case "class":
		return kClass
	case "const":
		return kConst
	case "continue":
		return kContinue
	case "debugger":
		return kDebugger
	case "default":
		return kDefault
	case "delete":
		return kDelete
	case "do":
		return kDo
	case "else":
		return kElse
	case "enum":
		return kEnum
	case "export":
		return kExport
	case "extends":
		return kExtends
	case "false":
		return kFalse
	case "finally":
		return kFinally
	case "for":
		return kFor
	case "function":
		return kFunction
	case "if":
		return kIf
	case "import":
		return kImport
	case "in":
		return kIn
	case "instanceof":
		return kInstanceof
	case "new":
		return kNew
	case "null":
		return kNull
	}
	return wordKind2(s)
}

func wordKind2(s string) kind {
	switch s {
	case "return":
		return kReturn
	case "super":
		return kSuper
	case "switch":
		return kSwitch
	case "this":
		return kThis
	case "throw":
		return kThrow
	case "true":
		return kTrue
	case "try":
		return kTry
	case "typeof":
		return kTypeof
	case "var":
		return kVar
	case "void":
		return kVoid
	case "while":
		return kWhile
	case "with":
		return kWith
	}
	return kName
}

// What a byte begins.
const (
	other uint8 = iota
	letter
	digit
	quote
)

var (
	class    [256]uint8
	part     [256]bool // it can stand within a name
	operator [256]bool
	single   [256]kind // of a punctuator of one character
)

func init() {
	for c := range 256 {
		switch {
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c == '_', c == '$':
			class[c], part[c] = letter, true
		case c >= '0' && c <= '9':
			class[c], part[c] = digit, true
		case c == '"', c == '\'', c == '`':
			class[c] = quote
		case c >= 0x80, c == '\\':
			class[c] = letter
		}
	}
	for _, c := range "=!<>+-*/%&|^?" {
		operator[c] = true
	}
	for c, k := range map[byte]kind{
		'{': kOpenBrace, '}': kCloseBrace, '(': kOpenParen, ')': kCloseParen, '[': kOpenBracket, ']': kCloseBracket,
		';': kSemicolon, ',': kComma, ':': kColon, '.': kDot, '?': kQuestion, '=': kEqual, '<': kLess, '>': kGreater,
		'/': kDivide, '*': kStar, '+': kPlus, '-': kPlus, '!': kNot, '~': kNot, '@': kAt, '&': kAnd, '|': kOr,
		'%': kSign, '^': kSign,
	} {
		single[c] = k
	}
	for c := range single {
		if single[c] == kEOF {
			single[c] = kOther
		}
	}
}
