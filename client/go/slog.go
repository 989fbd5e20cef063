package firethorn

import (
	"context"
	"log/slog"
)

// NewLogHandler makes a log/slog handler that hands every record on to next.
// Records of at least level are reported: with the error among their
// attributes, or as a message. Those below leave a breadcrumb.
func (c *Client) NewLogHandler(next slog.Handler, level slog.Level) slog.Handler {
	return &logHandler{next: next, level: level, client: func() *Client { return c }}
}

type logHandler struct {
	next   slog.Handler
	level  slog.Level
	client func() *Client
	prefix string
	attrs  []slog.Attr
}

// Enabled implements slog.Handler.
func (h *logHandler) Enabled(ctx context.Context, l slog.Level) bool {
	return l >= h.level || h.next.Enabled(ctx, l)
}

// Handle implements slog.Handler.
func (h *logHandler) Handle(ctx context.Context, r slog.Record) error {
	if c := h.client(); c != nil {
		quietly(func() { h.tell(ctx, c, r) })
	}
	if !h.next.Enabled(ctx, r.Level) {
		return nil
	}
	return h.next.Handle(ctx, r)
}

func (h *logHandler) tell(ctx context.Context, c *Client, r slog.Record) {
	attributes := map[string]any{}
	var failed error
	add := func(prefix string, a slog.Attr) {
		flat(attributes, prefix, a)
		if err, ok := a.Value.Resolve().Any().(error); ok && failed == nil {
			failed = err
		}
	}
	for _, a := range h.attrs {
		add("", a)
	}
	r.Attrs(func(a slog.Attr) bool {
		add(h.prefix, a)
		return true
	})
	switch {
	case r.Level < h.level:
		c.note(ctx, "log", r.Message, severityOf(r.Level), attributes)
	case failed != nil:
		c.report(
			ctx,
			failed,
			Details{Severity: severityOf(r.Level), Handled: True, Message: r.Message, Attributes: attributes},
			5,
		)
	default:
		c.Message(ctx, r.Message, Details{Severity: severityOf(r.Level), Attributes: attributes})
	}
}

// flat flattens the groups of an attribute: dots join their names.
func flat(into map[string]any, prefix string, a slog.Attr) {
	v := a.Value.Resolve()
	if v.Kind() == slog.KindGroup {
		if a.Key != "" {
			prefix += a.Key + "."
		}
		for _, inner := range v.Group() {
			flat(into, prefix, inner)
		}
		return
	}
	into[prefix+a.Key] = v.Any()
}

func severityOf(l slog.Level) string {
	switch {
	case l >= slog.LevelError+4:
		return "fatal"
	case l >= slog.LevelError:
		return "error"
	case l >= slog.LevelWarn:
		return "warn"
	case l >= slog.LevelInfo:
		return "info"
	}
	return "debug"
}

// WithAttrs implements slog.Handler.
func (h *logHandler) WithAttrs(attrs []slog.Attr) slog.Handler {
	out := *h
	out.next = h.next.WithAttrs(attrs)
	for _, a := range attrs {
		out.attrs = append(out.attrs[:len(out.attrs):len(out.attrs)], slog.Attr{Key: h.prefix + a.Key, Value: a.Value})
	}
	return &out
}

// WithGroup implements slog.Handler.
func (h *logHandler) WithGroup(name string) slog.Handler {
	out := *h
	out.next, out.prefix = h.next.WithGroup(name), h.prefix+name+"."
	return &out
}
