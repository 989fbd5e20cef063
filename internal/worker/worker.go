// Package worker files what intake stored: it holds shards by lease, takes
// deliveries of their projects in hand, runs the pipeline over them, and hands
// whole transactions to the store. It also runs the jobs that keep derived
// data current and old data going.
//
// Reading order: worker.go (leases and turns), turn.go (one transaction),
// upkeep.go (the table of jobs).
//
// A turn files one project's oldest deliveries, whole or not at all. Projects
// take turns by the time they have used, so that a flood in one holds up none
// of the others. When a turn fails for a reason of its own, or a process ended
// over it, its events are filed one by one and those that cannot be are set
// aside, so that a bad event never holds up its neighbours.
package worker

import (
	"context"
	"errors"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// Observer is told what was filed, for those who measure.
type Observer interface {
	// Filed is called after each turn: new events, repeats, events set aside,
	// and how long the oldest of them had waited.
	Filed(events, repeats, aside int, waited time.Duration)
	// Job is called after each step of a job: how long it took, and its error.
	Job(name string, took time.Duration, err error)
}

// Worker files the inbox. Make it with New, run it with Run.
type Worker struct {
	store *records.Records
	units *pipeline.Units
	log   *slog.Logger
	owner uuid.UUID
	watch Observer
	wake  chan int64
	kick  chan struct{}

	renames moves.RenamesOf // nil: no repository tells of any
	silence time.Duration

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
//
// owner names the process among those that share the database. One that is
// started again under the same name need not wait for its own leases to run
// out, so no two that live may have the same. watch may be nil. silence is how
// long after a heartbeat was due a session is called cut off.
func New(store *records.Records, units *pipeline.Units, log *slog.Logger, owner uuid.UUID, watch Observer,
	silence time.Duration) *Worker {
	return &Worker{store: store, units: units, log: log, owner: owner, watch: watch, silence: silence,
		wake: make(chan int64, 1024), kick: make(chan struct{}, 1),
		leases: map[int]inbox.Lease{}, queue: map[int64]*queued{}, projects: map[int64]cachedProject{}}
}

// UseRenames sets where to ask which files were renamed. Call it before Run.
func (w *Worker) UseRenames(f moves.RenamesOf) { w.renames = f }

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
	lastTurn   = 10 * time.Second // that turns under way may take when the worker is told to end
)

// Run works until ctx ends, finishes the turns under way, then lets go of its
// shards.
func (w *Worker) Run(ctx context.Context) error {
	var side sync.WaitGroup
	side.Go(func() { w.keepLeases(ctx) })
	side.Go(func() {
		sleep(ctx, soon) // shards are taken first
		w.runner().Run(ctx)
	})
	var turns sync.WaitGroup
	work, abandon := context.WithCancel(context.WithoutCancel(ctx))
	defer abandon()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(lastTurn, abandon) })()
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
	if err := w.store.Inbox.ReleaseLeases(end, w.owner); err != nil {
		w.log.Warn("shards were not let go; they run out by themselves", "err", err)
	}
	return nil
}

// keepLeases renews the shards until ctx ends.
func (w *Worker) keepLeases(ctx context.Context) {
	for ctx.Err() == nil {
		call, cancel := context.WithTimeout(ctx, leaseHold)
		list, err := w.store.Inbox.TakeLeases(call, w.owner, leaseHold)
		cancel()
		if err != nil && ctx.Err() == nil {
			w.log.Error("shards could not be taken", "err", err)
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
		sleep(ctx, leaseRenew)
	}
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
	list, err := w.store.Inbox.Waiting(call, leases)
	if err != nil && ctx.Err() == nil {
		w.log.Error("the inbox could not be read", "err", err)
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
		more, err := w.turn(ctx, lease, id, q.again)
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
			w.log.Error("a project's inbox could not be filed; it stays where it is", "project", id, "err", err)
		}
	}
}

// sleep waits for d or the end of ctx.
func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
