// Package releases has the calls about releases and the repositories behind them.
package releases

import "firethorn/internal/api/calls"

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	for _, group := range []func(*calls.Table){h.releases, h.health, h.repository} {
		group(t)
	}
	t.Stream("push-bundle", h.putBundle)
}
