// Package shape replaces the variable parts of a message, such as ids, numbers, times, addresses and
// paths, by their kind in angle brackets. Words, error codes, HTTP status codes, field names and type
// names stay.
//
// # The grammar
//
// A message is read from left to right. At each place the first of these that
// stands there is taken; what is none of them is kept.
//
//	quoted     "…" '…' `…` “…” ‘…’ «…» „…“   <text>, unless it names a field, type or module
//	json       {"a": …} [1, 2]               <json>, <list>
//	url        https://h/a/1?q=1             https://<host>/a/<number>
//	path       /v2/berths/7/lock             /v2/berths/<number>/lock, by segment
//	file       /home/ci/b-1/src/a.ts C:\a.ts  <path>/a.ts; <path> where the base name is no code
//	word       everything else up to a space, by its form (word.go)
//
// Items that repeat (<number>, <number>, <number>) are one. Pure; at most 4 KiB
// of a message are read.
package shape

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// maxLength is how much of a message is looked at, in bytes.
const maxLength = 4 << 10

// Of is the shape of a message.
func Of(message string) string { return read(message, false) }

// Asked is the shape of a message that names what was requested: addresses,
// paths and quoted texts stay, with numbers, ids and dates in them taken out.
func Asked(message string) string { return read(message, true) }

// reader goes over a message.
type reader struct {
	text  string
	at    int
	out   strings.Builder
	asked bool
	last  string // the word before, in small letters, without punctuation
	prior string // and the one before that
	state bool   // an SQL state stood before
}

func read(message string, asked bool) string {
	if len(message) > maxLength {
		message = strings.ToValidUTF8(message[:maxLength], "")
	}
	r := reader{text: message, asked: asked}
	for r.at < len(r.text) {
		c := r.text[r.at]
		switch {
		case c == ' ' || c == '\n' || c == '\t' || c == '\r':
			r.out.WriteByte(c)
			r.at++
		case r.quoted(), (c == '{' || c == '[') && r.literal():
		default:
			r.word()
		}
	}
	return once(r.out.String())
}

// put writes the replacement of n bytes of the message.
func (r *reader) put(text string, n int) {
	r.out.WriteString(text)
	r.at += n
}

// remember notes a word that was kept, for the text after it.
func (r *reader) remember(word string) {
	word = strings.ToLower(strings.TrimFunc(word, func(c rune) bool {
		return !unicode.IsLetter(c) && !unicode.IsDigit(c) && c != '_' && c != '#'
	}))
	if word != "" {
		r.prior, r.last = r.last, word
		r.state = r.state || strings.HasPrefix(word, "sqlstate")
	}
}

// quotes are the marks around a text, each with what ends it.
var quotes = map[rune]string{'"': `"`, '\'': `'`, '`': "`'", '“': "”", '‘': "’", '«': "»", '„': "“”", '‹': "›",
	'「': "」", '『': "』"}

// maxQuoted bounds a quoted text, in bytes.
const maxQuoted = 400

// quoted reads a text in quotes.
func (r *reader) quoted() bool {
	open, n := utf8.DecodeRuneInString(r.text[r.at:])
	ends, ok := quotes[open]
	if !ok || open == '\'' && r.at > 0 && letterBefore(r.text[:r.at]) { // an apostrophe
		return false
	}
	rest := r.text[r.at+n:]
	end := -1
	for i, c := range rest {
		if i > maxQuoted || c == '\n' {
			break
		}
		if strings.ContainsRune(ends, c) && (c != '\'' || !letterBehind(rest[i+1:])) && (i == 0 || rest[i-1] != '\\') {
			end = i
			break
		}
	}
	if end < 0 {
		return false
	}
	inner := rest[:end]
	_, size := utf8.DecodeRuneInString(rest[end:])
	whole := r.text[r.at : r.at+n+end+size]
	switch {
	case r.asked:
		r.put(r.text[r.at:r.at+n]+read(inner, true)+rest[end:end+size], len(whole))
	case inner == "" || (strings.HasPrefix(rest[end+size:], "=") || strings.HasPrefix(rest[end+size:], ":")) &&
		isName(inner) || r.last == "key" && keyed[r.prior] && (r.prior != "for" || open == '\'') && isName(inner) ||
		builtin[strings.ToLower(inner)] || open == '`' && isName(inner) || named[r.last] &&
		isName(inner), named[wordAfter(rest[end+size:])] && isName(inner), named[r.prior] && glue[r.last] &&
		isName(inner):
		r.put(whole, len(whole))
	default:
		r.put("<text>", len(whole))
	}
	return true
}

