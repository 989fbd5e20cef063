// Package operations has the calls about the service itself: its status and its queue.
package operations

import "firethorn/internal/api/calls"

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	for _, group := range []func(*calls.Table){h.operations, h.queue, h.audit} {
		group(t)
	}
	t.Stream("export-audit", h.exportAudit)
}
