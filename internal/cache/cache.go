// Package cache remembers what costs much to find out.
package cache

import (
	"sync"
	"time"
)

// Memo remembers answers that took longer than answering should, for some
// seconds: what is quick is asked anew each time, and what was slow once may have
// had bad luck. Processes need not agree: it holds figures that are looked at, and
// nothing that is decided by.
type Memo[K comparable, V any] struct {
	mu   sync.Mutex
	slow map[K]bool // the last time
	held map[K]remembered[V]
}

type remembered[V any] struct {
	value V
	until time.Time
}

const (
	slowAnswer = 20 * time.Millisecond // what takes longer is remembered
	mostKept   = 30 * time.Second
	keptTimes  = 100 // so many times as long as it took
)

// Get gives what is remembered, or asks.
func (m *Memo[K, V]) Get(k K, ask func() (V, error)) (V, error) {
	m.mu.Lock()
	h, ok := m.held[k]
	m.mu.Unlock()
	if ok && time.Now().Before(h.until) {
		return h.value, nil
	}
	began := time.Now()
	v, err := ask()
	took := time.Since(began)
	if err != nil {
		return v, err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.held == nil || len(m.slow) > 1000 {
		m.held, m.slow = map[K]remembered[V]{}, map[K]bool{}
	}
	before := m.slow[k]
	if m.slow[k] = took >= slowAnswer; !before || !m.slow[k] {
		return v, nil
	}
	m.held[k] = remembered[V]{v, time.Now().Add(min(mostKept, keptTimes*took))}
	return v, nil
}
