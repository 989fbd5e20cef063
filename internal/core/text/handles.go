package text

import (
	"strings"
	"unicode"
)

// Handle says whether a handle, without its @, means a person: it is the part of
// the address before its own @, or the name written together, with dots or dashes.
func Handle(handle, name, email string) bool {
	local, _, _ := strings.Cut(email, "@")
	return strings.EqualFold(handle, local) || together(handle) == together(name)
}

// together leaves a name as it is written together.
func together(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(" .-_", r) {
			return -1
		}
		return unicode.ToLower(r)
	}, s)
}
