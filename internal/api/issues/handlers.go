// Package issues has the calls about issues, their events, sessions and feedback, and the round.
package issues

import "firethorn/internal/api/calls"

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	for _, group := range []func(*calls.Table){h.overview, h.briefs, h.issues, h.events, h.traces, h.sessions, h.trail,
		h.feedback, h.grouping, h.users, h.beside, h.likely, h.owners, h.round, h.comments, h.tickets, h.life} {
		group(t)
	}
}
