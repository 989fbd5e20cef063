package intake

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
)

// allowances are what projects may still take in. They are taken from the
// database in blocks, so that processes share one allowance without a write
// for each request: what a process took and does not use, at most blockPart of
// the whole, is lost to the others.
//
// Events that arrive and events that others represent have an allowance of the
// same size each: a few events that represent many cannot lock out the others.
type allowances struct {
	mu sync.Mutex
	by map[spanKey]*block
}

type spanKey struct {
	project int64
	span    projects.Span
}

// block is what a process holds of a span's allowance.
type block struct {
	mu    sync.Mutex
	start time.Time
	left  int64
	empty bool             // nothing is to be had before the span ends
	used  map[string]int64 // by sender address, of what this process gave out
}

const (
	blockPart  = 40    // which part of an allowance is taken at once
	senderPart = 4     // which part of what may be stood for one address may use in a minute
	maxSenders = 1_000 // addresses that are distinguished in a span
)

// otherSenders stands for the addresses beyond maxSenders.
const otherSenders = "others"

// overError says that a project's allowance is used up.
type overError struct {
	problem *problem.Error
	what    string // which allowance
	usedBy  string // who used it up; "" when that was told already
}

func (e *overError) Error() string { return e.problem.Error() }
func (e *overError) Unwrap() error { return e.problem }

// longestWait is how long a sender is told to wait at most.
const longestWait = time.Hour

// over makes the error of a limit that is used up.
func (l spanLimit) over(p *projects.Project, now time.Time, usedBy string) error {
	wait := min(l.span.Start(now).Add(l.span.Length()).Sub(now), longestWait)
	return &overError{&problem.Error{Op: "intake.allowance", Code: problem.TooMany, Retry: wait,
		Pub: fmt.Sprintf("project %s has used up its allowance of %d %s; nothing was stored of this request, send it again later with the same ids", p.Name, l.limit, l.what())}, l.what(), usedBy}
}

// senderLimit is what one address may represent in a minute.
func senderLimit(limit int64) int64 { return max(limit/senderPart, event.MaxStandsFor) }

// overSender makes the error of an address that has stood for too much.
func (l spanLimit) overSender(p *projects.Project, now time.Time, from string) error {
	wait := l.span.Start(now).Add(l.span.Length()).Sub(now)
	return &overError{&problem.Error{Op: "intake.allowance", Code: problem.TooMany, Retry: wait,
		Pub: fmt.Sprintf("the events that %s sends may stand for %d others a minute in project %s; nothing was stored of this request, send it again later with the same ids", from, senderLimit(l.limit), p.Name)},
		"events that those of one address stand for a minute", "from " + from}
}

// spanLimit is one of a project's limits.
type spanLimit struct {
	span  projects.Span
	limit int64
}

// what names the limit.
func (l spanLimit) what() string {
	if l.span.StoodFor() {
		return "events that others stand for a " + l.span.Unit()
	}
	return "events a " + l.span.Unit()
}

// use is what one request wants to take out of a project's allowance.
type use struct {
	events   int64 // that arrive
	stoodFor int64 // that they represent beside themselves
	from     string
}

func (u use) of(span projects.Span) int64 {
	if span.StoodFor() {
		return u.stoodFor
	}
	return u.events
}

// limits are those of a project that a request touches.
func limits(p *projects.Project, u use) []spanLimit {
	all := []spanLimit{{projects.Minute, p.Allowance.Minute}, {projects.OfDay, p.Allowance.Day},
		{projects.MinuteStoodFor, p.Allowance.Minute}, {projects.DayStoodFor, p.Allowance.Day}}
	return slices.DeleteFunc(all, func(l spanLimit) bool { return l.limit <= 0 || u.of(l.span) <= 0 })
}

func (a *allowances) block(p *projects.Project, span projects.Span) *block {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.by == nil {
		a.by = map[spanKey]*block{}
	}
	k := spanKey{p.ID, span}
	if a.by[k] == nil {
		a.by[k] = &block{}
	}
	return a.by[k]
}

// usedUp says whether it is known already that a project may take in nothing
// now.
func (a *allowances) usedUp(p *projects.Project, now time.Time) error {
	for _, l := range limits(p, use{events: 1}) {
		b := a.block(p, l.span)
		b.mu.Lock()
		empty := b.empty && b.start.Equal(l.span.Start(now))
		b.mu.Unlock()
		if empty {
			return l.over(p, now, "")
		}
	}
	return nil
}

