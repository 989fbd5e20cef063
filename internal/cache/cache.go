// Package cache is a cache of computed values, limited in bytes.
package cache

import (
	"time"

	"github.com/maypok86/otter/v2"
)

// Cache holds values up to a number of bytes; those not used for long go first.
// It is safe for concurrent use.
type Cache[K comparable, V any] struct {
	held *held
}

// overhead is about what an entry takes besides its value.
const overhead = 100

// New makes a cache that holds about so many bytes; size gives those of a value.
func New[K comparable, V any](bytes int, size func(K, V) int) *Cache[K, V] {
	return &Cache[K, V]{newHeld(bytes, func(k, v any) int { return size(k.(K), v.(V)) })}
}

// Get gives the value of a key that is held.
func (c *Cache[K, V]) Get(k K) (v V, ok bool) {
	found, ok := c.held.get(k)
	if ok {
		v = found.(V)
	}
	return v, ok
}

// Put holds a value.
func (c *Cache[K, V]) Put(k K, v V) { c.held.put(k, v) }

// Drop removes the value of a key.
func (c *Cache[K, V]) Drop(k K) { c.held.drop(k) }

// Clear removes everything.
func (c *Cache[K, V]) Clear() { c.held.clear() }

// Len is about how many values are held, once those that are too many have gone.
func (c *Cache[K, V]) Len() int { return c.held.len() }

// held is the one kind of otter's cache that is compiled: its generic code is
// large, and each kind of key and value, in each package that makes one, would
// be compiled again. So its calls are not inlined either.
type held struct{ c *otter.Cache[any, any] }

//go:noinline
func newHeld(bytes int, size func(k, v any) int) *held {
	return &held{otter.Must(&otter.Options[any, any]{
		MaximumWeight: uint64(max(bytes, 1)),
		Weigher:       func(k, v any) uint32 { return uint32(min(overhead+size(k, v), 1<<31)) },
	})}
}

//go:noinline
func (h *held) get(k any) (any, bool) { return h.c.GetIfPresent(k) }

//go:noinline
func (h *held) put(k, v any) { h.c.Set(k, v) }

//go:noinline
func (h *held) clear() { h.c.InvalidateAll() }

//go:noinline
func (h *held) drop(k any) { h.c.Invalidate(k) }

//go:noinline
func (h *held) len() int {
	h.c.CleanUp()
	return h.c.EstimatedSize()
}

// Memo remembers answers that took longer than answering should, for some
// seconds: a quick answer is asked for again each time, and one that was slow once
// may have had bad luck. Processes need not agree: it is for values that are
// displayed, not for decisions.
type Memo[K comparable, V any] struct {
	slow *Cache[K, bool] // whether the last answer was
	held *Cache[K, remembered[V]]
}

type remembered[V any] struct {
	value V
	until time.Time
}

const (
	slowAnswer = 20 * time.Millisecond // one that takes longer twice is remembered
	verySlow   = time.Second           // one that takes longer is remembered at once: that was no bad luck
	maxKept    = 30 * time.Second
	keptTimes  = 100 // so many times as long as it took
)

// NewMemo makes a memo that holds about so many bytes; size gives those of an
// answer.
func NewMemo[K comparable, V any](bytes int, size func(V) int) *Memo[K, V] {
	return &Memo[K, V]{
		slow: New(bytes/4+1, func(K, bool) int { return 1 }),
		held: New(bytes, func(_ K, r remembered[V]) int { return size(r.value) }),
	}
}

// Get gives the remembered answer, or asks.
func (m *Memo[K, V]) Get(k K, ask func() (V, error)) (V, error) {
	if h, ok := m.held.Get(k); ok && time.Now().Before(h.until) {
		return h.value, nil
	}
	began := time.Now()
	v, err := ask()
	took := time.Since(began)
	if err != nil {
		return v, err
	}
	before, _ := m.slow.Get(k)
	now := took >= slowAnswer
	m.slow.Put(k, now)
	if before && now || took >= verySlow {
		m.held.Put(k, remembered[V]{v, time.Now().Add(min(maxKept, keptTimes*took))})
	}
	return v, nil
}
