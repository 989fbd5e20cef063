package query

import (
	"strings"
	"unicode"
)

// MaxWord is how many characters of a word count.
const MaxWord = 40

// Words are the words of a text in their order: letters and digits, in lower case.
func Words(text string) []string {
	list := strings.FieldsFunc(strings.ToLower(text), func(c rune) bool {
		return !unicode.IsLetter(c) && !unicode.IsDigit(c) && !unicode.IsMark(c)
	})
	for i, w := range list {
		if r := []rune(w); len(r) > MaxWord {
			list[i] = string(r[:MaxWord])
		}
	}
	return list
}

// In says whether a text, as its words, has the word or the phrase: one after the
// other, the last from its beginning.
func (w Word) In(words []string) bool {
	want := Words(w.Text)
	if len(want) == 0 {
		return true // it says nothing
	}
	for i := 0; i+len(want) <= len(words); i++ {
		fits := true
		for j, x := range want {
			if last := j == len(want)-1; !last && words[i+j] != x || last && !strings.HasPrefix(words[i+j], x) {
				fits = false
				break
			}
		}
		if fits {
			return true
		}
	}
	return false
}
