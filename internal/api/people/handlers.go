// Package people has the calls about people, teams, tokens, and signing in.
package people

import "firethorn/internal/api/calls"

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	for _, group := range []func(*calls.Table){h.signingIn, h.people, h.teamsAndLeaving, h.roles, h.tokens} {
		group(t)
	}
}
