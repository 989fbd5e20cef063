package rules

import (
	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/event"
)

// FrameRule says whose code frames are: those whose path, module and function
// fit its globs, of which an empty one fits all. With LookThrough they are own
// frames that fail on behalf of their callers.
type FrameRule struct {
	Name                   string
	Path, Module, Function string
	Kind                   event.Kind
	LookThrough            bool
}

const lookThrough = "look-through"

// frames reads the section frames. A rule with several globs becomes several.
func (r *reader) frames(list *yaml.Node) (out []FrameRule) {
	for n, fields := range r.rules(list, []string{"name", "path", "module", "function", "do"}) {
		if fields["do"] == nil {
			r.at(n, "the rule needs the field do: own, vendor or look-through")
		}
		do := r.choice(fields["do"], "do", string(event.Own), string(event.Vendor), lookThrough)
		kind := event.Kind(do)
		if do == lookThrough {
			kind = event.Own
		}
		if fields["path"] == nil && fields["module"] == nil && fields["function"] == nil {
			r.at(n, "the rule says nothing of what it acts on: give path, module or function")
			continue
		}
		for _, path := range r.globs(fields["path"], "path") {
			for _, module := range r.globs(fields["module"], "module") {
				for _, function := range r.globs(fields["function"], "function") {
					out = append(out, FrameRule{r.rule, path, module, function, kind, do == lookThrough})
				}
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
