// Package firethorn reports errors of a Go program to Firethorn: with their
// chain of causes, their stack, what led up to them, and all goroutines where
// a program hangs or crashes. It needs the standard library alone, and never
// panics into the program that uses it.
//
//	stop := firethorn.Start(firethorn.Options{Server: "https://firethorn.example", Key: "in-…", Service: "bosun", Release: "1.4.0", Environment: "production"})
//	defer stop()
//
// Reading order: firethorn.go (what a program calls), options.go, client.go
// (events in the making), chain.go (errors into exceptions), outbox.go (the
// way to the service), then one file for each thing that reports by itself:
// panics.go, http.go, slog.go, hang.go, crash.go, session.go.
package firethorn

import (
	"context"
	"sync/atomic"
)

// std is the client that Start began.
var std atomic.Pointer[Client]

// Start begins to report. It does nothing the second time. The function it
// returns ends the session and waits until all is stored, five seconds at
// most: call it before the program ends.
func Start(o Options) (stop func()) {
	c := New(o)
	if !std.CompareAndSwap(nil, c) {
		c.abandon()
		return func() {}
	}
	c.begin()
	return func() {
		std.CompareAndSwap(c, nil)
		c.Close()
	}
}

// Report reports an error. It returns the id of the event that tells of it, ""
// where none does. A nil error is none.
func Report(ctx context.Context, err error, d ...Details) string {
	if c := std.Load(); c != nil && err != nil {
		return c.report(ctx, err, first(d, Details{Handled: True}), 1)
	}
	return ""
}

// Message reports a plain message.
func Message(ctx context.Context, words string, d ...Details) string {
	if c := std.Load(); c != nil {
		return c.message(ctx, words, first(d, Details{}))
	}
	return ""
}

// Note leaves a breadcrumb in the flow of ctx. The kinds page, input, call,
// log and app have their own marks.
func Note(ctx context.Context, kind, words string, attributes ...map[string]any) {
	if c := std.Load(); c != nil {
		c.note(ctx, kind, words, "", first(attributes, nil))
	}
}

// User says whom all that follows in the flow of ctx hits.
func User(ctx context.Context, id Identity) {
	if c := std.Load(); c != nil {
		quietly(func() {
			c.scopeOf(ctx).set(map[string]any{"user.id": id.ID, "user.email": id.Email, "user.name": id.Name})
		})
	}
}

// Attributes adds attributes to all events that follow in the flow of ctx,
// under OpenTelemetry's names where there is one.
func Attributes(ctx context.Context, values map[string]any) {
	if c := std.Load(); c != nil {
		quietly(func() { c.scopeOf(ctx).set(values) })
	}
}

// Snapshot gives the function that is asked for the program's state (what
// JSON can hold, up to 64 kB) when something is reported; nil asks no more.
func Snapshot(fn func() any) {
	if c := std.Load(); c != nil {
		c.snapshot.Store(&fn)
	}
}

// Drain waits until all that was reported is stored; it returns false when ctx
// ends before that.
func Drain(ctx context.Context) bool {
	if c := std.Load(); c != nil {
		return c.drain(ctx)
	}
	return true
}

func first[T any](list []T, or T) T {
	if len(list) > 0 {
		return list[0]
	}
	return or
}
