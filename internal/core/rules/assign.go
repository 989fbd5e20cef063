package rules

import (
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// AssignRule gives issues to a person or a team, once enough of an issue came.
type AssignRule struct {
	Name          string
	To            string // a name, an address, or a handle with @
	Users, Events int64  // from so many in the window on; 0: whatever the number
	Days          int    // of the window, today included (UTC)
	Line, Column  int    // of To in the file
	when          *condition
}

// AssignDays is the longest window of an assign rule, and what it is without one.
const AssignDays = 14

// assign reads the section assign.
func (r *reader) assign(list *yaml.Node) (out []*AssignRule) {
	for n, fields := range r.rules(list, []string{"name", "when", "to", "users", "events", "within"}) {
		rule := &AssignRule{Name: r.rule, Days: AssignDays}
		if fields["when"] == nil {
			r.at(n, "the rule needs the field when: a condition in CEL, for example when: origin.path.glob(\"src/berths/*\"), or when: \"true\" for every event")
		} else {
			rule.when = r.condition(fields["when"])
		}
		rule.To = strings.TrimSpace(r.text1(n, fields["to"], "to", maxName*2))
		if f := fields["to"]; f != nil {
			rule.Line, rule.Column = f.Line, f.Column
		}
		rule.Users, rule.Events = r.number(fields["users"], "users"), r.number(fields["events"], "events")
		if f := fields["within"]; f != nil {
			rule.Days = r.days(f)
			if fields["users"] == nil && fields["events"] == nil {
				r.at(f, "within is about users or events: say how many")
			}
		}
		out = append(out, rule)
	}
	return out
}

// number reads a number of users or events from 1 on; 0 if there is none.
func (r *reader) number(n *yaml.Node, field string) int64 {
	if n == nil {
		return 0
	}
	v, err := strconv.ParseInt(n.Value, 10, 64)
	if n.Kind != yaml.ScalarNode || err != nil || v < 1 || v > 1_000_000_000 {
		r.at(n, "%s is a number from 1 on, not %s", field, short(n.Value))
		return 1
	}
	return v
}

// days reads a window: 1d to 14d.
func (r *reader) days(n *yaml.Node) int {
	text, ok := strings.CutSuffix(n.Value, "d")
	v, err := strconv.Atoi(text)
	if n.Kind != yaml.ScalarNode || !ok || err != nil || v < 1 || v > AssignDays {
		r.at(n, "within is 1d to %dd: days, today included, not %s", AssignDays, short(n.Value))
		return AssignDays
	}
	return v
}

// Assign asks the assign rules in their order about an event; the first whose
// condition holds is the one, whether or not enough came by now. nil: none.
func (s *Set) Assign(f *Facts, off func(rule string) bool) (rule *AssignRule, trouble []Trouble) {
	if s == nil {
		return nil, nil
	}
	left := uint64(assignBudget)
	for _, r := range s.Assigns {
		if off != nil && off(r.Name) {
			continue
		}
		yes, cost, err := r.when.holds(f)
		if err != nil {
			trouble = append(trouble, troubleOf("assign", r.Name, err))
		}
		if yes {
			return r, trouble
		}
		if cost >= left {
			return nil, append(trouble, Trouble{Section: "assign", Rule: r.Name, TooCostly: true, Why: "all assign rules together cost more than one event may; those below were not asked"})
		}
		left -= cost
	}
	return nil, trouble
}
