package firethorn

import (
	"context"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"sync"
	"time"
)

const (
	batchMessages = 100
	batchBytes    = 1 << 20
	maxPause      = time.Minute
	// maxLeave is how long the end of a program waits for a service that is
	// slow, when everything is on disk.
	maxLeave = time.Second
)

type waiting struct {
	id    string
	raw   []byte
	whole bool // it has its own resource: another run's message
}

// outbox is a bounded queue of messages of one list ("events", "sessions").
// They leave in order, in batches. What the service did not take is sent again
// with the same ids, at growing intervals. What waits also lies on disk, where
// the next start finds it. When the queue is full the newest message is
// dropped and counted, and the count is sent to the service.
type outbox struct {
	list string
	room int
	c    *Client

	sending sync.Mutex // one flush at a time

	mu      sync.Mutex
	shelf   *shelf // nil: memory alone
	waiting []waiting
	dropped map[string]int
	done    bool
	wake    chan struct{}
	end     chan struct{}
}

func newOutbox(list string, room int, c *Client) *outbox {
	return &outbox{
		list:    list,
		room:    room,
		c:       c,
		dropped: map[string]int{},
		wake:    make(chan struct{}, 1),
		end:     make(chan struct{}),
	}
}

// open starts to store waiting messages in a directory, with those that are there already.
func (b *outbox) open(root *os.Root) {
	s := newShelf(root)
	earlier := s.load(b.room)
	b.mu.Lock()
	defer b.mu.Unlock()
	b.shelf, b.waiting = s, append(earlier, b.waiting...)
}

// add takes a message; one with the id of another that waits takes its place.
// It says whether there was room.
func (b *outbox) add(w waiting) bool {
	if !b.hasRoom(w.id) {
		return false
	}
	// On disk first: once it waits, it may be sent and dropped at any moment.
	b.shelfNow().put(w, b.c.resource)
	b.mu.Lock()
	defer b.mu.Unlock()
	if i := b.index(w.id); i >= 0 {
		b.waiting[i] = w
	} else {
		b.waiting = append(b.waiting, w)
	}
	b.poke()
	return true
}

// hasRoom says whether there is room for a message, and counts it if not.
func (b *outbox) hasRoom(id string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.done {
		return false
	}
	if len(b.waiting) >= b.room && b.index(id) < 0 {
		b.dropped["queue_full"]++
		return false
	}
	return true
}

func (b *outbox) index(id string) int {
	return slices.IndexFunc(b.waiting, func(w waiting) bool { return w.id == id })
}

func (b *outbox) shelfNow() *shelf {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.shelf
}

func (b *outbox) poke() {
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

// run sends until close.
func (b *outbox) run() {
	go func() {
		failures := 0
		for {
			var pause <-chan time.Time
			wait, ok := b.flush(context.Background())
			wake := b.wake
			if ok {
				failures = 0
			} else {
				failures++
				backoff := min(maxPause, 500*time.Millisecond<<min(failures, 10))
				pause = time.After(max(wait, backoff*3/4+rand.N(backoff/2)))
				wake = nil // a new message does not make it hurry
			}
			select {
			case <-b.end:
				return
			case <-pause:
			case <-wake:
				time.Sleep(50 * time.Millisecond) // others may come with it
			}
		}
	}()
}

func (b *outbox) close() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if !b.done {
		b.done = true
		close(b.end)
	}
}

// drain sends waiting messages until none is left, or ctx ends.
func (b *outbox) drain(ctx context.Context) bool {
	for {
		ok, answered := b.tryWithin(ctx)
		if ok || !answered {
			return ok
		}
		select {
		case <-ctx.Done():
			return false
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// leave sends waiting messages of a program that ends. When everything is on disk
// it tries once, and not for long.
func (b *outbox) leave(ctx context.Context) {
	if !b.safe() {
		b.drain(ctx)
		return
	}
	short, cancel := context.WithTimeout(ctx, maxLeave)
	defer cancel()
	b.tryWithin(short)
}

// tryWithin flushes once. A service that is slow must not hold up a caller
// whose context ends.
func (b *outbox) tryWithin(ctx context.Context) (ok, answered bool) {
	done := make(chan bool, 1)
	go func() {
		_, ok := b.flush(ctx)
		done <- ok
	}()
	select {
	case <-ctx.Done():
		return false, false
	case ok := <-done:
		return ok, true
	}
}

// safe says whether everything that waits is on disk.
func (b *outbox) safe() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return !slices.ContainsFunc(b.waiting, func(w waiting) bool { return !b.shelf.has(w.id) })
}

// flush sends waiting messages. If the service refuses them, flush says how
// long to wait at least.
func (b *outbox) flush(ctx context.Context) (wait time.Duration, ok bool) {
	b.sending.Lock()
	defer b.sending.Unlock()
	size := batchMessages
	for {
		part, told := b.part(size)
		if len(part) == 0 {
			return 0, true
		}
		status, wait := b.send(ctx, part, told)
		switch {
		case status == http.StatusAccepted:
			b.taken(part, told)
		case status == http.StatusRequestEntityTooLarge && len(part) > 1:
			size = 1
		case status == http.StatusTooManyRequests || status == 502 || status == 503 || status == 504 || status < 400:
			// Below 400 it is not the service's: something between answers in its place.
			return wait, false
		default:
			b.c.refused(status)
			b.mu.Lock()
			b.dropped["refused"] += len(part)
			b.mu.Unlock()
			b.taken(part, nil)
		}
	}
}

// part is the next messages to send: at least one if any waits.
func (b *outbox) part(most int) (part []waiting, dropped map[string]int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	size := 0
	for i, w := range b.waiting {
		if size += len(w.raw); i > 0 && (size > batchBytes || i >= most) {
			break
		}
		part = append(part, w)
	}
	dropped = map[string]int{}
	for k, n := range b.dropped {
		dropped[k] = n
	}
	return part, dropped
}

func (b *outbox) taken(part []waiting, told map[string]int) {
	b.mu.Lock()
	for k, n := range told {
		if b.dropped[k] -= n; b.dropped[k] <= 0 {
			delete(b.dropped, k)
		}
	}
	var gone []string
	for _, w := range part {
		// One that was replaced meanwhile is not what was sent.
		i := slices.IndexFunc(b.waiting, func(v waiting) bool { return v.id == w.id && &v.raw[0] == &w.raw[0] })
		if i >= 0 {
			b.waiting = slices.Delete(b.waiting, i, i+1)
			gone = append(gone, w.id)
		}
	}
	b.mu.Unlock()
	for _, id := range gone {
		b.shelfNow().drop(id)
	}
}
