package rules

import (
	"firethorn/internal/core/scrub"
)

// maxExamples is how many examples a trial keeps of a rule.
const maxExamples = 5

// Trial is what a rules file would have done to events that are stored.
type Trial struct {
	Events int          `json:"events" doc:"that were checked"`
	Kept   int          `json:"kept" doc:"of them, those that would be accepted"`
	Intake []*TrialRule `json:"intake" nullable:"false" doc:"in the order of the file"`
	Scrub  []*TrialRule `json:"scrub" nullable:"false" doc:"rules in the order of the file, then kinds that would find more than they did"`

	set    *Set
	issues map[*TrialRule]map[string]bool
}

// TrialRule is what one rule would have done.
type TrialRule struct {
	Rule      string         `json:"rule"`
	Do        string         `json:"do"`
	Events    int            `json:"events" doc:"it would have decided, or changed"`
	Issues    int            `json:"issues" doc:"that these events belong to"`
	Failed    int            `json:"failed,omitempty" doc:"events for which its condition failed"`
	TooCostly int            `json:"too_costly,omitempty" doc:"events for which its condition was stopped"`
	Why       string         `json:"why,omitempty" doc:"the last error"`
	Examples  []TrialExample `json:"examples" nullable:"false"`
}

// TrialExample is one event that a rule would have acted on.
type TrialExample struct {
	Event  string `json:"event"`
	Issue  string `json:"issue"`
	Text   string `json:"words" doc:"the event's headline"`
	Where  string `json:"where,omitempty" doc:"of values that would have been scrubbed"`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
}

// NewTrial prepares a trial of a set.
func NewTrial(set *Set) *Trial {
	t := &Trial{Intake: []*TrialRule{}, Scrub: []*TrialRule{}, set: set, issues: map[*TrialRule]map[string]bool{}}
	for _, r := range set.Intake {
		do := "keep"
		if r.Drop {
			do = "drop"
		}
		t.Intake = append(t.Intake, &TrialRule{Rule: r.Name, Do: do, Examples: []TrialExample{}})
	}
	for _, r := range set.Scrub {
		t.Scrub = append(t.Scrub, &TrialRule{Rule: r.Name, Do: string(r.Do), Examples: []TrialExample{}})
	}
	return t
}

// Try tries one event: its facts, and its JSON as it is stored, resource
// first. What was scrubbed before it was stored cannot be tried again.
func (t *Trial) Try(f *Facts, ex TrialExample, raw ...[]byte) {
	t.Events++
	v, trouble := t.set.Decide(f, nil)
	for _, tr := range trouble {
		r := t.rule(&t.Intake, tr.Rule)
		r.Why = tr.Why
		if tr.TooCostly {
			r.TooCostly++
		} else {
			r.Failed++
		}
	}
	if v.Rule != "" {
		t.hit(t.rule(&t.Intake, v.Rule), ex)
	}
	if v.Drop {
		return
	}
	t.Kept++
	hit := map[string]bool{}
	for _, part := range raw {
		if len(part) == 0 {
			continue
		}
		_, _, _ = t.set.Policy().Explain(part, func(rule, where, before, after string) { // stored JSON is not too deep
			if !hit[rule] {
				hit[rule] = true
				ex.Where, ex.Before, ex.After = where, before, after
				t.hit(t.rule(&t.Scrub, rule), ex)
			}
		})
	}
}

func (t *Trial) rule(list *[]*TrialRule, name string) *TrialRule {
	for _, r := range *list {
		if r.Rule == name {
			return r
		}
	}
	r := &TrialRule{Rule: name, Do: string(scrub.Remove), Examples: []TrialExample{}}
	*list = append(*list, r)
	return r
}

func (t *Trial) hit(r *TrialRule, ex TrialExample) {
	r.Events++
	seen := t.issues[r]
	if seen == nil {
		seen = map[string]bool{}
		t.issues[r] = seen
	}
	if !seen[ex.Issue] { // examples of different issues tell more
		seen[ex.Issue] = true
		r.Issues++
		if len(r.Examples) < maxExamples {
			r.Examples = append(r.Examples, ex)
		}
	}
}
