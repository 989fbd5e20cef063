// Package worker processes received events: it holds shards by lease, claims deliveries, runs the
// pipeline over them, and passes whole transactions to the store.
//
// Reading order: needs.go (what it works with), worker.go (leases and turns),
// claimed.go (one transaction).
//
// A turn files one project's oldest deliveries, whole or not at all. Projects
// take turns by the time they have used, so that a flood in one holds up none
// of the others. When a turn fails for a reason of its own, or a process ended
// over it, its events are processed one by one and those that cannot be are set
// aside, so that a bad event never holds up its neighbours.
package worker

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/jobs"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
)

// Worker processes the inbox. Make it with New, run it with Run.
type Worker struct {
	Needs
	wake chan int64
	kick chan struct{}

	mu       sync.Mutex
	leases   map[int]inbox.Lease
	queue    map[int64]*queued
	projects map[int64]cachedProject
	costs    costs
}

// queued is a project that has something in the inbox.
type queued struct {
	ready     bool // something waits
	busy      bool // a turn is under way
	again     bool // the last turn failed for a reason outside its events
	spent     time.Duration
	notBefore time.Time
}

type cachedProject struct {
	*projects.Project
	at time.Time
}

// New makes a worker.
func New(needs Needs) *Worker {
	return &Worker{Needs: needs, wake: make(chan int64, 1024), kick: make(chan struct{}, 1),
		leases: map[int]inbox.Lease{}, queue: map[int64]*queued{}, projects: map[int64]cachedProject{}}
}

// Wake says that something of a project was put into the inbox.
func (w *Worker) Wake(project int64) {
	select {
	case w.wake <- project:
	default: // it is awake already, and looks for itself soon
	}
}

const (
	leaseHold  = 6 * time.Second
	leaseRenew = 1500 * time.Millisecond
	idlePoll   = 500 * time.Millisecond
	callTime   = 10 * time.Second // of a call of the store outside a turn
	stopTime   = 10 * time.Second // that turns under way may take when the worker is told to end
)

// Run works until ctx ends, finishes the turns under way, then lets go of its
// shards. beside, unless nil, runs beside it once it has shards.
func (w *Worker) Run(ctx context.Context, beside func(context.Context, uuid.UUID)) error {
	var side sync.WaitGroup
	side.Go(func() { w.keepLeases(ctx) })
	if beside != nil {
		side.Go(func() {
			jobs.Sleep(ctx, idlePoll) // shards are taken first
			beside(ctx, w.Owner)
		})
	}
	var turns sync.WaitGroup
	work, abandon := context.WithCancel(context.WithoutCancel(ctx))
	defer abandon()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(stopTime, abandon) })()
	slots := make(chan struct{}, max(2, runtime.GOMAXPROCS(0)))
	poll := time.NewTicker(idlePoll)
	defer poll.Stop()
	for ctx.Err() == nil {
		for w.start(work, slots, &turns) {
		}
		select {
		case <-ctx.Done():
		case project := <-w.wake:
			w.ready(project)
		case <-w.kick:
		case <-poll.C:
			w.look(ctx)
		}
	}
	turns.Wait()
	side.Wait()
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if err := w.Queue.ReleaseLeases(end, w.Owner); err != nil {
		w.Log.Warn("shards were not let go; they run out by themselves", "err", err)
	}
	return nil
}

// keepLeases renews the shards until ctx ends.
func (w *Worker) keepLeases(ctx context.Context) {
	for ctx.Err() == nil {
		call, cancel := context.WithTimeout(ctx, leaseHold)
		list, err := w.Queue.TakeLeases(call, w.Owner, leaseHold)
		cancel()
		if err != nil && ctx.Err() == nil {
			w.Log.Error("shards could not be taken", "err", err)
		}
		if err == nil {
			w.mu.Lock()
			before := len(w.leases)
			clear(w.leases)
			for _, l := range list {
				w.leases[l.Shard] = l
			}
			w.mu.Unlock()
			if len(list) > before {
				w.look(ctx)
				w.nudge()
			}
		}
		jobs.Sleep(ctx, leaseRenew)
	}
}

// Holds says whether this process holds a project's shard.
func (w *Worker) Holds(project int64) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	_, ok := w.leases[inbox.ShardOf(project)]
	return ok
}

// LookAgain makes the next turn of a project look at its settings again, and takes
// that turn soon.
func (w *Worker) LookAgain(project int64) {
	w.forget(project)
	w.ready(project)
	w.nudge()
}

func (w *Worker) nudge() {
	select {
	case w.kick <- struct{}{}:
	default:
	}
}

// look finds what waits in the shards held.
func (w *Worker) look(ctx context.Context) {
	w.mu.Lock()
	var leases []inbox.Lease
	for _, l := range w.leases {
		leases = append(leases, l)
	}
	w.mu.Unlock()
	call, cancel := context.WithTimeout(ctx, callTime)
	defer cancel()
	list, err := w.Queue.Waiting(call, leases)
	if err != nil && ctx.Err() == nil {
		w.Log.Error("the inbox could not be read", "err", err)
	}
	for _, id := range list {
		w.ready(id)
	}
}

func (w *Worker) ready(project int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	q := w.queue[project]
	if q == nil {
		// A newcomer begins where the least busy one stands, so that neither
		// outruns the other for what it did not use before.
		q = &queued{spent: w.leastSpent()}
		w.queue[project] = q
	}
	q.ready = true
}

func (w *Worker) leastSpent() time.Duration {
	least := time.Duration(-1)
	for _, q := range w.queue {
		if (q.ready || q.busy) && (least < 0 || q.spent < least) {
			least = q.spent
		}
	}
	return max(least, 0)
}

// start begins a turn of the project that has used the least time, if one is
// ready and a slot is free.
func (w *Worker) start(ctx context.Context, slots chan struct{}, turns *sync.WaitGroup) bool {
	select {
	case slots <- struct{}{}:
	default:
		return false
	}
	id, q, lease := w.next()
	if q == nil {
		<-slots
		return false
	}
	turns.Go(func() {
		began := time.Now()
		more, err := w.processNext(ctx, lease, id, q.again)
		w.finish(ctx, id, q, time.Since(began), more, err)
		<-slots
		w.nudge()
	})
	return true
}

func (w *Worker) next() (id int64, best *queued, lease inbox.Lease) {
	w.mu.Lock()
	defer w.mu.Unlock()
	now := time.Now()
	for project, q := range w.queue {
		l, held := w.leases[inbox.ShardOf(project)]
		if held && q.ready && !q.busy && !now.Before(q.notBefore) && (best == nil || q.spent < best.spent) {
			id, best, lease = project, q, l
		}
	}
	if best != nil {
		best.busy, best.ready = true, false
	}
	return id, best, lease
}

// finish notes how a turn went. A project that fails waits a second; the
// others go on.
func (w *Worker) finish(ctx context.Context, id int64, q *queued, spent time.Duration, more bool, err error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	q.busy, q.again = false, false
	q.spent += spent
	switch {
	case err == nil:
		q.ready = q.ready || more
		if !q.ready {
			delete(w.queue, id)
		}
	case errors.Is(err, inbox.ErrLeaseLost):
		delete(w.queue, id)
		delete(w.leases, inbox.ShardOf(id))
	default:
		q.ready, q.again = true, db.Away(err)
		q.notBefore = time.Now().Add(time.Second)
		if ctx.Err() == nil {
			w.Log.Error("the events of a project could not be processed; they stay in the queue", "project", id, "err", err)
		}
	}
}
