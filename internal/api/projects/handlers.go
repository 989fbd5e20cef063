// Package projects has the calls about projects: keys, set-up, rules, grouping, scoring, and received events.
package projects

import "firethorn/internal/api/calls"

type handlers struct {
	*calls.Frame
	trials  trials
	reviews reviews
}

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{Frame: f, trials: make(trials, tryAtOnce)}
	for _, group := range []func(*calls.Table){h.projects, h.keys, h.setUp, h.rules, h.trial, h.regroupings, h.review,
		h.scoring, h.received} {
		group(t)
	}
	t.Stream("rules-schema", serveRulesSchema)
}
