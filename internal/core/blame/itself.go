package blame

import (
	"regexp"
	"strings"

	"firethorn/internal/core/event"
)

// mistakes are what JavaScript engines say of more mistakes in the function
// itself, in words of their own; grouping versions from 6 on know them. What
// stands first is looked for before the form is tried.
var mistakes = []struct {
	contains string
	form     *regexp.Regexp
	means    string // of one mistake in all engines; "": it is not told alike
}{
	{"can't access property", regexp.MustCompile(`^can't access property \S+, .* is (?:undefined|null)$`), ""},
	{" is ", regexp.MustCompile(`^[\w$.\[\]()"']+ is (?:undefined|null)$`), ""},
	{"roperty", regexp.MustCompile(`^(?:Cannot|can't) (?:add|delete|define|redefine|assign to read.only|set|redeclare|read private|write private) .*(?:property|member|element)\b`), ""},
	{"array index", regexp.MustCompile(`^can't define array index property`), ""},
	{"object", regexp.MustCompile(`^(?:Cannot|can't) convert (?:undefined|null|undefined or null|a \w+) (?:value )?to (?:a |an )?(?:object|primitive|number|string|BigInt)`), ""},
	{"estructure", regexp.MustCompile(`^(?:Cannot destructure|Right side of assignment cannot be destructured)`), ""},
	{"nstanceof", regexp.MustCompile(`[Ii]nstanceof`), ""},
	{"'in'", regexp.MustCompile(`^(?:Cannot use 'in' operator|right-hand side of 'in')`), ""},
	{"URI", regexp.MustCompile(`^(?:URI malformed|malformed URI sequence|URI error)$`), "a malformed URI"},
	{"BigInt", regexp.MustCompile(`^(?:Cannot mix BigInt|can't convert BigInt|Invalid mix of BigInt)`), "BigInt and number are mixed"},
	{"ime zone", regexp.MustCompile(`^(?i:invalid time zone)`), "an invalid time zone"},
	{"normalization", regexp.MustCompile(`normalization form`), "an invalid normalization form"},
	{"form must be", regexp.MustCompile(`^form must be one of`), "an invalid normalization form"},
}

// mistake says whether a message is an engine's own of a mistake in the function
// itself, and how all engines print it.
func mistake(message string) (means string, ok bool) {
	line := strings.TrimSpace(message)
	if len(line) >= 400 || strings.Contains(line, "\n") {
		return "", false
	}
	for _, m := range mistakes {
		if strings.Contains(line, m.contains) && m.form.MatchString(line) {
			return m.means, true
		}
	}
	return "", false
}

// Itself is Local as grouping versions from 6 on have it: engines have more
// words for mistakes in the function itself.
func Itself(x event.Exception) bool {
	if Local(x) {
		return true
	}
	switch x.Type {
	case "TypeError", "RangeError", "URIError", "SyntaxError", "InternalError", "Error", "":
		_, ok := mistake(x.Message)
		return ok
	}
	return false
}
