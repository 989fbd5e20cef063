package intake

import (
	"context"
	"fmt"
	"sync"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/mariadb"
)

// allowances are what projects may still take in. They are taken from the
// database in blocks, so that processes share one allowance without a write
// for each request: what a process took and does not use, at most blockPart of
// the whole, is lost to the others.
type allowances struct {
	mu sync.Mutex
	by map[spanKey]*purse
}

type spanKey struct {
	project int64
	span    mariadb.Span
}

// purse is what a process holds of a span's allowance.
type purse struct {
	mu    sync.Mutex
	start time.Time
	left  int64
	empty bool // nothing is to be had before the span ends
}

// blockPart is which part of an allowance is taken at once.
const blockPart = 40

// overError says that a project's allowance is used up.
type overError struct {
	fault *fault.Error
	span  mariadb.Span
}

func (e *overError) Error() string { return e.fault.Error() }
func (e *overError) Unwrap() error { return e.fault }

// longestWait is how long a sender is told to wait at most.
const longestWait = time.Hour

func over(p *mariadb.Project, span mariadb.Span, most int64, now time.Time) error {
	wait := min(span.Start(now).Add(span.Length()).Sub(now), longestWait)
	return &overError{&fault.Error{Op: "intake.allowance", Code: fault.TooMany, Retry: wait,
		Pub: fmt.Sprintf("project %s has used up its allowance of %d events a %s; nothing was stored of this request, send it again later with the same ids", p.Name, most, span)}, span}
}

type spanLimit struct {
	span mariadb.Span
	most int64
}

func limits(p *mariadb.Project) []spanLimit {
	var out []spanLimit
	for _, l := range []spanLimit{{mariadb.Minute, p.Allowance.Minute}, {mariadb.OfDay, p.Allowance.Day}} {
		if l.most > 0 {
			out = append(out, l)
		}
	}
	return out
}

func (a *allowances) purse(p *mariadb.Project, span mariadb.Span) *purse {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.by == nil {
		a.by = map[spanKey]*purse{}
	}
	k := spanKey{p.ID, span}
	if a.by[k] == nil {
		a.by[k] = &purse{}
	}
	return a.by[k]
}

// usedUp says whether it is known already that a project may take in nothing
// now.
func (a *allowances) usedUp(p *mariadb.Project, now time.Time) error {
	for _, l := range limits(p) {
		u := a.purse(p, l.span)
		u.mu.Lock()
		empty := u.empty && u.start.Equal(l.span.Start(now))
		u.mu.Unlock()
		if empty {
			return over(p, l.span, l.most, now)
		}
	}
	return nil
}

// take takes events out of a project's allowance, or fails with an *overError
// and takes nothing.
func (a *allowances) take(ctx context.Context, store Store, p *mariadb.Project, now time.Time, events int64) error {
	list := limits(p)
	for _, l := range list {
		if events > l.most {
			return fault.New(fault.BadInput, "this request stands for %d events, and the whole allowance of project %s is %d a %s: send less at once", events, p.Name, l.most, l.span)
		}
	}
	for i, l := range list {
		ok, err := a.purse(p, l.span).take(ctx, store, p.ID, l, now, events)
		if ok {
			continue
		}
		for _, before := range list[:i] {
			a.purse(p, before.span).giveBack(events)
		}
		if err != nil {
			return err
		}
		return over(p, l.span, l.most, now)
	}
	return nil
}

func (u *purse) take(ctx context.Context, store Store, project int64, l spanLimit, now time.Time, events int64) (bool, error) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if start := l.span.Start(now); !u.start.Equal(start) {
		u.start, u.left, u.empty = start, 0, false
	}
	if u.left >= events {
		u.left -= events
		return true, nil
	}
	need := events - u.left
	for _, block := range []int64{max(need, l.most/blockPart), need} {
		ok, err := store.TakeAllowance(ctx, project, l.span, u.start, block, l.most)
		if err != nil {
			return false, err
		}
		if ok {
			u.left += block - events
			return true, nil
		}
	}
	u.empty = events <= max(l.most/blockPart, 1) // a large request says nothing of small ones
	return false, nil
}

func (u *purse) giveBack(events int64) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.left += events
}
