package firethorn

import (
	"context"
	"fmt"
	"regexp"
	"runtime/debug"
)

// Recover reports a panic and lets the program go on after the function that
// deferred it. With a nil Client the panic goes on.
//
//	defer client.Recover(ctx)
func (c *Client) Recover(ctx context.Context) {
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
//	defer client.Repanic(ctx)
func (c *Client) Repanic(ctx context.Context) {
	if c == nil {
		return
	}
	if v := recover(); v != nil {
		c.lastWords(ctx, v)
		panic(v)
	}
}

// Go runs fn in a goroutine with a flow of its own. A panic is reported, and
// then ends the program as it would have.
func (c *Client) Go(ctx context.Context, fn func(ctx context.Context)) {
	go func() {
		ctx := c.With(ctx)
		defer c.Repanic(ctx)
		fn(ctx)
	}()
}

// ReportPanic reports a value that recover returned, for a framework that
// recovers panics itself. Call it in the deferred function that recovered: the
// stack is still that of the panic there.
func (c *Client) ReportPanic(ctx context.Context, v any, d ...Details) string {
	if v == nil {
		return ""
	}
	return c.reportPanic(ctx, v, first(d, Details{Handled: False}))
}

// above are the frames of the runtime and of this client on top of a recovered
// panic's stack.
var above = regexp.MustCompile(`(?s)^(goroutine \d+ \[[^\]]*\]:\n).*?\npanic\([^\n]*\n[^\n]*\n`)

// reportPanic reports a panic's value with the stack it panicked at.
func (c *Client) reportPanic(ctx context.Context, v any, d Details) (id string) {
	if c == nil {
		return ""
	}
	quietly(func() {
		stack := above.ReplaceAllString(string(debug.Stack()), "$1")
		if err, ok := v.(error); ok {
			id = c.throw(ctx, d, kindOf(err, stack), func(e *Event) {
				e.Exceptions = exceptionsOf(err, stack)
				e.Exceptions[0].Stack = stack // of the panic, wherever the error was made
			})
			return
		}
		text := printed(v)
		id = c.throw(ctx, d, "panic "+text+stack[:min(len(stack), 400)], func(e *Event) {
			e.Exceptions = []Exception{{Type: "panic", Message: text, Thrown: fmt.Sprintf("%T", v), Stack: stack}}
		})
	})
	return id
}
