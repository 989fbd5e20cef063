package fingerprint

import "fmt"

// Overflow is the result for events that would make more issues than a
// project may get in an hour: all of one exception type fall into one issue,
// which says what it is. typ is "" where there are too many types as well.
func Overflow(typ, why string) Result {
	r := Result{Message: why}
	what := "new errors"
	if typ != "" {
		what = fmt.Sprintf("new errors of type %.100s", typ)
	}
	r.Headline = "Too many " + what + " at once"
	r.add("overflow", typ, why, -1, -1)
	r.Key = r.hash("")
	r.Variant, r.Base = r.Key, r.Key
	return r
}

// Unextended is the result for events whose application made too many keys of
// one computed fingerprint: they fall into one issue beside the others.
func Unextended(r Result, why string) Result {
	parts := r.Parts
	r.Parts = nil
	for _, p := range parts {
		if p.What != "application" && p.What != "rule" {
			r.Parts = append(r.Parts, p)
		}
	}
	r.add("overflow", "extend", why, -1, -1)
	r.Key = r.hash("")
	r.Variant = r.Key
	return r
}