// take takes a request's events out of a project's allowance, or fails and
// takes nothing.
func (a *allowances) take(ctx context.Context, store Projects, p *projects.Project, now time.Time, u use) error {
	list := limits(p, u)
	for _, l := range list {
		if n := u.of(l.span); n > l.limit {
			return problem.New(problem.BadInput, "this request takes %d of the allowance of project %s, which is %d %s: send less at once", n, p.Name, l.limit, l.what())
		}
	}
	for i, l := range list {
		b := a.block(p, l.span)
		if l.span == projects.MinuteStoodFor && b.usedFrom(l, now, u.from)+u.stoodFor > senderLimit(l.limit) {
			a.giveBack(p, list[:i], now, u)
			return l.overSender(p, now, u.from)
		}
		ok, err := b.take(ctx, store, p.ID, l, now, u)
		if ok {
			continue
		}
		a.giveBack(p, list[:i], now, u)
		if err != nil {
			return err
		}
		return l.over(p, now, b.usedBy(u.from))
	}
	return nil
}

// giveBack returns what take took for limits.
func (a *allowances) giveBack(p *projects.Project, of []spanLimit, now time.Time, u use) {
	for _, l := range of {
		b := a.block(p, l.span)
		b.mu.Lock()
		if b.start.Equal(l.span.Start(now)) {
			b.left += u.of(l.span)
			b.empty = false
			b.used[b.sender(u.from)] -= u.of(l.span)
		}
		b.mu.Unlock()
	}
}

func (b *block) take(ctx context.Context, store Projects, project int64, l spanLimit, now time.Time,
	u use) (bool, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if start := l.span.Start(now); !b.start.Equal(start) {
		b.start, b.left, b.empty, b.used = start, 0, false, map[string]int64{}
	}
	n, from := u.of(l.span), b.sender(u.from)
	if b.left < n {
		ok, err := b.refill(ctx, store, project, l, n)
		if !ok || err != nil {
			return false, err
		}
	}
	b.left -= n
	b.used[from] += n
	return true, nil
}

// usedFrom is how much an address used of the span that now lies in.
func (b *block) usedFrom(l spanLimit, now time.Time, from string) int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	if !b.start.Equal(l.span.Start(now)) {
		return 0
	}
	return b.used[b.sender(from)]
}

// refill takes a block from the database that holds at least n more.
func (b *block) refill(ctx context.Context, store Projects, project int64, l spanLimit, n int64) (bool, error) {
	need := n - b.left
	for _, size := range []int64{max(need, l.limit/blockPart), need} {
		ok, err := store.TakeAllowance(ctx, project, l.span, b.start, size, l.limit)
		if err != nil {
			return false, err
		}
		if ok {
			b.left += size
			return true, nil
		}
	}
	b.empty = n <= max(l.limit/blockPart, 1) // a large request says nothing of small ones
	return false, nil
}

// sender is under which name an address is counted.
func (b *block) sender(from string) string {
	if _, known := b.used[from]; known || len(b.used) < maxSenders {
		return from
	}
	return otherSenders
}

// usedBy names who used most of an allowance in this process.
func (b *block) usedBy(asking string) string {
	b.mu.Lock()
	defer b.mu.Unlock()
	var senders []string
	for s, n := range b.used {
		if n > 0 {
			senders = append(senders, s)
		}
	}
	slices.SortFunc(senders, func(x, y string) int {
		return cmp.Or(cmp.Compare(b.used[y], b.used[x]), cmp.Compare(x, y))
	})
	var told []string
	for _, s := range senders[:min(len(senders), 3)] {
		told = append(told, fmt.Sprintf("%s %d", s, b.used[s]))
	}
	if len(told) == 0 {
		return "turned away: " + asking
	}
	if more := len(senders) - len(told); more > 0 {
		told = append(told, fmt.Sprintf("%d more addresses", more))
	}
	return "used by " + strings.Join(told, ", ") + "; turned away: " + asking
}

// taking is what one request takes out of the allowances of several projects,
// and returns it for events that were not stored.
type taking struct {
	in   *Intake
	ctx  context.Context
	from string

	taken []takenUse
}

type takenUse struct {
	project *projects.Project
	use     use
	at      time.Time
}

// take takes events that represent weight events out of a project's allowance.
func (t *taking) take(p *projects.Project, events, weight int64) error {
	u, at := use{events: events, stoodFor: weight - events, from: t.from}, t.in.now()
	err := t.in.ask(t.ctx, func(ctx context.Context) error {
		return t.in.allowance.take(ctx, t.in.projects, p, at, u)
	})
	if err != nil {
		return t.in.over(p, int(events), err)
	}
	t.taken = append(t.taken, takenUse{p, u, at})
	return nil
}

// keep says that a project's events are stored.
func (t *taking) keep(p *projects.Project) {
	t.taken = slices.DeleteFunc(t.taken, func(x takenUse) bool { return x.project == p })
}

// giveBack returns what was not kept.
func (t *taking) giveBack() {
	for _, x := range t.taken {
		t.in.allowance.giveBack(x.project, limits(x.project, x.use), x.at, x.use)
	}
}
