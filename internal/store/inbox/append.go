package inbox

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
)

// Bounds of what waits in memory to be written to the inbox.
const (
	rowBytes     = 256 << 10       // of batches that share one row, before compression
	rowEvents    = 200             // of the same
	groupBytes   = 2 << 20         // that one synced write holds
	waitingBytes = 64 << 20        // over it senders are asked to come back
	appendTime   = 8 * time.Second // a database that takes longer counts as away
	probeTime    = 2 * time.Second // how long a probe of a database that was away may take
	probePause   = 250 * time.Millisecond
)

// appender writes batches to the inbox. Requests that come while a write is
// under way share the next one: one synced write, however many they are.
type appender struct {
	s       *Store
	jobs    chan *appendJob
	waiting atomic.Int64 // bytes that wait or are being written
	away    atomic.Bool  // the last write failed, and no probe has succeeded since
	ctx     context.Context
	stop    context.CancelFunc
	done    sync.WaitGroup
	kick    chan struct{} // tells the probe that the database is away
}

type appendJob struct {
	project int64
	batch   *pipeline.Batch
	size    int
	done    chan error
}

// appendWriters is how many writes may be under way at once.
const appendWriters = 2

func newAppender(s *Store) *appender {
	a := &appender{s: s, jobs: make(chan *appendJob, 4096), kick: make(chan struct{}, 1)}
	a.ctx, a.stop = context.WithCancel(context.Background())
	for range appendWriters {
		a.done.Go(a.run)
	}
	a.done.Go(a.probe)
	return a
}

func (a *appender) close() {
	a.stop()
	a.done.Wait()
}

// away is the answer to senders while the database cannot be used.
func away(err error) error {
	return &problem.Error{Op: "mariadb.Append", Code: problem.Unavailable, Retry: 5 * time.Second, Err: err,
		Pub: "the database is away; nothing was stored of this request, send it again later with the same ids"}
}

// Append stores a batch. When it returns nil the batch is written and synced.
// While the database is away, or more waits to be written than memory should
// hold, it fails at once with problem.Unavailable.
func (s *Store) Append(ctx context.Context, project int64, b *pipeline.Batch) error {
	return s.inbox.append(ctx, project, b)
}

// CanAppend fails as Append would, before anything is read from a sender.
func (s *Store) CanAppend() error {
	if s.inbox.away.Load() {
		return away(nil)
	}
	if s.inbox.waiting.Load() > waitingBytes {
		return &problem.Error{Op: "mariadb.Append", Code: problem.Unavailable, Retry: time.Second, Pub: "more is being sent than can be written; send it again in a moment"}
	}
	return nil
}

func (a *appender) append(ctx context.Context, project int64, b *pipeline.Batch) error {
	if err := a.s.CanAppend(); err != nil {
		return err
	}
	j := &appendJob{project: project, batch: b, size: len(b.Resource), done: make(chan error, 1)}
	for _, e := range b.Events {
		j.size += len(e) + 32
	}
	for _, w := range slices.Concat(b.Sessions, b.Feedback) {
		j.size += len(w.Raw) + 64
	}
	a.waiting.Add(int64(j.size))
	select {
	case a.jobs <- j:
	default:
		a.waiting.Add(-int64(j.size))
		return &problem.Error{Op: "mariadb.Append", Code: problem.Unavailable, Retry: time.Second, Pub: "more is being sent than can be written; send it again in a moment"}
	}
	select {
	case err := <-j.done:
		return err
	case <-ctx.Done():
		return ctx.Err() // it may still be stored; a repeat counts once
	case <-a.ctx.Done():
		return away(a.ctx.Err())
	}
}

func (a *appender) run() {
	for {
		select {
		case <-a.ctx.Done():
			return
		case j := <-a.jobs:
			group, size := []*appendJob{j}, j.size
			for size < groupBytes {
				select {
				case k := <-a.jobs:
					group, size = append(group, k), size+k.size
					continue
				default:
				}
				break
			}
			a.write(group)
			a.waiting.Add(-int64(size))
		}
	}
}

// inboxRow is one row to write, with the jobs it answers.
type inboxRow struct {
	args []any
	jobs []*appendJob
}

