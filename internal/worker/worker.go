// Package worker files what intake stored: it holds shards by lease, reads
// their inbox, runs the pipeline over it, and hands whole transactions to the
// store. It also runs the small jobs that keep derived data current.
//
// A batch is filed whole or not at all. When that fails for a reason of its
// own, its events are filed one by one and those that cannot be are set
// aside, so that a bad event never holds up its neighbours.
package worker

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"runtime/debug"
	"sync"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"firethorn/internal/mariadb"
	"firethorn/internal/pipeline"
)

// Worker files the inbox. Make it with New, run it with Run.
type Worker struct {
	store *mariadb.Store
	units *pipeline.Units
	log   *slog.Logger
	owner uuid.UUID
	wake  chan struct{}

	mu       sync.Mutex
	projects map[int64]cachedProject
}

type cachedProject struct {
	pipeline.Project
	at time.Time
}

// New makes a worker.
//
// owner names the process among those that share the database. One that is
// started again under the same name need not wait for its own leases to run
// out, so no two that live may have the same.
func New(store *mariadb.Store, units *pipeline.Units, log *slog.Logger, owner uuid.UUID) *Worker {
	return &Worker{store: store, units: units, log: log, owner: owner, wake: make(chan struct{}, 1), projects: map[int64]cachedProject{}}
}

// Wake says that something was put into the inbox.
func (w *Worker) Wake() {
	select {
	case w.wake <- struct{}{}:
	default: // it is awake already
	}
}

const (
	leaseHold  = 15 * time.Second
	leaseRenew = 4 * time.Second
	idlePoll   = 500 * time.Millisecond
	readMost   = 200 // inbox rows at a time
	fileMost   = 500 // events in one transaction
	sweepEvery = time.Hour
)

// Run works until ctx ends, then lets go of its shards.
func (w *Worker) Run(ctx context.Context) error {
	defer func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
		defer cancel()
		if err := w.store.ReleaseLeases(ctx, w.owner); err != nil {
			w.log.Warn("shards were not let go; they run out by themselves", "err", err)
		}
	}()
	var leases []mariadb.Lease
	var renewed, swept time.Time
	for ctx.Err() == nil {
		now := time.Now()
		if now.Sub(renewed) > leaseRenew {
			var err error
			if leases, err = w.store.TakeLeases(ctx, w.owner, leaseHold); err != nil {
				w.pause(ctx, "shards could not be taken", err)
				continue
			}
			renewed = now
		}
		if now.Sub(swept) > sweepEvery {
			w.sweep(ctx)
			swept = now
		}
		n, err := w.round(ctx, leases)
		switch {
		case errors.Is(err, mariadb.ErrLeaseLost):
			renewed = time.Time{}
		case err != nil:
			w.pause(ctx, "the inbox could not be filed; it stays where it is", err)
		case n == 0:
			select {
			case <-ctx.Done():
			case <-w.wake:
			case <-time.After(idlePoll):
			}
		}
	}
	return nil
}

func (w *Worker) pause(ctx context.Context, what string, err error) {
	if ctx.Err() != nil {
		return
	}
	w.log.Error(what, "err", err)
	select {
	case <-ctx.Done():
	case <-time.After(time.Second):
	}
}

func (w *Worker) sweep(ctx context.Context) {
	if err := w.store.EnsurePartitions(ctx); err != nil {
		w.log.Error("partitions could not be made", "err", err)
	}
	if _, err := w.store.SweepWindows(ctx); err != nil {
		w.log.Error("impact could not be brought up to date", "err", err)
	}
}

// round files what is in the inbox now, projects side by side, and returns
// how many deliveries it read.
func (w *Worker) round(ctx context.Context, leases []mariadb.Lease) (int, error) {
	list, err := w.store.Deliveries(ctx, leases, readMost)
	if err != nil || len(list) == 0 {
		return 0, err
	}
	byProject := map[int64][]mariadb.Delivery{}
	for _, d := range list {
		byProject[d.Project] = append(byProject[d.Project], d)
	}
	lease := map[int]mariadb.Lease{}
	for _, l := range leases {
		lease[l.Shard] = l
	}
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(2, runtime.GOMAXPROCS(0)))
	for project, ds := range byProject {
		g.Go(func() error { return w.fileProject(gctx, project, ds, lease[ds[0].Shard]) })
	}
	return len(list), g.Wait()
}

// fileProject files the deliveries of one project, in transactions of at most
// fileMost events.
func (w *Worker) fileProject(ctx context.Context, id int64, ds []mariadb.Delivery, lease mariadb.Lease) error {
	p, err := w.project(ctx, id)
	if err != nil {
		return err
	}
	for len(ds) > 0 {
		n, events := 0, 0
		for n < len(ds) && (n == 0 || events+len(ds[n].Batch.Events) <= fileMost) {
			events += len(ds[n].Batch.Events)
			n++
		}
		f := mariadb.Filing{Project: p, Lease: lease, Deliveries: ds[:n]}
		if err := w.file(ctx, f); err != nil {
			return err
		}
		ds = ds[n:]
	}
	return nil
}

