package worker

import (
	"context"
	"fmt"
	"sync"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
)

// A rule is switched off when its condition was stopped for its cost so often,
// and for so large a part of the events it was asked about.
const (
	maxStops  = 20
	stopsPart = 10 // one in so many
)

// costs watches what rules cost: one that is stopped again and again must not
// slow down what a project sends.
type costs struct {
	mu   sync.Mutex
	seen map[costKey]*cost
}

type costKey struct {
	project int64
	version int
	rule    string
}

type cost struct {
	events, stops int
	off           bool
}

// watch counts the troubles of a claim's items, some of them nil, and
// switches off what costs too much.
func (c *costs) watch(ctx context.Context, t *claimed, items []*pipeline.Item) {
	stops := map[string]int{}
	why, section := map[string]string{}, map[string]string{} // no two rules of them have one name
	for _, it := range items {
		if it == nil {
			continue
		}
		for _, tr := range it.Trouble {
			if tr.TooCostly {
				stops[tr.Rule]++
				why[tr.Rule], section[tr.Rule] = tr.Why, tr.Section
			}
		}
	}
	for rule, n := range stops {
		if !c.over(costKey{t.project.ID, t.version, rule}, len(items), n) {
			continue
		}
		off := projects.RuleOff{Version: t.version, Section: section[rule], Rule: rule,
			Why: fmt.Sprintf("stopped for %d events or more: %s", maxStops, why[rule])}
		if err := t.w.Projects.SwitchOff(ctx, t.project.ID, off); err != nil {
			t.w.Log.Error("a rule that costs too much could not be switched off", "project", t.project.Name, "rule",
				rule, "err", err)
			continue
		}
		t.w.Log.Warn("a rule costs too much and was switched off; push the rules again once it is fixed", "project", t.project.Name, "rule", rule, "version", t.version)
		t.w.forget(t.project.ID)
	}
}

// over adds to what is known of a rule and says whether it is to be switched
// off now.
func (c *costs) over(k costKey, events, stops int) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.seen == nil || len(c.seen) > 10_000 {
		c.seen = map[costKey]*cost{}
	}
	of := c.seen[k]
	if of == nil {
		of = &cost{}
		c.seen[k] = of
	}
	of.events += events
	of.stops += stops
	if of.off || of.stops < maxStops || of.stops*stopsPart < of.events {
		return false
	}
	of.off = true
	return true
}