// write stores a group; when the database refuses it whole, row by row.
func (a *appender) write(group []*appendJob) {
	if a.away.Load() {
		answer(group, away(nil))
		return
	}
	rows := a.rows(group)
	ctx, cancel := context.WithTimeout(a.ctx, appendTime)
	defer cancel()
	err := a.insert(ctx, rows)
	if err != nil && !db.Away(err) && len(rows) > 1 {
		for _, r := range rows {
			answer(r.jobs, a.insert(ctx, []inboxRow{r}))
		}
		return
	}
	if err != nil && db.Away(err) {
		a.s.SawAway(err)
		err = away(err)
	}
	answer(group, err)
}

// SawAway takes note of a failure to reach the database: until a probe has
// written to it, senders and readers are told at once.
func (s *Store) SawAway(err error) {
	if s.inbox.away.Swap(true) {
		return
	}
	s.db.Log.Error("the database is away", "err", err)
	select {
	case s.inbox.kick <- struct{}{}:
	default:
	}
}

// Usable fails while the database is known to be away.
func (s *Store) Usable() error {
	if s.inbox.away.Load() {
		return &problem.Error{Op: "mariadb.Usable", Code: problem.Unavailable, Retry: 5 * time.Second, Pub: "the database is away; nothing was changed, try again in a moment"}
	}
	return nil
}

func answer(jobs []*appendJob, err error) {
	for _, j := range jobs {
		j.done <- err
	}
}

// rows joins batches of one project into rows.
func (a *appender) rows(group []*appendJob) []inboxRow {
	slices.SortStableFunc(group, func(x, y *appendJob) int { return int(x.project - y.project) })
	var out []inboxRow
	for len(group) > 0 {
		n, size, events := 0, 0, 0
		for n < len(group) && group[n].project == group[0].project &&
			(n == 0 || size+group[n].size <= rowBytes && events+group[n].batch.Messages() <= rowEvents) {
			size += group[n].size
			events += group[n].batch.Messages()
			n++
		}
		batches := make([]*pipeline.Batch, n)
		oldest := group[0].batch.Received
		for i, j := range group[:n] {
			batches[i] = j.batch
			if j.batch.Received.Before(oldest) {
				oldest = j.batch.Received
			}
		}
		id := uuid.Must(uuid.NewV7())
		out = append(out, inboxRow{[]any{ShardOf(group[0].project), group[0].project, id[:], db.Micros(oldest), events,
			pipeline.Pack(batches...)}, group[:n]})
		group = group[n:]
	}
	return out
}

const appendSQL = "INSERT INTO inbox (shard, project, id, received, events, body) VALUES "

// insert writes rows in one transaction. A lost connection is tried once more.
// Where the rows are there by then, the first try was committed and only its
// answer was lost.
func (a *appender) insert(ctx context.Context, rows []inboxRow) error {
	var err error
	for try := range 2 {
		if len(rows) == 1 {
			err = a.s.db.ExecPrepared(ctx, nil, appendSQL+"(?,?,?,?,?,?)", rows[0].args)
		} else {
			err = db.Once(ctx, a.s.db.DB, func(tx *sql.Tx) error {
				all := make([][]any, len(rows))
				for i, r := range rows {
					all[i] = r.args
				}
				return a.s.db.InsertFixed(ctx, tx, strings.TrimSuffix(appendSQL, " VALUES "), "", all)
			})
		}
		if try > 0 && db.Duplicate(err) {
			return nil
		}
		if err == nil || !db.Away(err) || ctx.Err() != nil {
			return err
		}
	}
	return err
}

// probe looks whether a database that was away is back.
func (a *appender) probe() {
	for {
		select {
		case <-a.ctx.Done():
			return
		case <-a.kick:
		}
		for a.away.Load() {
			ctx, cancel := context.WithTimeout(a.ctx, probeTime)
			err := a.s.canWrite(ctx)
			cancel()
			if err == nil {
				a.away.Store(false)
				a.s.db.Log.Info("the database is back")
				break
			}
			if errors.Is(a.ctx.Err(), context.Canceled) {
				return
			}
			select {
			case <-a.ctx.Done():
				return
			case <-time.After(probePause):
			}
		}
	}
}

// canWrite says whether the database takes a synced write now.
func (s *Store) canWrite(ctx context.Context) error {
	me := uuid.Nil
	_, err := s.db.ExecContext(ctx, "INSERT INTO lease (name, owner, until) VALUES ('probe', ?, ?) ON DUPLICATE KEY UPDATE until=VALUES(until)", me[:], db.Micros(s.db.Now()))
	return err
}
