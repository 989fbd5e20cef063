package scope

import "strings"

// maxBehalf is up to how many tokens a function may fail on behalf of its
// callers: what is longer does work of its own.
const (
	maxBehalf     = 400
	maxBehalfText = 20 * maxBehalf // in bytes
)

// behalf is what the text of a function says about the caller it works for.
type behalf struct {
	fails    bool     // when it fails, its caller asked for that
	forwards []string // functions that it hands its own first parameter to
}

// MarkOnBehalf finds the functions of a source that fail on behalf of their
// callers: those that do nothing but insist that a parameter is there ("if (!ok)
// throw …"), and those that request what they are given (fetch(path)). text is
// that of a function of the table. The names of the latter are added to asking.
func (t *Table) MarkOnBehalf(text func(i int) string, asking map[string]bool) {
	for i := range t.funcs {
		s := text(i)
		fetches := strings.Contains(s, "fetch") || strings.Contains(s, "axios")
		if len(s) > maxBehalfText || !fetches && !strings.Contains(s, "throw") {
			continue
		}
		t.funcs[i].OnBehalf = behalfOf(s).fails
		if t.funcs[i].OnBehalf && fetches && t.funcs[i].Name != "" {
			asking[t.funcs[i].Name] = true
		}
	}
}

// MarkForwards finds those that only hand their own parameter on to functions
// that are called as asking says. It adds their names, and says whether there
// were any.
func (t *Table) MarkForwards(text func(i int) string, asking map[string]bool) (more bool) {
	if len(asking) == 0 {
		return false
	}
	if t.forwards == nil {
		t.forwards = make([][]string, len(t.funcs))
		for i := range t.funcs {
			if s := text(i); !t.funcs[i].OnBehalf && len(s) <= maxBehalfText {
				t.forwards[i] = behalfOf(s).forwards
			}
		}
	}
	for again := true; again; {
		again = false
		for i, names := range t.forwards {
			for _, n := range names {
				if !t.funcs[i].OnBehalf && asking[n] {
					t.funcs[i].OnBehalf, again, more = true, true, true
					if t.funcs[i].Name != "" {
						asking[t.funcs[i].Name] = true
					}
				}
			}
		}
	}
	return more
}

func behalfOf(text string) (b behalf) {
	list := tokens(text)
	if len(list) > maxBehalf {
		return b
	}
	word := func(i int) string {
		if i < 0 || i >= len(list) {
			return ""
		}
		return text[list[i].start:list[i].end]
	}
	params, body := head(text, list)
	if len(params) == 0 {
		return b
	}
	if b.fails = insists(list[body:], text, params); b.fails {
		return b
	}
	literal := false
	for i := body; i < len(list); i++ {
		literal = literal || speaks(list[i], text)
	}
	for i := body; i+1 < len(list); i++ {
		call := list[i].kind == kName && (list[i+1].kind == kOpenParen || list[i+1].kind == kLess)
		if !call {
			continue
		}
		open := i + 1
		for open < len(list) && list[open].kind != kOpenParen { // past type arguments
			open++
		}
		given, spoken := false, false
		for j := open + 1; j < len(list) && list[j].kind != kComma && list[j].kind != kCloseParen; j++ {
			given = given || list[j].kind == kName && params[word(j)] && !isMember(list, j)
			spoken = spoken || speaks(list[j], text)
		}
		bare := params[word(open+1)] &&
			(open+2 < len(list) && (list[open+2].kind == kComma || list[open+2].kind == kCloseParen))
		switch name := word(i); {
		case (name == "fetch" || name == "axios") && given && !spoken &&
			(!isMember(list, i) || word(i-2) == "window" || word(i-2) == "globalThis" || word(i-2) == "self"):
			b.fails = true
		case bare && !literal && !isMember(list, i):
			b.forwards = append(b.forwards, name)
		}
	}
	return b
}

