package rules

import (
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/scrub"
	"firethorn/internal/core/text"
)

func (r *reader) scrub(list *yaml.Node) (out []scrub.Rule) {
	patterns := 0
	for n, fields := range r.rules(list, []string{"name", "names", "kinds", "match", "do"}) {
		rule := scrub.Rule{Name: r.rule,
			Do: scrub.Act(r.choice(fields["do"], "do", string(scrub.Remove), string(scrub.Shorten),
				string(scrub.Keep)))}
		if slices.Contains(scrub.Kinds, scrub.Kind(rule.Name)) {
			r.at(fields["name"], "%q is the name of a kind; reports would mix them up", rule.Name)
		}
		if f := fields["names"]; f != nil {
			for _, it := range r.list(f, "names", maxPattern) {
				if strings.Trim(it.Value, "*?.") == "" {
					r.at(it, "%s fits every name; that would empty events", short(it.Value))
				}
				rule.Names = append(rule.Names, it.Value)
			}
		}
		if f := fields["kinds"]; f != nil {
			for _, it := range r.list(f, "kinds", maxName) {
				if words := kindWords(); !slices.Contains(words, it.Value) {
					r.problem(it.Line, it.Column, text.Nearest(it.Value, words),
						"%s is no kind of secret; there are %s",
						short(it.Value), strings.Join(words, ", "))
				}
				rule.Kinds = append(rule.Kinds, scrub.Kind(it.Value))
			}
		}
		if f := fields["match"]; f != nil {
			if patterns++; patterns > MaxPatterns {
				r.at(f, "more than %d rules have a pattern, and each is run over every text: join some with |", MaxPatterns)
			}
			if text := r.scalar(f, "match", maxPattern); text != "" {
				rule.Match = r.pattern(f, text, 0, 0)
			}
		}
		if rule.Names == nil && rule.Kinds == nil && rule.Match == nil && fields["names"] == nil &&
			fields["kinds"] == nil && fields["match"] == nil {
			r.at(n, "the rule says nothing of what it acts on: give names, kinds or match")
		}
		out = append(out, rule)
	}
	return out
}

func kindWords() (words []string) {
	for _, k := range scrub.Kinds {
		words = append(words, string(k))
	}
	return words
}

// pattern compiles a regular expression (RE2 syntax: linear time) that stands
// at a place of a scalar.
func (r *reader) pattern(n *yaml.Node, text string, line, off int) *regexp.Regexp {
	re, err := regexp.Compile(text)
	switch {
	case err != nil:
		l, c := r.place(n, line, off)
		r.problem(l, c, "", "the pattern cannot be read: %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		return nil
	case re.MatchString(""):
		l, c := r.place(n, line, off)
		r.problem(l, c, "", "the pattern fits the empty text, so it fits everywhere")
		return nil
	}
	return re
}
