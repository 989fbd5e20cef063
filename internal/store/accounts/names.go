package accounts

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/mtibben/confusables"

	"firethorn/internal/core/problem"
)

// maxName is how many characters a person's or a team's name may have.
const maxName = 100

// readName reads the name of a person or a team: on one line, without characters
// that nobody sees or that turn the direction of a text around.
func readName(name, of string) (string, error) {
	name = strings.TrimSpace(name)
	if name == "" || utf8.RuneCountInString(name) > maxName {
		return "", problem.New(problem.BadInput, "%s needs a name of at most %d characters on one line", of, maxName)
	}
	for _, r := range name {
		if !utf8.ValidRune(r) || r == utf8.RuneError || unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp,
			unicode.Co) {
			return "", problem.New(problem.BadInput, "the name %q has an invisible character (%U); remove it",
				name, r)
		}
	}
	return name, nil
}

// alike says whether two names look alike, whatever letters they are written in
// (UTS 39, section 4).
func alike(a, b string) bool {
	a, b = strings.Join(strings.Fields(a), " "), strings.Join(strings.Fields(b), " ")
	// Some letters look like others as capitals only, some as small ones only.
	return strings.EqualFold(confusables.Skeleton(a), confusables.Skeleton(b)) ||
		confusables.Skeleton(strings.ToLower(a)) == confusables.Skeleton(strings.ToLower(b))
}

// lookAlike refuses a name that can be taken for another person's.
func lookAlike(name string, all []*Person) error {
	for _, p := range all {
		if p.Name != name && alike(p.Name, name) {
			return problem.New(problem.Conflict, "the name %s looks like that of %s <%s>; add something that distinguishes them, such as a middle name", name, p.Name, p.Email)
		}
	}
	return nil
}
