package rules

import (
	"go.yaml.in/yaml/v4"
)

// IntakeRule lets events in or drops them.
type IntakeRule struct {
	Name string
	Drop bool // else it keeps, whatever rules below it say
	when *condition
}

func (r *reader) intake(list *yaml.Node) (out []*IntakeRule) {
	for n, fields := range r.rules(list, []string{"name", "when", "do"}) {
		rule := &IntakeRule{Name: r.rule}
		if fields["do"] == nil {
			r.at(n, "the rule needs the field do: drop or keep")
		}
		rule.Drop = r.choice(fields["do"], "do", "drop", "keep") == "drop"
		if fields["when"] == nil {
			r.at(n, "the rule needs the field when: a condition in CEL, for example when: message.contains(\"…\")")
			continue
		}
		rule.when = r.condition(fields["when"])
		out = append(out, rule)
	}
	return out
}

// Verdict is what the section intake says of an event. The zero Verdict: no
// rule fits, so it is kept.
type Verdict struct {
	Rule string
	Drop bool
}

// Trouble is a condition that could not be answered; it counts as not met.
type Trouble struct {
	Section   string // intake or grouping
	Rule      string
	TooCostly bool // it was stopped
	Empty     bool // its values were all empty, so that it did not fit; with neither it failed
	Why       string
}

// Decide asks the rules in their order about an event. Those for which off
// says so are passed over; off may be nil.
func (s *Set) Decide(f *Facts, off func(rule string) bool) (v Verdict, trouble []Trouble) {
	if s == nil {
		return v, nil
	}
	left := uint64(intakeBudget)
	for _, r := range s.Intake {
		if off != nil && off(r.Name) {
			continue
		}
		yes, cost, err := r.when.holds(f)
		if err != nil {
			trouble = append(trouble, troubleOf("intake", r.Name, err))
		}
		if yes {
			return Verdict{r.Name, r.Drop}, trouble
		}
		if cost >= left {
			return v, append(trouble, Trouble{Section: "intake", Rule: r.Name, TooCostly: true, Why: "all rules together cost more than one event may; those below were not asked"})
		}
		left -= cost
	}
	return v, trouble
}
