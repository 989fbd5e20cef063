package fingerprint

import (
	"regexp"

	"firethorn/internal/core/event"
)

var placeholder = regexp.MustCompile(`\$\{([^}]*)\}`)

// OwnKey is the application's own key, filled in; nil where it has none.
func OwnKey(e *event.Event) (out []string) {
	if e.Grouping == nil {
		return nil
	}
	list := e.Grouping.Replace
	if len(list) == 0 {
		list = e.Grouping.Extend
	}
	for _, v := range list {
		out = append(out, fill(v, e))
	}
	return out
}

// fill puts attribute values in for ${NAME}; an absent one is empty.
func fill(v string, e *event.Event) string {
	return placeholder.ReplaceAllStringFunc(v, func(m string) string {
		name := m[2 : len(m)-1]
		if s := e.Attributes.Text(name); s != "" {
			return s
		}
		return e.Resource.Text(name)
	})
}
