// Package symbols has the calls about symbols: pushing source maps and finding gaps.
package symbols

import "firethorn/internal/api/calls"

type handlers struct{ *calls.Frame }

// Add gives the calls of this package their handlers.
func Add(t *calls.Table, f *calls.Frame) {
	h := &handlers{f}
	for _, group := range []func(*calls.Table){h.symbols} {
		group(t)
	}
	t.Stream("push-symbol-content", h.putSymbol)
}
