package worker

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/symbols"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/moves"
)

// maxDeaths is how often a process may end over the same event before the
// event is marked as failed without another attempt.
const maxDeaths = 3

// claimTime bounds one turn: a database that hangs must not hold a slot for ever.
const claimTime = 2 * time.Minute

// processNext processes a project's oldest deliveries; more says that some may be left.
func (w *Worker) processNext(ctx context.Context, lease inbox.Lease, id int64, again bool) (more bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, claimTime)
	defer cancel()
	p, err := w.Project(ctx, id)
	if err != nil {
		return false, err
	}
	if next := p.NextGrouping(); next != 0 {
		if err := w.adopt(ctx, p, next); err != nil {
			return true, err
		}
		if p, err = w.Project(ctx, id); err != nil {
			return true, err
		}
	}
	c, err := w.Queue.Claim(ctx, lease, id, again)
	if err != nil || len(c.Deliveries) == 0 {
		return false, err
	}
	t := &claimed{w: w, project: p.Project, version: p.RulesVersion, lease: lease, claim: c}
	t.list(c.Deliveries)
	if c.Tries > 1 {
		w.Log.Warn("processing events one by one: the last attempt did not finish", "project", p.Name, "events", len(t.events))
		return c.More, t.singly(ctx)
	}
	return c.More, t.whole(ctx)
}

// adopt makes a project's issues known under another grouping version, before
// anything is processed under it.
func (w *Worker) adopt(ctx context.Context, p *projects.Project, to int) error {
	w.Log.Info("another grouping version: finding the issues of the project under it", "project", p.Name, "from", p.GroupingVersion, "to", to)
	if _, err := w.Symbols.PrepareSymbolsAnew(ctx, p.ID, symbols.Format); err != nil {
		return fmt.Errorf("preparing the symbols of %s again: %w", p.Name, err)
	}
	for more := true; more; { // what is fingerprinted again has to be read by the newest symbols
		var err error
		if more, err = w.Units.CompileSome(ctx, p.ID, time.Minute); err != nil {
			return fmt.Errorf("preparing the symbols of %s: %w", p.Name, err)
		}
	}
	read := map[int]moves.Reader{}
	n, err := w.Grouping.AdoptGrouping(ctx, p.ID, to,
		func(ctx context.Context, rulesVersion int, body []byte) (key, through fingerprint.Key, err error) {
			if read[rulesVersion] == nil {
				as := *p
				as.GroupingVersion = to
				if err := w.Projects.GiveRules(ctx, &as, rulesVersion); err != nil {
					return key, through, err
				}
				read[rulesVersion] = moves.ReaderOf(as.Project, w.Units)
			}
			r, err := read[rulesVersion](ctx, body)
			if err != nil && !outside(ctx, err) {
				w.Log.Warn("a kept event cannot be read; its kind is found by the others", "project", p.Name, "err", err)
				return key, through, nil
			}
			if err != nil {
				return key, through, err
			}
			if r.Print.Caller != "" {
				through = r.Print.Through(r.Event, r.Frames).Key
			}
			return r.Print.Key, through, nil
		})
	if err != nil {
		return fmt.Errorf("adopting grouping version %d in %s, after %d variants: %w", to, p.Name, n, err)
	}
	w.Log.Info("nothing regroups: the other grouping version leads to the same issues", "project", p.Name, "variants", n)
	w.forget(p.ID)
	return nil
}

// claimed is the work on one claim.
type claimed struct {
	w        *Worker
	project  pipeline.Project
	version  int // of the project's rules
	lease    inbox.Lease
	claim    *inbox.Claim
	events   []entry
	failed   []inbox.FailedEvent
	messages messages
	dropped  []*pipeline.Item // by the project's rules
	oldest   time.Time
	began    time.Time // when its deliveries were taken apart
}

// entry is one event of a claim.
type entry struct {
	batch *pipeline.Batch
	i     int
}

func (e entry) id() uuid.UUID { return e.batch.IDs[e.i] }

