package firethorn

import (
	"context"
	"slices"
	"strings"
	"sync"
	"time"
)

// dumpEvery is how often all goroutines are looked at, at most: the whole
// program stands still meanwhile.
const dumpEvery = time.Minute

// Watched is work that gives signs of life.
type Watched struct {
	c         *Client
	ctx       context.Context
	name      string
	goroutine string
	after     time.Duration

	mu    sync.Mutex
	timer *time.Timer
	alive time.Time // the last sign of life
	told  bool
	done  bool
}

// Watch watches work of the goroutine that calls it; the package's function
// Watch says more.
func (c *Client) Watch(ctx context.Context, name string, after time.Duration) *Watched {
	w := &Watched{c: c, ctx: ctx, name: name, after: after, alive: time.Now()}
	if c == nil || after <= 0 {
		return w
	}
	w.goroutine = goroutineID()
	c.hangs.watch(w)
	w.timer = time.AfterFunc(after, w.silent)
	return w
}

// silent is called when there was no sign of life for so long.
func (w *Watched) silent() {
	w.mu.Lock()
	told := w.told || w.done
	w.told = true
	w.mu.Unlock()
	if !told {
		quietly(func() { w.c.hangs.found(w) })
	}
}

// Alive says that the work goes on.
func (w *Watched) Alive() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.timer != nil && !w.done {
		w.told, w.alive = false, time.Now()
		w.timer.Reset(w.after)
	}
}

// Done says that the work is done.
func (w *Watched) Done() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.timer != nil && !w.done {
		w.done = true
		w.timer.Stop()
		w.c.hangs.unwatch(w)
	}
}

func (w *Watched) lastSign() (at time.Time, done bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.alive, w.done
}

// hangs reports work that hangs. All goroutines are looked at once a minute at
// most. That one look gives the stack of everything that hung at the time;
// what begins to hang later waits for the next look.
type hangs struct {
	c *Client

	looking sync.Mutex // a caller that comes during a look waits for its result

	mu      sync.Mutex
	watched map[*Watched]bool
	looked  time.Time
	stacks  map[*Watched]string // of the watched work, at the last look
	pending []*Watched
	timer   *time.Timer
}

func (h *hangs) watch(w *Watched) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.watched == nil {
		h.watched = map[*Watched]bool{}
	}
	h.watched[w] = true
}

func (h *hangs) unwatch(w *Watched) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.watched, w)
	delete(h.stacks, w)
}

// found reports work that gives no sign of life.
func (h *hangs) found(w *Watched) {
	if threads, wait := h.seen(w); !wait {
		h.report(w, threads)
	}
}

// seen is the result of the last snapshot about the work. If a new one is due, it
// looks and reports at once, before anybody else does: the report with all
// goroutines is to be the first. wait is true when there is nothing to report:
// it was reported here, or it waits for the next look.
func (h *hangs) seen(w *Watched) (threads []Thread, wait bool) {
	sign, _ := w.lastSign()
	h.looking.Lock()
	defer h.looking.Unlock()
	h.mu.Lock()
	due := time.Until(h.looked.Add(dumpEvery))
	stack, known := h.stacks[w]
	known = known && sign.Before(h.looked)
	if due > 0 && !known {
		h.pending = append(h.pending, w)
		if h.timer == nil {
			h.timer = time.AfterFunc(due, func() { quietly(h.later) })
		}
	}
	h.mu.Unlock()
	if due <= 0 {
		h.report(w, h.look(w))
		return nil, true
	}
	return []Thread{{ID: w.goroutine, Blamed: true, Stack: stack}}, !known
}

// later looks again, for everything that began to hang since the last look.
func (h *hangs) later() {
	h.mu.Lock()
	pending := h.pending
	h.pending, h.timer = nil, nil
	h.mu.Unlock()
	for _, w := range pending {
		if _, done := w.lastSign(); done {
			h.report(w, nil) // it regressed before anybody could look
			continue
		}
		h.found(w)
	}
}

// look gives all goroutines, with the blamed one marked, and remembers the
// stacks of all watched work.
func (h *hangs) look(w *Watched) []Thread {
	own, now := goroutineID(), time.Now() // the one that looks
	threads := slices.DeleteFunc(goroutines(w.goroutine), func(t Thread) bool { return t.ID == own })
	by := map[string]string{}
	for _, t := range threads {
		by[t.ID] = t.Stack
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.looked, h.stacks = now, map[*Watched]string{}
	for v := range h.watched {
		if stack, ok := by[v.goroutine]; ok {
			h.stacks[v] = strings.Clone(stack) // the whole look must not stay in memory
		}
	}
	return threads
}

func (h *hangs) report(w *Watched, threads []Thread) {
	stack := ""
	if i := slices.IndexFunc(threads, func(t Thread) bool { return t.Blamed }); i >= 0 {
		stack = threads[i].Stack
	}
	message := w.name + " gave no sign of life"
	_, place, _ := strings.Cut(stack, "\n")
	d := Details{Attributes: map[string]any{"hang.after_ms": w.after.Milliseconds()}}
	h.c.throw(w.ctx, d, "hang "+message+place[:min(len(place), 400)], func(e *Event) {
		e.Exceptions = []Exception{{Type: "Hang", Message: message, Stack: stack, ThreadID: w.goroutine}}
		if len(threads) > 1 {
			e.Threads = fitting(threads, w.goroutine)
		}
	})
}
