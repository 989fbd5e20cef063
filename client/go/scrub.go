package firethorn

import "regexp"

const mark = "[scrubbed]"

var (
	secretNames = regexp.MustCompile(`(?i)("[^"]*(?:passw|passphrase|secret|token|cookie|authorization|credential|api.?key|private.?key|card.?n|iban)[^"]*":)"(?:[^"\\]|\\.)*"`)
	secretWords = regexp.MustCompile(`(?i)((?:password|passwd|secret|token|api.?key)=)[^\s"&\\]+`)
	secretToken = regexp.MustCompile(`\beyJ[\w-]+\.[\w-]+\.[\w-]*`)
	secretPlace = regexp.MustCompile(`(://[^/\s"@:]+:)[^/\s"@]+@`)
)

// scrub takes out of an event what most surely is secret: values under names
// that mean secrets, web tokens, passwords in addresses. The service does the
// whole of it, by the project's rules, before it writes anything.
func scrub(raw []byte) []byte {
	raw = secretNames.ReplaceAll(raw, []byte(`$1"`+mark+`"`))
	raw = secretWords.ReplaceAll(raw, []byte("${1}"+mark))
	raw = secretToken.ReplaceAll(raw, []byte(mark))
	return secretPlace.ReplaceAll(raw, []byte("${1}"+mark+"@"))
}