// list takes deliveries apart.
func (t *claimed) list(deliveries []inbox.Delivery) {
	t.events, t.failed, t.dropped, t.messages = nil, nil, nil, messages{}
	t.began = time.Now()
	for i := range deliveries {
		d := &deliveries[i]
		if d.Err != nil {
			t.failed = append(t.failed, d.Unreadable())
			continue
		}
		for _, b := range d.Batches {
			if t.oldest.IsZero() || b.Received.Before(t.oldest) {
				t.oldest = b.Received
			}
			for i := range b.Events {
				t.events = append(t.events, entry{b, i})
			}
			t.addMessages(b)
		}
	}
}

func (t *claimed) fail(e entry, why error) {
	t.failed = append(t.failed,
		inbox.FailedEvent{Project: t.project.ID, Received: e.batch.Received, Why: why.Error(), Event: e.id(),
			Packed: pipeline.Pack(e.batch.Alone(e.i))})
}

// How many events one transaction processes, about. While more wait behind a claim, larger
// transactions write fewer rows an event: the events of an issue share its counters. Otherwise
// smaller ones hold the project's lock for less time.
const (
	partEvents       = 500
	partEventsBehind = 1000
)

// parts cuts a claim into deliveries for one transaction each.
func parts(list []inbox.Delivery, behind bool) (out [][]inbox.Delivery) {
	size := partEvents
	if behind {
		size = partEventsBehind
	}
	from, events := 0, 0
	for i, d := range list {
		for _, b := range d.Batches {
			events += len(b.Events) + (len(b.Sessions)+3)/4 + len(b.Feedback) // a session is quickly processed
		}
		if events >= size || i == len(list)-1 {
			out, from, events = append(out, list[from:i+1]), i+1, 0
		}
	}
	return out
}

// part is some deliveries of a claim, decoded.
type part struct {
	claimed // its events and what of them cannot be processed
	items   []*pipeline.Item
	err     error
}

// whole files everything, a part in one transaction: while one is being
// written the next is decoded. When a part fails for a reason that lies in its
// events, what is left is processed one by one.
func (t *claimed) whole(ctx context.Context) error {
	list := parts(t.claim.Deliveries, t.claim.More)
	decoded := make(chan *part, 1)
	decode := func(n int) {
		p := &part{claimed: claimed{w: t.w, project: t.project, version: t.version, lease: t.lease, claim: t.claim}}
		p.list(list[n])
		p.items, p.err = p.decode(ctx)
		decoded <- p
	}
	go decode(0)
	for n := range list {
		p := <-decoded
		last := n == len(list)-1
		if !last && p.err == nil {
			go decode(n + 1)
		}
		err := p.err
		if err == nil {
			var done ingest.Done
			done, err = t.w.Batches.Process(ctx,
				ingest.Batch{Project: t.project, Lease: t.lease, Deliveries: list[n], Items: p.items,
					Dropped: p.dropped, Failed: p.failed, Sessions: p.messages.sessions, Feedback: p.messages.feedback,
					More: !last})
			if err == nil {
				p.report(done)
				continue
			}
			if !last {
				<-decoded // what was begun ends before its events are tried again
			}
		}
		if outside(ctx, err) {
			return err
		}
		t.w.Log.Warn("a batch failed; processing its events one by one", "project", t.project.Name, "err", err)
		for _, done := range list[:n] {
			t.claim.Deliveries = t.claim.Deliveries[len(done):]
		}
		t.list(t.claim.Deliveries)
		return t.singly(ctx)
	}
	return nil
}

// outside says whether a failure lies not in the events.
func outside(ctx context.Context, err error) bool {
	_, store := errors.AsType[*pipeline.StoreError](err)
	return store || db.Away(err) || errors.Is(err, inbox.ErrLeaseLost) || errors.Is(err, db.ErrClocks) ||
		ctx.Err() != nil
}

