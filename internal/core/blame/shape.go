package blame

import (
	"regexp"
	"slices"
	"strings"

	"firethorn/internal/core/event"
)

// variable matches the parts of a message that differ from one occurrence to
// the next, the longer forms first.
var variable = variableParts("")

// codes matches those, and words in which letters stand between digits.
var codes = variableParts(`(?P<code>\b[A-Za-z]*\d+[A-Za-z]+\d[A-Za-z0-9]{2,}\b)`)

func variableParts(more string) *regexp.Regexp {
	forms := []string{
		`(?P<url>\b[a-z][a-z0-9+.-]*://[^\s"'<>)]+)`,
		`(?P<email>[\w.+-]+@[\w-]+\.[\w.-]+)`,
		`(?P<id>\b[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}\b)`,
		`(?P<date>\b\d{4}-\d{2}-\d{2}(?:[T ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?)`,
		`(?P<address>\b\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3}(?::\d+)?\b)`,
		`(?P<hex>\b0x[0-9a-fA-F]+\b|\b[0-9a-f]*\d[0-9a-f]{6,}[0-9a-f]*\b)`,
		`(?P<text>"[^"\n]{0,200}"|'[^'\n]{0,200}'|` + "`[^`\n]{0,200}`" + `)`,
		`(?P<path>(?:/[\w.@-]+){2,}/?)`,
		`(?P<number>[-+]?\d+(?:[.,]\d+)*)`,
	}
	if more != "" {
		forms = slices.Insert(forms, len(forms)-1, more) // before numbers
	}
	return regexp.MustCompile(strings.Join(forms, "|"))
}

// Wish is a message with what was asked for: paths and addresses stay,
// numbers, ids and dates are taken out.
func Wish(message string) string {
	if shape, _, ok := engineMessageOf(message); ok {
		return shape
	}
	return replace(variable, message, map[string]bool{"url": true, "path": true, "text": true})
}

// Shape is a message with its variable parts replaced by their kind in angle
// brackets: "no tide table for day <number>".
func Shape(message string) string { return replace(variable, message, nil) }

// ShapeCodes is Shape that takes out codes as well: "booking <code> could not be read".
func ShapeCodes(message string) string { return replace(codes, message, nil) }

func replace(variable *regexp.Regexp, message string, keep map[string]bool) string {
	names := variable.SubexpNames()
	message = event.TrimText(message, 2048)
	var b strings.Builder
	at := 0
	for _, m := range variable.FindAllStringSubmatchIndex(message, -1) {
		b.WriteString(message[at:m[0]])
		for i := 1; i < len(names); i++ {
			if m[2*i] < 0 {
				continue
			}
			if keep[names[i]] {
				b.WriteString(message[m[0]:m[1]])
			} else {
				b.WriteString("<" + names[i] + ">")
			}
			break
		}
		at = m[1]
	}
	b.WriteString(message[at:])
	return b.String()
}
