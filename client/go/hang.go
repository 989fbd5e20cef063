package firethorn

import (
	"context"
	"slices"
	"sync"
	"time"
)

// Watched is work that gives signs of life.
type Watched struct {
	mu    sync.Mutex
	timer *time.Timer
	after time.Duration
	told  bool
}

// Watch watches work of the goroutine that calls it: when it gives no sign of
// life for so long it is reported as hanging, with its stack and all
// goroutines. Done ends the watch.
//
//	w := firethorn.Watch(ctx, "the crew plan", 30*time.Second)
//	defer w.Done()
//	for … { w.Alive(); … }
func Watch(ctx context.Context, name string, after time.Duration) *Watched {
	w := &Watched{after: after}
	c := std.Load()
	if c == nil || after <= 0 {
		return w
	}
	id := goroutineID()
	w.timer = time.AfterFunc(after, func() {
		w.mu.Lock()
		told := w.told
		w.told = true
		w.mu.Unlock()
		if !told {
			quietly(func() { c.hang(ctx, name, id, after) })
		}
	})
	return w
}

// Alive says that the work goes on.
func (w *Watched) Alive() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.timer != nil {
		w.told = false
		w.timer.Reset(w.after)
	}
}

// Done says that the work is done.
func (w *Watched) Done() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.timer != nil {
		w.told = true
		w.timer.Stop()
	}
}

// hang reports work of a goroutine that gives no sign of life.
func (c *Client) hang(ctx context.Context, name, goroutine string, after time.Duration) {
	own := goroutineID() // the one that watches
	threads := slices.DeleteFunc(goroutines(goroutine), func(t Thread) bool { return t.ID == own })
	stack := ""
	for _, t := range threads {
		if t.Blamed {
			stack = t.Stack
		}
	}
	words := name + " gave no sign of life"
	c.throw(ctx, Details{Attributes: map[string]any{"hang.after_ms": after.Milliseconds()}}, "hang "+words, func() []Exception {
		return []Exception{{Type: "Hang", Message: words, Stack: stack, ThreadID: goroutine}}
	}, threads...)
}