// singly files each event alone, then removes the deliveries together with
// marking as failed what could not be processed. Which events are processed is written down
// with each, so that a crash in between files and counts none of them twice.
// Which event is claimed is written down first, so that one that ends the
// process is found out.
func (t *claimed) singly(ctx context.Context) error {
	filed := slices.Clone(t.claim.Done)
	for n, e := range t.events {
		if n/8 < len(filed) && filed[n/8]>>(n%8)&1 == 1 {
			continue
		}
		if e.id() == t.claim.Suspect && t.claim.Deaths >= maxDeaths {
			t.fail(e, fmt.Errorf("the service ended %d times while it processed this event", t.claim.Deaths))
			continue
		}
		if err := t.w.Queue.Suspect(ctx, t.claim, e.id()); err != nil {
			return err
		}
		item, err := process(ctx, t.project, e.batch, e.i, t.w.Units)
		if err == nil && item.Verdict.Drop {
			t.dropped = append(t.dropped, item)
			continue
		}
		if err == nil {
			for len(filed) <= n/8 {
				filed = append(filed, 0)
			}
			alone := slices.Clone(filed)
			alone[n/8] |= 1 << (n % 8)
			if _, err = t.w.Batches.Process(ctx,
				ingest.Batch{Project: t.project, Lease: t.lease, Items: []*pipeline.Item{item},
					Alone: alone}); err == nil {
				filed = alone
			}
		}
		if err != nil && outside(ctx, err) {
			return err
		}
		if err != nil {
			t.fail(e, err)
		}
	}
	done, err := t.w.Batches.Process(ctx,
		ingest.Batch{Project: t.project, Lease: t.lease, Deliveries: t.claim.Deliveries, Dropped: t.dropped,
			Failed: t.failed, Sessions: t.messages.sessions, Feedback: t.messages.feedback})
	if err == nil {
		done.Events = len(t.events) - len(t.failed) - len(t.dropped)
		t.report(done)
	}
	return err
}

func (t *claimed) report(done ingest.Done) {
	for _, a := range t.failed {
		why, _, _ := strings.Cut(a.Why, "\n")
		t.w.Log.Warn("an event failed; firethorn queue shows it", "project", t.project.Name, "event", a.Event,
			"why", why)
	}
	if t.w.Watch != nil {
		t.w.Watch.Processed(done.Events, done.Repeats, len(t.failed), time.Since(t.oldest))
	}
	t.w.Log.Debug("processed", "project", t.project.Name, "events", done.Events, "repeats", done.Repeats,
		"new_issues", done.Issues, "took", time.Since(t.began))
}

// decode runs the pipeline over all events, in parallel and in order.
func (t *claimed) decode(ctx context.Context) ([]*pipeline.Item, error) {
	made := make([]*pipeline.Item, len(t.events))
	whys := make([]error, len(t.events))
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(2, runtime.GOMAXPROCS(0)))
	for n, e := range t.events {
		g.Go(func() error {
			made[n], whys[n] = process(gctx, t.project, e.batch, e.i, t.w.Units)
			if whys[n] != nil && outside(gctx, whys[n]) {
				return whys[n]
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	items := made[:0]
	for n, it := range made {
		if whys[n] != nil {
			t.fail(t.events[n], whys[n])
			continue
		}
		if it.Verdict.Drop {
			t.dropped = append(t.dropped, it)
			continue
		}
		items = append(items, it)
	}
	t.w.costs.watch(ctx, t, made)
	return items, nil
}

// process turns a panic of the pipeline into an error of the event.
func process(ctx context.Context, p pipeline.Project, b *pipeline.Batch, i int,
	units *pipeline.Units) (it *pipeline.Item, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the pipeline failed on this event: %v\n%s", r, debug.Stack())
		}
	}()
	return pipeline.Process(ctx, p, b, i, units)
}

// projectLife is how long a change of a project's rules or retention may take
// to act on what is processed.
const projectLife = 3 * time.Second

// Project is a project as it is processed now: its settings act within
// projectLife.
func (w *Worker) Project(ctx context.Context, id int64) (*projects.Project, error) {
	w.mu.Lock()
	c, ok := w.projects[id]
	w.mu.Unlock()
	if ok && time.Since(c.at) < projectLife {
		return c.Project, nil
	}
	p, err := w.Projects.ProjectByID(ctx, id)
	if err != nil {
		return nil, fmt.Errorf("project %d of the inbox: %w", id, err)
	}
	w.mu.Lock()
	w.projects[id] = cachedProject{p, time.Now()}
	w.mu.Unlock()
	return p, nil
}

// forget makes the next turn look at the project again.
func (w *Worker) forget(project int64) {
	w.mu.Lock()
	delete(w.projects, project)
	w.mu.Unlock()
}
