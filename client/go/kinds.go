package firethorn

import (
	"math/rand/v2"
	"sync"
	"time"
)

// Of one kind so many are sent at once within a span, the rest is counted.
const (
	maxAtOnce    = 5
	span         = 10 * time.Second
	maxKinds     = 500
	maxStandsFor = 10_000
)

// kinds lets the first of a kind through, always; of those that follow a
// share, and never more than a few at a time. What is held back is counted:
// the next one of its kind represents it, or the last one does when the span
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
	began  time.Time
	sent   int
	id     string
	held   *Event
	count  int
	making bool // held is being made
	flood  bool // there were too many: what is held back is told soon, and not with the next of its share
}

// take takes one of a kind; makeEvent makes the event where it is needed. It
// returns the id of the event that reports it. makeEvent runs outside the
// lock: the program's own functions may report something themselves.
func (k *kinds) take(key string, makeEvent func() *Event) string {
	a := k.admit(key)
	for _, e := range a.due {
		k.send(e)
	}
	switch {
	case a.send:
		e := makeEvent()
		e.ID = a.id
		if a.count > 0 {
			e.StandsFor = min(maxStandsFor, 1+a.count)
		}
		k.send(e)
	case a.hold:
		k.hold(a.of, makeEvent)
	}
	return a.id
}

// admitted says what happens to a report.
type admitted struct {
	of    *kind
	due   []*Event // others that leave now
	send  bool     // it leaves, and stands_for counts others
	hold  bool     // its event is kept, and represents those that follow
	count int
	id    string
}

func (k *kinds) admit(key string) (a admitted) {
	k.mu.Lock()
	defer k.mu.Unlock()
	of := k.of(key, &a)
	a.of = of
	if of.sent == 0 || of.sent <= maxAtOnce && (k.share <= 0 || rand.Float64() < k.share) {
		of.sent++
		of.id = newID()
		a.send, a.count, a.id = true, of.count, of.id
		of.held, of.count = nil, 0
		return a
	}
	of.count++
	a.id, a.hold = of.id, of.held == nil && !of.making
	of.making = of.making || a.hold
	of.flood = of.flood || of.sent > maxAtOnce
	if of.count >= maxStandsFor {
		a.due = append(a.due, of.tell()...)
	}
	if k.timer == nil {
		k.timer = time.AfterFunc(span, func() { k.release(true) })
	}
	return a
}

// of finds or makes a kind; the oldest gives way.
func (k *kinds) of(key string, a *admitted) *kind {
	now := time.Now()
	of := k.by[key]
	if of == nil {
		if len(k.order) >= maxKinds {
			a.due = append(a.due, k.by[k.order[0]].tell()...)
			delete(k.by, k.order[0])
			k.order = k.order[1:]
		}
		if k.by == nil {
			k.by = map[string]*kind{}
		}
		of = &kind{began: now}
		k.by[key], k.order = of, append(k.order, key)
	} else if now.Sub(of.began) >= span {
		of.began, of.sent = now, 1 // the first of the kind was long ago
	}
	return of
}

// hold makes the event that represents those held back.
func (k *kinds) hold(of *kind, makeEvent func() *Event) {
	var e *Event
	defer func() {
		k.mu.Lock()
		defer k.mu.Unlock()
		if of.making = false; of.count > 0 {
			of.held = e
		}
	}()
	e = makeEvent()
}

// tell gives the event that stands for the reports held back.
func (of *kind) tell() []*Event {
	if of.held == nil || of.count == 0 {
		return nil
	}
	e := of.held
	e.StandsFor = of.count
	of.held, of.count, of.flood = nil, 0, false
	return []*Event{e}
}

// release sends the reports held back: one of each kind, standing for all. What is
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