// named are words beside which a quoted text is a name that people gave.
var named = set("column columns field fields property properties type types function method class table relation constraint index attribute parameter param argument variable module package import export " +
	"member identifier keyword option flag header trait struct interface view sequence schema database role collection bucket queue topic template tag element attribute enum label symbol operator extension plugin command invoke because object")

// builtin are types that messages quote beside values.
var builtin = set("int str float list dict tuple set bool bytes nonetype none string number boolean object undefined null array function symbol bigint integer long double decimal char byte short void nil map slice")

// keyed are words before "key" that say it is one of a table.
var keyed = set("for array foreign primary unique index")

// glue are words that stand between.
var glue = set("named called of is type name")

func set(words string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(words) {
		out[w] = true
	}
	return out
}

func wordAfter(text string) string {
	text = strings.TrimLeft(text, " ")
	end := strings.IndexFunc(text, func(c rune) bool { return !unicode.IsLetter(c) })
	if end < 0 {
		end = len(text)
	}
	return strings.ToLower(text[:end])
}

// isName says whether a text is an identifier, perhaps with dots, slashes or
// colons in it, and no id.
func isName(text string) bool {
	text = strings.TrimSuffix(text, "()")
	for i, c := range text {
		switch {
		case unicode.IsLetter(c), c == '_', c == '$', c == '@' && i == 0:
		case i > 0 && (unicode.IsDigit(c) || strings.ContainsRune(".:/-<>[]\\", c)):
		default:
			return false
		}
	}
	return text != "" && !strings.Contains(form(text), "<")
}

func letterBefore(text string) bool {
	c, _ := utf8.DecodeLastRuneInString(text)
	return unicode.IsLetter(c) || unicode.IsDigit(c)
}

func letterBehind(text string) bool {
	c, _ := utf8.DecodeRuneInString(text)
	return unicode.IsLetter(c)
}

// literal reads JSON, or a list of values.
func (r *reader) literal() bool {
	depth, end, text := 0, -1, r.text[r.at:]
	inText := byte(0)
	for i := 0; i < len(text); i++ {
		c := text[i]
		switch {
		case inText != 0:
			if c == '\\' {
				i++
			} else if c == inText {
				inText = 0
			}
		case c == '"':
			inText = c
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			if depth--; depth == 0 {
				end = i + 1
			}
		}
		if end > 0 {
			break
		}
	}
	if end < 0 {
		return false
	}
	inner := strings.TrimSpace(text[1 : end-1])
	switch {
	case text[0] == '{' && (strings.HasPrefix(inner, `"`) || strings.HasPrefix(inner, "'")):
		r.put("<json>", end)
	case text[0] == '[' &&
		(strings.HasPrefix(inner, `"`) || strings.HasPrefix(inner, "{") || strings.HasPrefix(inner, "'") ||
			strings.ContainsAny(inner, ",") && strings.ContainsAny(inner, "0123456789")):
		r.put("<list>", end)
	default:
		return false
	}
	return true
}

// once lets items that repeat stand once: "<number>, <number>" is "<number>".
func once(text string) string {
	var b strings.Builder
	last := ""
	for len(text) > 0 {
		open := strings.IndexByte(text, '<')
		if open < 0 {
			break
		}
		end := strings.IndexByte(text[open:], '>')
		if end < 0 {
			break
		}
		item := text[open : open+end+1]
		between := text[:open]
		if item == last && strings.Trim(between, " ,;|") == "" && between != "" {
			text = text[open+end+1:]
			continue
		}
		b.WriteString(between)
		b.WriteString(item)
		last, text = item, text[open+end+1:]
	}
	b.WriteString(text)
	return b.String()
}
