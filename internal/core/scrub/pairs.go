package scrub

import "bytes"

// lineAndColumn is the end of "1:48211" at t[k], where a frame says its place.
func lineAndColumn(t []byte, k int) (end int) {
	line := k
	for k < len(t) && digit(t[k]) {
		k++
	}
	if k == line || k+1 >= len(t) || t[k] != ':' || !digit(t[k+1]) {
		return 0
	}
	for k++; k < len(t) && digit(t[k]); k++ {
	}
	if k < len(t) && (word(t[k]) || t[k] == ':') {
		return 0
	}
	return k
}

// pair handles a sign at t[j] that ties the name before it to the value that
// begins at from.
func (s *textScan) pair(t []byte, j, from int, colon bool) (next int) {
	name := nameBefore(t, j)
	w := weigh(name)
	s.steps += 4 + 2*len(name)
	if w == none || j < s.kept {
		return 0
	}
	if rest := t[from:]; len(rest) > 0 &&
		(rest[0] == '=' || rest[0] == ':' || rest[0] == '>') { // a comparison, a path of modules
		return 0
	}
	kind := Named
	blanks := 0
	for from < len(t) && t[from] == ' ' && blanks < 2 {
		from, blanks = from+1, blanks+1
	}
	if c := lineName(name); c != "" && colon {
		kind = c
	}
	from = skipScheme(t, from)
	from, to, quote := s.valueSpan(t, from, kind)
	value := t[from:to]
	if len(value) < 3 || quote == 0 &&
		(t[from] == '{' || t[from] == '[' && !bytes.HasPrefix(value, []byte(Mark)) || t[from] == '(') {
		return 0
	}
	if quote == 0 && blanks > 0 && kind == Named && !valueLike(value, w) {
		return 0
	}
	if quote == 0 && len(value) <= longestPlain && plainWord[string(value)] {
		return 0
	}
	if bytes.HasPrefix(value, []byte(Mark)) {
		return from + len(Mark)
	}
	if !s.take(kind, t, from, to) {
		return 0
	}
	return to
}

// valueSpan is the value that begins at from: in quotes, else to the end of its
// line in a header, else to the first character that ends a value. quote is 0
// for a value without quotes.
func (s *textScan) valueSpan(t []byte, from int, kind Kind) (begin, end int, quote byte) {
	q := from
	for q < len(t) && t[q] == '\\' {
		q++
	}
	s.steps += q - from
	switch {
	case q < len(t) && (t[q] == '"' || t[q] == '\'' || t[q] == '`'):
		return q + 1, s.quoteEnd(t, q), t[q]
	case kind != Named:
		return from, s.search(&s.header, from, func(i int) int {
			for i < len(t) && t[i] != '\n' && t[i] != '\r' && t[i] != '"' && t[i] != '\'' {
				i++
			}
			return i
		}), 0
	}
	stop := s.search(&s.value, from, func(i int) int {
		begin := i
		for i < len(t) && !endsValue[t[i]] {
			i++
		}
		for i > begin && (t[i-1] == '.' || t[i-1] == ':') { // of the sentence
			s.steps++
			i--
		}
		return i
	})
	return from, stop, 0
}

// quoteEnd is the end of the text whose opening quote is t[q], without the
// backslashes before the closing one. Every quote of the same kind ends it, so
// the values of one kind of quote never overlap.
func (s *textScan) quoteEnd(t []byte, q int) int {
	to := q + 1
	for to < len(t) && t[to] != t[q] && t[to] != '\n' {
		if t[to] == '\\' && t[q] != t[min(to+1, len(t)-1)] {
			to++
		}
		to++
	}
	s.steps += to - q
	to = min(to, len(t))
	for to > q+1 && t[to-1] == '\\' {
		to--
	}
	return to
}

// plainWord are values that are no secret and that readers need.
var plainWord = map[string]bool{"null": true, "undefined": true, "nil": true, "None": true, "true": true, "false": true,
	"missing": true, "required": true, "invalid": true, "expired": true, "string": true, "NaN": true, "***": true,
	"****": true, "*****": true, "********": true}

// longestPlain is the length of the longest plain word.
const longestPlain = 9

