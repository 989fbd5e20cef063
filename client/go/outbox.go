package firethorn

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

const (
	batchMessages = 100
	batchBytes    = 1 << 20
	mostKept      = 200     // messages on disk
	mostKeptBytes = 4 << 20 // of them
	slowest       = time.Minute
)

type waiting struct {
	id  string
	raw []byte
}

// outbox is a bounded queue of messages of one list ("events", "sessions"):
// they leave in order, in batches; what was not taken is sent again with the
// same ids, backing off. What waits also lies on disk, where the next start
// finds it. When the queue is full the newest is dropped and counted, and the
// service is told how many.
type outbox struct {
	list string
	room int
	c    *Client
	dir  string // "": memory alone

	sending sync.Mutex // one flush at a time

	mu      sync.Mutex
	waiting []waiting
	dropped map[string]int
	done    bool
	wake    chan struct{}
	end     chan struct{}
}

func newOutbox(list string, room int, c *Client, dir string) *outbox {
	b := &outbox{list: list, room: room, c: c, dropped: map[string]int{}, wake: make(chan struct{}, 1), end: make(chan struct{})}
	if dir == "" {
		return b
	}
	b.dir = filepath.Join(dir, list)
	if err := os.MkdirAll(b.dir, 0o700); err != nil {
		b.dir = "" // memory has to do
		return b
	}
	names, _ := filepath.Glob(filepath.Join(b.dir, "*.json")) // the pattern is well formed
	slices.Sort(names)                                        // ids begin with the time
	for _, name := range names {
		raw, err := os.ReadFile(name)
		if err == nil && json.Valid(raw) && len(b.waiting) < room {
			b.waiting = append(b.waiting, waiting{strings.TrimSuffix(filepath.Base(name), ".json"), raw})
		} else if err == nil && !json.Valid(raw) {
			_ = os.Remove(name) // nobody can read it
		}
	}
	return b
}

// add takes a message; one with the id of another that waits takes its place.
func (b *outbox) add(id string, raw []byte) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.done {
		return
	}
	i := slices.IndexFunc(b.waiting, func(w waiting) bool { return w.id == id })
	switch {
	case i >= 0:
		b.waiting[i] = waiting{id, raw}
	case len(b.waiting) >= b.room:
		b.dropped["queue_full"]++
		return
	default:
		b.waiting = append(b.waiting, waiting{id, raw})
	}
	b.keep(id, raw)
	b.poke()
}

// keep writes a message down with its resource: the next start may be another
// release.
func (b *outbox) keep(id string, raw []byte) {
	if b.dir == "" {
		return
	}
	entries, err := os.ReadDir(b.dir)
	if err != nil || len(entries) >= mostKept {
		return
	}
	size := int64(len(raw))
	for _, e := range entries {
		if info, err := e.Info(); err == nil {
			size += info.Size()
		}
	}
	resource, err := json.Marshal(b.c.resource)
	if err != nil || size > mostKeptBytes {
		return
	}
	whole := slices.Concat(raw[:len(raw)-1], []byte(`,"resource":`), resource, []byte("}"))
	name := filepath.Join(b.dir, id+".json")
	if os.WriteFile(name+".part", whole, 0o600) == nil {
		_ = os.Rename(name+".part", name) // the disk is full or gone: memory has to do
	}
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
			wait, ok := b.flush()
			switch {
			case ok:
				failures = 0
			default:
				failures++
				backoff := min(slowest, 500*time.Millisecond<<min(failures, 10))
				pause = time.After(max(wait, backoff*3/4+rand.N(backoff/2)))
			}
			wake := b.wake
			if !ok {
				wake = nil // what comes meanwhile does not make it hurry
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

// drain sends what waits until nothing does, or ctx ends.
func (b *outbox) drain(ctx context.Context) bool {
	for {
		done := make(chan bool, 1)
		go func() { // a service that is slow must not hold up who waits
			_, ok := b.flush()
			done <- ok
		}()
		select {
		case <-ctx.Done():
			return false
		case ok := <-done:
			if ok {
				return true
			}
		}
		select {
		case <-ctx.Done():
			return false
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// flush sends what waits; where the service does not take it, it says how long
// to wait at least.
func (b *outbox) flush() (wait time.Duration, ok bool) {
	b.sending.Lock()
	defer b.sending.Unlock()
	size := batchMessages
	for {
		part, told := b.part(size)
		if len(part) == 0 {
			return 0, true
		}
		status, wait := b.send(part, told)
		switch {
		case status == http.StatusAccepted:
			b.taken(part, told)
		case status == http.StatusRequestEntityTooLarge && len(part) > 1:
			size = 1
		case status == http.StatusTooManyRequests || status == 502 || status == 503 || status == 504 || status < 400:
			// Below 400 it is not the service's: something between answers in its place.
			return wait, false
		default:
			b.mu.Lock()
			b.dropped["refused"] += len(part)
			b.mu.Unlock()
			b.taken(part, nil)
		}
	}
}

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
	defer b.mu.Unlock()
	for k, n := range told {
		if b.dropped[k] -= n; b.dropped[k] <= 0 {
			delete(b.dropped, k)
		}
	}
	for _, w := range part {
		// One that was replaced meanwhile is not what was sent.
		i := slices.IndexFunc(b.waiting, func(v waiting) bool { return v.id == w.id && &v.raw[0] == &w.raw[0] })
		if i < 0 {
			continue
		}
		b.waiting = slices.Delete(b.waiting, i, i+1)
		if b.dir != "" {
			_ = os.Remove(filepath.Join(b.dir, w.id+".json")) // sent again by the next start, it counts once
		}
	}
}

// send posts a batch; no answer is status 503.
func (b *outbox) send(part []waiting, dropped map[string]int) (status int, wait time.Duration) {
	envelope := map[string]any{"sent": time.Now().UTC(), "resource": b.c.resource}
	if len(dropped) > 0 {
		envelope["dropped"] = dropped
	}
	head, err := json.Marshal(envelope)
	if err != nil {
		return http.StatusServiceUnavailable, 0
	}
	var body bytes.Buffer
	z := gzip.NewWriter(&body)
	_, _ = z.Write(head[:len(head)-1]) // into memory
	_, _ = io.WriteString(z, `,"`+b.list+`":[`)
	for i, w := range part {
		if i > 0 {
			_, _ = io.WriteString(z, ",")
		}
		_, _ = z.Write(w.raw)
	}
	_, _ = io.WriteString(z, "]}")
	if z.Close() != nil {
		return http.StatusServiceUnavailable, 0
	}
	req, err := http.NewRequest(http.MethodPost, strings.TrimRight(b.c.o.Server, "/")+"/v1/"+b.list, &body)
	if err != nil {
		return http.StatusServiceUnavailable, 0
	}
	req.Header.Set("Authorization", "Bearer "+b.c.o.Key)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Content-Encoding", "gzip")
	res, err := b.c.o.Client.Do(req)
	if err != nil {
		return http.StatusServiceUnavailable, 0
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, 1<<20)) // lets the connection be used again
	if n, err := strconv.Atoi(res.Header.Get("Retry-After")); err == nil {
		wait = min(time.Duration(n)*time.Second, slowest)
	}
	return res.StatusCode, wait
}