// file makes items of deliveries and files them together; when that fails for
// a reason that lies in the events, one by one.
func (w *Worker) file(ctx context.Context, f mariadb.Filing) error {
	items, aside, err := w.decode(ctx, f.Project, f.Deliveries)
	if err != nil {
		return err
	}
	f.Items, f.Aside = items, aside
	done, err := w.store.File(ctx, f)
	if err == nil {
		w.report(f, done)
		return nil
	}
	if mariadb.Away(err) || errors.Is(err, mariadb.ErrLeaseLost) || ctx.Err() != nil {
		return err
	}
	w.log.Warn("a batch could not be filed whole; filing its events one by one", "project", f.Project.Name, "err", err)
	return w.fileSingly(ctx, f)
}

// fileSingly files each item alone, then removes the deliveries together with
// setting aside what could not be filed. A repeat after a crash in between
// does no harm: what is filed already counts as a repeat.
func (w *Worker) fileSingly(ctx context.Context, f mariadb.Filing) error {
	aside := f.Aside
	for _, it := range f.Items {
		_, err := w.store.File(ctx, mariadb.Filing{Project: f.Project, Lease: f.Lease, Items: []*pipeline.Item{it}})
		if err != nil && (mariadb.Away(err) || errors.Is(err, mariadb.ErrLeaseLost) || ctx.Err() != nil) {
			return err
		}
		if err != nil {
			aside = append(aside, mariadb.Aside{Project: f.Project.ID, Received: it.Received, Why: err.Error(), Body: it.Body})
		}
	}
	done, err := w.store.File(ctx, mariadb.Filing{Project: f.Project, Lease: f.Lease, Deliveries: f.Deliveries, Aside: aside})
	if err == nil {
		f.Aside = aside
		w.report(f, done)
	}
	return err
}

func (w *Worker) report(f mariadb.Filing, done mariadb.Filed) {
	for _, a := range f.Aside {
		w.log.Warn("an event was set aside", "project", f.Project.Name, "why", a.Why)
	}
	w.log.Debug("filed", "project", f.Project.Name, "events", done.Events, "repeats", done.Repeats, "new_issues", done.Issues)
}

// decode runs the pipeline over all events, in parallel and in order.
func (w *Worker) decode(ctx context.Context, p pipeline.Project, ds []mariadb.Delivery) ([]*pipeline.Item, []mariadb.Aside, error) {
	type job struct {
		d    mariadb.Delivery
		i    int
		item *pipeline.Item
		why  error
	}
	var jobs []*job
	var aside []mariadb.Aside
	for _, d := range ds {
		if d.Err != nil {
			aside = append(aside, mariadb.Aside{Project: p.ID, Received: d.Batch.Received, Why: d.Err.Error()})
			continue
		}
		for i := range d.Batch.Events {
			jobs = append(jobs, &job{d: d, i: i})
		}
	}
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(2, runtime.GOMAXPROCS(0)))
	for _, j := range jobs {
		g.Go(func() error {
			j.item, j.why = process(gctx, p, j.d.Batch, j.i, w.units)
			if _, store := errors.AsType[*pipeline.StoreError](j.why); store || gctx.Err() != nil {
				return j.why
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, nil, err
	}
	var items []*pipeline.Item
	for _, j := range jobs {
		if j.why != nil {
			aside = append(aside, mariadb.Aside{Project: p.ID, Received: j.d.Batch.Received, Why: j.why.Error(), Body: j.d.Batch.Events[j.i]})
			continue
		}
		items = append(items, j.item)
	}
	return items, aside, nil
}

// process turns a panic of the pipeline into an error of the event.
func process(ctx context.Context, p pipeline.Project, b *pipeline.Batch, i int, units *pipeline.Units) (it *pipeline.Item, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the pipeline failed on this event: %v\n%s", r, debug.Stack())
		}
	}()
	return pipeline.Process(ctx, p, b, i, units)
}

const projectLife = 10 * time.Second

func (w *Worker) project(ctx context.Context, id int64) (pipeline.Project, error) {
	w.mu.Lock()
	c, ok := w.projects[id]
	w.mu.Unlock()
	if ok && time.Since(c.at) < projectLife {
		return c.Project, nil
	}
	p, err := w.store.ProjectByID(ctx, id)
	if err != nil {
		return pipeline.Project{}, fmt.Errorf("project %d of the inbox: %w", id, err)
	}
	w.mu.Lock()
	w.projects[id] = cachedProject{p.Project, time.Now()}
	w.mu.Unlock()
	return p.Project, nil
}