// valueLike says whether the text after "name: " in prose looks like a
// value and not like the next word of the sentence.
func valueLike(value []byte, w weight) bool {
	if len(value) >= 20 {
		return true
	}
	var seen uint8
	special := false
	for _, c := range value {
		seen |= class[c]
		special = special || !word(c) || class[c] == isJoint
	}
	if seen&isDigit != 0 || w == strong && special {
		return true
	}
	mixed := false
	for i := 1; i < len(value); i++ { // a capital in the middle of small letters
		mixed = mixed || class[value[i]] == isUpper && class[value[i-1]] == isLower
	}
	return w == strong && mixed
}

// lineName gives the kind of a header whose value reaches to the end of its
// line.
func lineName(name []byte) Kind {
	n := bytes.ToLower(name)
	switch {
	case bytes.HasSuffix(n, []byte("cookie")):
		return Cookie
	case bytes.HasSuffix(n, []byte("authorization")):
		return Authorization
	}
	return ""
}

// endsValue are the characters that end a value in a text.
var endsValue = func() (set [256]bool) {
	for _, c := range " \t\r\n&\"'\\;,<>#)}]`|%" {
		set[c] = true
	}
	return set
}()

// longestText is how far back a name is looked for.
const longestText = 64

// nameBefore is the name that ends before t[j], which ties it to a value.
func nameBefore(t []byte, j int) []byte {
	for k := 0; k < 4 && j > 0 && (t[j-1] == '"' || t[j-1] == '\'' || t[j-1] == '\\' || t[j-1] == ' ' && k == 0); k++ {
		j--
	}
	end := j
	for j > 0 && end-j < longestText && (word(t[j-1]) || t[j-1] == '.') {
		j--
	}
	if j > 0 && t[j-1] == '%' && end-j > 2 { // "%3Ftoken": the first two belong to the escape
		j += 2
	}
	return t[j:end]
}

// skipScheme skips the scheme of credentials, which is no secret.
func skipScheme(t []byte, i int) int {
	for _, scheme := range []string{"Bearer ", "bearer ", "Basic ", "basic ", "Digest ", "Token ", "token "} {
		if bytes.HasPrefix(t[i:], []byte(scheme)) {
			return i + len(scheme)
		}
	}
	return i
}

// blank handles t[j] == ' ' behind the word t[i:j]: "Bearer …", "--password …",
// numbers in groups.
func (s *textScan) blank(t []byte, i, j int, seen uint8) (next int) {
	n := j - i
	if n < 2 || j+1 >= len(t) {
		return 0
	}
	switch {
	case seen == isDigit && n <= 6 && digit(t[j+1]):
		return s.spacedCard(t, i)
	case n == 4 && seen == isDigit|isUpper && word(t[j+1]):
		return s.spacedIBAN(t, i)
	case n >= 5 && n <= 6 && seen&^(isLower|isUpper) == 0 && t[i]|0x20 == 'b':
		return s.credentials(t, i, j)
	case seen&isJoint != 0 && t[i] == '-' && n > 4 && t[i+1] == '-' && Name(t[i:j]) && t[j+1] != '-':
		from, to := j+1, j+1
		for to < len(t) && !endsValue[t[to]] {
			to++
		}
		s.steps += to - from
		if bytes.HasPrefix(t[from:], []byte(Mark)) {
			return from + len(Mark)
		}
		if to-from >= 3 && (to-from > longestPlain || !plainWord[string(t[from:to])]) && s.take(Named, t, from, to) {
			return to
		}
	}
	return 0
}

// credentials handles "Bearer X" and "Basic X" that stand without a header's name.
func (s *textScan) credentials(t []byte, i, j int) (next int) {
	scheme := string(bytes.ToLower(t[i:j]))
	if scheme != "bearer" && scheme != "basic" {
		return 0
	}
	from, to := j+1, j+1
	var seen uint8
	for to < len(t) && (word(t[to]) || bytes.IndexByte([]byte("._~+/="), t[to]) >= 0) {
		seen |= class[t[to]]
		to++
	}
	s.steps += 2 * (to - from)
	value := t[from:to]
	good := scheme == "bearer" && len(value) >= 12 && seen&isDigit != 0
	if scheme == "basic" {
		plain, ok := decoded(value)
		good = ok && len(value) >= 4 && bytes.IndexByte(plain, ':') >= 0
	}
	if good && s.take(Authorization, t, from, to) {
		return to
	}
	return 0
}
