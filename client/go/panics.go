package firethorn

import (
	"context"
	"fmt"
	"regexp"
	"runtime/debug"
)

// Recover reports a panic and lets the program go on after the function that
// deferred it:
//
//	defer firethorn.Recover(ctx)
func Recover(ctx context.Context) {
	if v := recover(); v != nil {
		reportPanic(ctx, v, Details{Handled: True})
	}
}

// Repanic reports a panic, waits up to two seconds until that is stored, and
// panics on:
//
//	defer firethorn.Repanic(ctx)
func Repanic(ctx context.Context) {
	v := recover()
	if v == nil {
		return
	}
	reportPanic(ctx, v, Details{Handled: False, Severity: "fatal"})
	if c := std.Load(); c != nil {
		c.crash()
	}
	panic(v)
}

// Go runs fn in a goroutine with a flow of its own; a panic is reported, and
// ends the program as it would have.
func Go(ctx context.Context, fn func(ctx context.Context)) {
	go func() {
		ctx := With(ctx)
		defer Repanic(ctx)
		fn(ctx)
	}()
}

// own are the frames of the runtime and of this client on top of a recovered
// panic's stack.
var own = regexp.MustCompile(`(?s)^(goroutine \d+ \[[^\]]*\]:\n).*?\npanic\([^\n]*\n[^\n]*\n`)

// reportPanic reports a panic's value with the stack it panicked at.
func reportPanic(ctx context.Context, v any, d Details) (id string) {
	c := std.Load()
	if c == nil {
		return ""
	}
	quietly(func() {
		stack := own.ReplaceAllString(string(debug.Stack()), "$1")
		err, ok := v.(error)
		if ok {
			id = c.throw(ctx, d, kindOf(err, stack), func() []Exception {
				list := exceptionsOf(err, stack)
				list[0].Stack = stack // of the panic, wherever the error was made
				return list
			})
			return
		}
		words := printed(v)
		id = c.throw(ctx, d, "panic "+words+stack[:min(len(stack), 400)], func() []Exception {
			return []Exception{{Type: "panic", Message: words, Thrown: fmt.Sprintf("%T", v), Stack: stack}}
		})
	})
	return id
}