// speaks says whether a token is a text with words in it.
func speaks(t token, text string) bool {
	switch t.kind {
	case kString, kTemplate, kTemplateHead, kTemplateMiddle, kTemplateTail:
		return strings.ContainsFunc(text[t.start:t.end], func(r rune) bool {
			return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z'
		})
	}
	return false
}

// head gives the plain parameters of a function and where what follows them begins.
func head(text string, list []token) (params map[string]bool, body int) {
	params = map[string]bool{}
	for i := range list[:min(len(list), 12)] {
		switch {
		case list[i].kind == kName && i+1 < len(list) && list[i+1].kind == kArrow:
			params[text[list[i].start:list[i].end]] = true
			return params, i + 2
		case list[i].kind == kOpenParen:
			end := closings(list)[i]
			depth := 0
			for j := i + 1; j < end; j++ {
				switch list[j].kind {
				case kOpenBrace, kOpenBracket, kOpenParen, kLess:
					depth++
				case kCloseBrace, kCloseBracket, kCloseParen, kGreater:
					depth--
				case kName:
					if depth == 0 && (list[j-1].kind == kOpenParen || list[j-1].kind == kComma) {
						params[text[list[j].start:list[j].end]] = true
					}
				}
			}
			return params, min(end+1, len(list))
		}
	}
	return params, 0
}

// insists says whether a body only throws where a parameter is nothing, says of
// it what another one says, and gives it back: "{ if (!ok) throw new Problem(words); return ok }".
func insists(list []token, text string, params map[string]bool) bool {
	i := 0
	for i < len(list) && list[i].kind != kOpenBrace { // the type of the result
		if list[i].kind == kArrow && i+1 < len(list) && list[i+1].kind != kOpenBrace {
			return false
		}
		i++
	}
	i++
	word := func(i int) string { return text[list[i].start:list[i].end] }
	guards := 0
	for i < len(list) && list[i].kind == kIf {
		end, tested := i+1, map[string]bool{}
		for end++; end < len(list) && list[end].kind != kCloseParen; end++ {
			w := word(end)
			switch {
			case params[w]:
				tested[w] = true
			case w == "undefined", w == "null", w == "false", w == "typeof", w == "'undefined'", w == `"undefined"`,
				list[end].kind == kNot, w == "==", w == "===", w == "||":
			default:
				return false
			}
		}
		i = end + 1
		if len(tested) == 0 || i >= len(list) {
			return false
		}
		braces := list[i].kind == kOpenBrace
		if braces {
			i++
		}
		if i >= len(list) || list[i].kind != kThrow {
			return false
		}
		from := i
		i = ends(list, i)
		told := false // what is said of it came from the caller too
		for _, t := range list[from:i] {
			w := text[t.start:t.end]
			told = told || t.kind == kName && params[w] && !tested[w]
		}
		if !told {
			return false
		}
		if braces && i < len(list) && list[i].kind == kCloseBrace {
			i++
		}
		guards++
	}
	if i+1 < len(list) && list[i].kind == kReturn && (params[word(i+1)] || list[i+1].kind == kTrue) {
		if i += 2; i < len(list) && list[i].kind == kNot { // TypeScript's "value!"
			i++
		}
		if i < len(list) && list[i].kind == kSemicolon {
			i++
		}
	}
	return guards > 0 && i == len(list)-1 && list[i].kind == kCloseBrace
}

// ends is where the statement at i is over.
func ends(list []token, i int) int {
	depth := 0
	for ; i < len(list); i++ {
		switch list[i].kind {
		case kOpenBrace, kOpenBracket, kOpenParen:
			depth++
		case kCloseBrace, kCloseBracket, kCloseParen:
			if depth == 0 {
				return i
			}
			if depth--; depth == 0 && i+1 < len(list) && list[i+1].newline {
				return i + 1
			}
		case kSemicolon:
			if depth == 0 {
				return i + 1
			}
		}
	}
	return i
}
