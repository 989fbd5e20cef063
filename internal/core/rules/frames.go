package rules

import (
	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/event"
)

// FrameRule says whose code frames are: those whose path fits Path and whose
// function fits Function, globs of which an empty one fits all.
type FrameRule struct {
	Name           string
	Path, Function string
	Kind           event.Kind
}

// frames reads the section frames. A rule with several globs becomes several.
func (r *reader) frames(list *yaml.Node) (out []FrameRule) {
	for n, fields := range r.rules(list, []string{"name", "path", "function", "do"}) {
		if fields["do"] == nil {
			r.at(n, "the rule needs the field do: own or vendor")
		}
		kind := event.Kind(r.choice(fields["do"], "do", string(event.Own), string(event.Vendor)))
		if fields["path"] == nil && fields["function"] == nil {
			r.at(n, "the rule says nothing of what it acts on: give path or function")
			continue
		}
		for _, path := range r.globs(fields["path"], "path") {
			for _, function := range r.globs(fields["function"], "function") {
				out = append(out, FrameRule{r.rule, path, function, kind})
			}
		}
	}
	return out
}

// globs are the entries of a field; one empty one where it is not there.
func (r *reader) globs(n *yaml.Node, field string) []string {
	if n == nil {
		return []string{""}
	}
	var out []string
	for _, it := range r.list(n, field, maxPattern) {
		out = append(out, it.Value)
	}
	return out
}
