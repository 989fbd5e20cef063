package rules

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"

	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
)

// GroupingRule says which events belong together: its values are added to the
// computed fingerprint, or stand instead of it.
type GroupingRule struct {
	Name            string
	Extend, Replace []*template
	Headline        *template
	when            *condition
}

const (
	maxValues = 10       // texts of one rule
	maxValue  = 1_000    // bytes of one, filled in: what is longer is cut and distinguished by its digest
	maxFilled = 50 << 10 // bytes that one value may take to fill in
)

// grouping reads the section grouping.
func (r *reader) grouping(list *yaml.Node) (out []*GroupingRule) {
	for n, fields := range r.rules(list, []string{"name", "when", "extend", "replace", "headline"}) {
		rule := &GroupingRule{Name: r.rule}
		if fields["when"] == nil {
			r.at(n, "the rule needs the field when: a condition in CEL, for example when: exception.type == \"TimeoutError\"")
		} else {
			rule.when = r.condition(fields["when"])
		}
		switch {
		case fields["extend"] != nil && fields["replace"] != nil:
			r.at(fields["replace"], "a rule has either extend or replace, not both")
		case fields["extend"] == nil && fields["replace"] == nil:
			r.at(n, "the rule does not say how to group: give extend, which adds to the computed fingerprint, or replace, which replaces it")
		}
		rule.Extend, rule.Replace = r.values(fields["extend"], "extend"), r.values(fields["replace"], "replace")
		if f := fields["headline"]; f != nil {
			rule.Headline = r.template(f, r.scalar(f, "headline", maxPattern))
		}
		out = append(out, rule)
	}
	return out
}

// values are the texts of extend or replace.
func (r *reader) values(n *yaml.Node, field string) (out []*template) {
	if n == nil {
		return nil
	}
	list := r.list(n, field, maxPattern)
	if len(list) > maxValues {
		r.at(list[maxValues], "%s has %d values; %d are the most", field, len(list), maxValues)
		return nil
	}
	for _, it := range list {
		out = append(out, r.template(it, it.Value))
	}
	return out
}

// Group asks the grouping rules in their order about an event; the first that
// fits rules. Those for which off says so are passed over; off may be nil. A
// rule whose values are all empty for the event, though they are filled in from
// it, does not fit: what lacks the values would be thrown together.
func (s *Set) Group(f *Facts, off func(rule string) bool) (ruling *fingerprint.Ruling, trouble []Trouble) {
	if s == nil {
		return nil, nil
	}
	left := uint64(groupingBudget)
	for _, r := range s.Grouping {
		if off != nil && off(r.Name) {
			continue
		}
		yes, cost, err := r.when.holds(f)
		if err != nil {
			trouble = append(trouble, troubleOf("grouping", r.Name, err))
		}
		if yes {
			ruling, more, err := r.rule(f)
			cost += more
			if err != nil {
				trouble = append(trouble, troubleOf("grouping", r.Name, err))
			}
			if ruling != nil {
				return ruling, trouble
			}
			if err == nil {
				trouble = append(trouble, Trouble{Section: "grouping", Rule: r.Name, Empty: true, Why: "what it is to fill in is empty in this event; the rules below it were asked"})
			}
		}
		if cost >= left {
			return nil, append(trouble, Trouble{Section: "grouping", Rule: r.Name, TooCostly: true, Why: "all grouping rules together cost more than one event may; those below were not asked"})
		}
		left -= cost
	}
	return nil, trouble
}

// rule fills the values in; nil where they are all empty, or one fails.
func (r *GroupingRule) rule(f *Facts) (*fingerprint.Ruling, uint64, error) {
	out, spent := &fingerprint.Ruling{Rule: r.Name}, uint64(0)
	filled, something := false, false
	fill := func(list []*template) (values []fingerprint.Value, err error) {
		for _, t := range list {
			text, some, cost, err := t.fill(f)
			spent += cost
			if err != nil {
				return nil, err
			}
			filled, something = filled || t.fills(), something || some
			values = append(values, fingerprint.Value{Template: t.text, Text: bounded(text)})
		}
		return values, nil
	}
	var err error
	if out.Extend, err = fill(r.Extend); err != nil {
		return nil, spent, err
	}
	if out.Replace, err = fill(r.Replace); err != nil {
		return nil, spent, err
	}
	if len(r.Replace) > 0 && filled && !something {
		return nil, spent, nil
	}
	if r.Headline != nil {
		text, some, cost, err := r.Headline.fill(f)
		spent += cost
		if err != nil {
			return nil, spent, err
		}
		if some || !r.Headline.fills() {
			out.Headline = strings.TrimSpace(text)
		}
	}
	return out, spent, nil
}

// bounded cuts a long value; its digest keeps it apart from others that begin
// alike.
func bounded(s string) string {
	if len(s) <= maxValue {
		return s
	}
	sum := sha256.Sum256([]byte(s))
	return event.TrimText(s, maxValue-20) + " " + hex.EncodeToString(sum[:8])
}

// sharedNames reports grouping and assign rules that are called as a rule of an
// earlier one of the sections that count.
func (r *reader) sharedNames(root *yaml.Node, set *Set) {
	names := map[string]string{}
	for _, x := range set.Intake {
		names[x.Name] = "an intake"
	}
	for _, section := range []string{"grouping", "assign"} {
		r.section = section
		for i := 0; i+1 < len(root.Content); i += 2 {
			if root.Content[i].Value == section {
				r.notCalled(root.Content[i+1], names)
			}
		}
		for _, x := range set.Grouping {
			names[x.Name] = "a grouping"
		}
	}
	r.section = ""
}

func (r *reader) notCalled(list *yaml.Node, names map[string]string) {
	for _, n := range list.Content {
		for j := 0; j+1 < len(n.Content); j += 2 {
			if v := n.Content[j+1]; n.Content[j].Value == "name" && names[v.Value] != "" {
				r.at(v, "%s rule is called %s already; both are counted under their names", names[v.Value], short(v.Value))
			}
		}
	}
}
