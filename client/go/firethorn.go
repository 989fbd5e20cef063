// Package firethorn reports the errors of a Go program to Firethorn: with
// their causes, their stack, the breadcrumbs before them, and all goroutines
// when the program hangs or crashes. It uses the standard library alone. It
// never panics into the program, never waits long for the service or the
// disk, and deletes only files that it made.
//
//	stop := firethorn.Start(firethorn.Options{
//		Server: "https://firethorn.example", Key: "in-…",
//		Service: "bosun", Release: "1.4.0", Environment: "production",
//	})
//	defer stop()
//
// The functions of the package use the client that Start began. A program
// that wants several, or none for the whole process, makes them with New:
// every function is a method of Client too.
//
// Reading order: firethorn.go and options.go (what a program calls),
// client.go and scope.go (how an event is made), chain.go (an error becomes
// exceptions), outbox.go and send.go (the way to the service), private.go and
// shelf.go (what lies on disk), then one file for each thing that reports by
// itself: panics.go, http.go, slog.go, hang.go, crash.go, session.go.
package firethorn

import (
	"context"
	"log/slog"
	"net/http"
	"sync/atomic"
	"time"
)

// std is the client that Start began.
var std atomic.Pointer[Client]

// Start starts to report for the whole process. It also reports what ended the
// run before this one, and it takes the runtime's crash output
// (debug.SetCrashOutput) unless Options.Dir is "-". The second call does
// nothing.
//
// The function that it returns ends the session and sends waiting reports. It
// returns at once when the service is away and everything is on disk, and
// after five seconds in any case. Call it before the program ends.
func Start(o Options) (stop func()) {
	c := build(o)
	if !std.CompareAndSwap(nil, c) {
		return func() {}
	}
	c.begin(true)
	return func() {
		std.CompareAndSwap(c, nil)
		c.Close()
	}
}

// Report reports an error. It returns the event's id, or "" when nothing is
// reported: a nil error, or no client.
func Report(ctx context.Context, err error, d ...Details) string {
	return std.Load().report(ctx, err, first(d, Details{Handled: True}), 1)
}

// Message reports a plain message and returns the event's id.
func Message(ctx context.Context, text string, d ...Details) string {
	return std.Load().Message(ctx, text, d...)
}

// Note leaves a breadcrumb in the flow of ctx. The kinds page, input, call,
// log and app have their own icons.
func Note(ctx context.Context, kind, text string, attributes ...map[string]any) {
	std.Load().Note(ctx, kind, text, attributes...)
}

// User names the affected user of every later event in the flow of ctx.
func User(ctx context.Context, id Identity) { std.Load().User(ctx, id) }

// Attributes adds attributes to every later event in the flow of ctx. Use
// OpenTelemetry's names where there is one.
func Attributes(ctx context.Context, values map[string]any) { std.Load().Attributes(ctx, values) }

// Snapshot sets the function that returns the program's state (JSON, at most
// 64 KiB) when something is reported; nil removes it.
func Snapshot(fn func() any) { std.Load().Snapshot(fn) }

// Drain waits until every report is stored. It returns false when ctx ends
// before that.
func Drain(ctx context.Context) bool { return std.Load().Drain(ctx) }

// With begins a flow of its own: a user, attributes and breadcrumbs that are
// set in the returned context are seen in that flow alone.
func With(ctx context.Context) context.Context { return std.Load().With(ctx) }

// Recover reports a panic and lets the program go on after the function that
// deferred it. Without a client the panic goes on.
//
//	defer firethorn.Recover(ctx)
func Recover(ctx context.Context) {
	c := std.Load()
	if c == nil {
		return // recover is not called: the panic goes on
	}
	if v := recover(); v != nil {
		c.reportPanic(ctx, v, Details{Handled: True})
	}
}

// Repanic reports a panic, waits up to two seconds until it is stored, and
// panics again.
//
//	defer firethorn.Repanic(ctx)
func Repanic(ctx context.Context) {
	c := std.Load()
	if c == nil {
		return
	}
	if v := recover(); v != nil {
		c.lastWords(ctx, v)
		panic(v)
	}
}

// ReportPanic reports a value that recover returned, for a framework that
// recovers panics itself. Call it in the deferred function that recovered.
func ReportPanic(ctx context.Context, v any, d ...Details) string {
	return std.Load().ReportPanic(ctx, v, d...)
}

// Go runs fn in a goroutine with a flow of its own. A panic is reported, and
// then ends the program as it would have.
func Go(ctx context.Context, fn func(ctx context.Context)) { std.Load().Go(ctx, fn) }

// Handler gives each request a flow of its own, reports panics with the
// request's facts, and lets them go on.
func Handler(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		std.Load().serve(next, w, r) // Start may come after the handlers are made
	})
}

// Transport leaves a breadcrumb for each request that an HTTP client makes.
func Transport(next http.RoundTripper) http.RoundTripper {
	return transport{next: next, client: std.Load}
}

// NewLogHandler makes a log/slog handler that hands every record on to next.
// Records of at least level are reported: with the error among their
// attributes, or as a message. Those below leave a breadcrumb.
func NewLogHandler(next slog.Handler, level slog.Level) slog.Handler {
	return &logHandler{next: next, level: level, client: std.Load}
}

// Watch watches work of the goroutine that calls it. When the work gives no
// sign of life for so long, it is reported as a hang, with its stack and all
// goroutines. Done ends the watch.
//
//	w := firethorn.Watch(ctx, "the crew plan", 30*time.Second)
//	defer w.Done()
//	for … { w.Alive(); … }
func Watch(ctx context.Context, name string, after time.Duration) *Watched {
	return std.Load().Watch(ctx, name, after)
}

func first[T any](list []T, or T) T {
	if len(list) > 0 {
		return list[0]
	}
	return or
}
