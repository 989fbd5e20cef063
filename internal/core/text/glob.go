package text

// Glob says whether a whole text matches a pattern: "*" matches any characters,
// also none, "?" exactly one. Everything else matches itself; there is no
// escape and no special path separator. It compares bytes, save that "?" takes a
// whole UTF-8 character. Its time is at most the product of both lengths.
func Glob[T string | []byte](pattern string, text T) bool {
	p, t := 0, 0
	star, mark := -1, 0 // where to go on when the rest behind a star does not fit
	for t < len(text) {
		switch {
		case p < len(pattern) && pattern[p] == '*':
			star, mark = p, t
			p++
		case p < len(pattern) && pattern[p] == '?':
			p++
			t++
			for t < len(text) && text[t]&0xC0 == 0x80 {
				t++
			}
		case p < len(pattern) && pattern[p] == text[t]:
			p++
			t++
		case star >= 0:
			mark++
			p, t = star+1, mark
		default:
			return false
		}
	}
	for p < len(pattern) && pattern[p] == '*' {
		p++
	}
	return p == len(pattern)
}
