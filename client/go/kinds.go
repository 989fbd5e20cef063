package firethorn

import (
	"math/rand/v2"
	"sync"
	"time"
)

// Of one kind so many are sent at once within a span, the rest is counted.
const (
	mostAtOnce    = 5
	span          = 10 * time.Second
	mostKinds     = 500
	mostStandsFor = 10_000
)

// kinds lets the first of a kind through, always; of those that follow a
// share, and never more than a few at a time. What is held back is counted:
// the next one of its kind stands for it, or the last one does when the span
// is over.
type kinds struct {
	share float64
	send  func(*Event)

	mu    sync.Mutex
	by    map[string]*kind
	order []string
	timer *time.Timer
}

type kind struct {
	began time.Time
	sent  int
	id    string
	held  *Event
	count int
	flood bool // there were too many: what is held back is told soon, and not with the next of its share
}

// take takes one of a kind; make makes the event where it is needed. It
// returns the id of the one that tells of it.
func (k *kinds) take(key string, make func() *Event) string {
	e, id := k.choose(key, make)
	for _, e := range e {
		k.send(e)
	}
	return id
}

func (k *kinds) choose(key string, makeEvent func() *Event) (out []*Event, id string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.by == nil {
		k.by = map[string]*kind{}
	}
	now := time.Now()
	of := k.by[key]
	switch {
	case of == nil:
		if len(k.order) >= mostKinds {
			out = append(out, k.by[k.order[0]].tell()...)
			delete(k.by, k.order[0])
			k.order = k.order[1:]
		}
		of = &kind{began: now}
		k.by[key], k.order = of, append(k.order, key)
	case now.Sub(of.began) >= span:
		of.began, of.sent = now, 1 // the first of the kind was long ago
	}
	if of.sent == 0 || of.sent <= mostAtOnce && (k.share <= 0 || rand.Float64() < k.share) {
		of.sent++
		e := makeEvent()
		if of.count > 0 {
			e.StandsFor = min(mostStandsFor, 1+of.count)
		}
		of.held, of.count, of.id = nil, 0, e.ID
		return append(out, e), e.ID
	}
	of.count++
	if of.held == nil {
		of.held = makeEvent()
	}
	of.flood = of.flood || of.sent > mostAtOnce
	if of.count >= mostStandsFor {
		out = append(out, of.tell()...)
	}
	if k.timer == nil {
		k.timer = time.AfterFunc(span, func() { k.release(true) })
	}
	return out, of.id
}

// tell gives the event that stands for what is held back.
func (of *kind) tell() []*Event {
	if of.held == nil {
		return nil
	}
	e := of.held
	e.StandsFor = of.count
	of.held, of.count, of.flood = nil, 0, false
	return []*Event{e}
}

// release sends what is held back: one of each kind, standing for all. What is
// no flood waits for the next of its share, or the end.
func (k *kinds) release(floods bool) {
	k.mu.Lock()
	var out []*Event
	for _, of := range k.by {
		if of.flood || !floods {
			out = append(out, of.tell()...)
		}
	}
	if k.timer != nil {
		k.timer.Stop()
		k.timer = nil
	}
	k.mu.Unlock()
	for _, e := range out {
		k.send(e)
	}
}
