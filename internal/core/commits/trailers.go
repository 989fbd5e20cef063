package commits

import (
	"regexp"
	"strings"
)

// FixTrailer is the trailer of a commit message that names an issue which the
// commit fixes, as PROJECT/NUMBER or NUMBER.
const FixTrailer = "Firethorn-Fixes"

var issueName = regexp.MustCompile(`^(?:([a-z0-9][a-z0-9-]*)/)?([1-9][0-9]{0,8})$`)

// Trailers reads the issues that a commit message says it fixes: the values of
// the trailers named FixTrailer in its last paragraph, several in one trailer
// apart by commas or blanks. A number alone means one of project. bad are values
// that name no issue.
func Trailers(message, project string) (fixes, bad []string) {
	paragraphs := strings.Split(strings.TrimSpace(strings.ReplaceAll(message, "\r", "")), "\n\n")
	if len(paragraphs) < 2 { // a subject alone has no trailers
		return nil, nil
	}
	for line := range strings.Lines(paragraphs[len(paragraphs)-1]) {
		key, value, ok := strings.Cut(line, ":")
		if !ok || !strings.EqualFold(strings.TrimSpace(key), FixTrailer) {
			continue
		}
		for _, v := range strings.FieldsFunc(value, func(r rune) bool {
			return r == ',' || r == ' ' || r == '\t' || r == '\n'
		}) {
			m := issueName.FindStringSubmatch(v)
			switch {
			case m == nil:
				bad = append(bad, v)
			case m[1] == "":
				fixes = append(fixes, project+"/"+m[2])
			default:
				fixes = append(fixes, v)
			}
		}
	}
	return fixes, bad
}
