package text

import (
	"strings"

	"github.com/agnivade/levenshtein"
)

// Nearest is the word that was probably meant by word; "" where none of
// words is near: a third of its letters may differ, and one more.
func Nearest(word string, words []string) string {
	best, least := "", len(word)/3+2
	for _, w := range words {
		if d := levenshtein.ComputeDistance(strings.ToLower(word), strings.ToLower(w)); d < least {
			best, least = w, d
		}
	}
	return best
}
