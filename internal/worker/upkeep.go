package worker

import (
	"context"
	"errors"
	"time"

	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/jobs"
	"firethorn/internal/store/inbox"
	"firethorn/internal/usecase/moves"
)

// How often jobs look for something to do, and how long one goes on before the
// others of its lane have their turn.
const (
	soon       = 500 * time.Millisecond
	minute     = time.Minute
	jobTime    = time.Second
	sweepAgain = 30 * time.Second // after one that failed, or that another process does
	leaseTime  = time.Minute      // of a job that one process at a time does; it is renewed
)

// runner is the runner of this process's jobs.
func (w *Worker) runner() *jobs.Runner {
	r := &jobs.Runner{
		Jobs: w.jobs(), Mine: w.mine, Quiet: db.Away, Log: w.log, Now: time.Now, Sleep: sleep,
		Lease: func(ctx context.Context, name string) (func(), error) {
			return w.store.DB.HoldLease(ctx, name, w.owner, leaseTime)
		},
	}
	if w.watch != nil {
		r.Watch = w.watch.Job
	}
	return r
}

// jobs is the table. Its first lane keeps derived data current: moves are
// followed before anything else, so that what comes next finds them done.
func (w *Worker) jobs() []jobs.Job {
	s := w.store
	often := min(minute, max(w.silence, time.Second))
	return []jobs.Job{
		{Name: "follow-moves", Every: soon, List: s.Moves.Following, Step: s.Moves.FollowMove},
		{Name: "read-again", Every: soon, List: s.Moves.Rereading, Step: w.readAgain, Then: "follow-moves"},
		{Name: "follow-moved-code", Every: soon, Limit: jobTime, List: s.Moves.Moving, Step: w.followMoved,
			Then: "follow-moves"},
		{Name: "look-through-splits", Every: soon, List: s.Moves.Splitting, Step: w.lookThrough, Then: "follow-moves"},
		{Name: "regroup", Every: soon, Limit: jobTime, List: s.Regrouping.Regroupers, Step: w.regroup,
			Then: "follow-moves"},
		{Name: "sketch", Every: soon, Limit: jobTime, List: s.Similar.Sketching, Step: w.sketch},
		{Name: "erase-users", Every: soon, List: s.Retention.Erasing,
			Step: func(ctx context.Context, id int64) (bool, error) {
				return false, s.Retention.EraseNext(ctx, id)
			}},
		{Name: "empty-deleted-issues", Every: soon, Limit: jobTime, List: s.Retention.Emptying,
			Step: s.Retention.EmptyNext},
		{Name: "score", Every: soon, Limit: jobTime, List: s.Scoring.Stale, Step: w.rescore()},
		{Name: "sweep", Every: time.Hour, Retry: sweepAgain, Lease: "sweep", Step: w.sweep},
		{Name: "note-used-symbols", Every: often, Step: func(ctx context.Context, _ int64) (bool, error) {
			return false, w.units.WriteUsed(ctx)
		}},
		{Name: "cut-off-sessions", Every: often, List: w.quietSessions, Step: w.cutOff},
		{Name: "wake-parked", Every: often, Lease: "wake", Step: w.wakeParked},
		{Name: "forget-occurrences", Every: often, Step: func(ctx context.Context, _ int64) (bool, error) {
			return false, s.Ingest.ForgetOccurrences(ctx)
		}},

		{Name: "compile-symbols", Lane: "symbols", Every: time.Second, Lease: "compile", List: w.uncompiled,
			Step: w.compile},
		{Name: "look-for-surges", Lane: "pulse", Every: 15 * time.Second, List: s.Scoring.Scorable, Step: w.feelPulse},
	}
}

// mine says whether this process does the jobs of a project.
func (w *Worker) mine(project int64) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	_, ok := w.leases[inbox.ShardOf(project)]
	return ok
}

// readAgain moves events that became readable to where they belong.
func (w *Worker) readAgain(ctx context.Context, id int64) (bool, error) {
	p, err := w.project(ctx, id)
	if err != nil {
		return false, err
	}
	w.units.Forget(id)
	return w.store.Moves.ReadAgain(ctx, p, moves.ReaderOf(p.Project, w.units))
}

// followMoved finds the new issues that are known ones, whose function went to
// another file.
func (w *Worker) followMoved(ctx context.Context, id int64) (bool, error) {
	p, err := w.project(ctx, id)
	if err != nil {
		return false, err
	}
	return w.store.Moves.FollowMoved(ctx, p, w.units, w.renames)
}

// lookThrough goes on with splits whose kept events are looked through.
func (w *Worker) lookThrough(ctx context.Context, id int64) (bool, error) {
	p, err := w.project(ctx, id)
	if err != nil {
		return false, err
	}
	return w.store.Moves.LookThrough(ctx, id, moves.ReaderOf(p.Project, w.units))
}

// regroup goes on with a regrouping.
func (w *Worker) regroup(ctx context.Context, id int64) (bool, error) {
	p, err := w.store.Projects.ProjectByID(ctx, id)
	if err != nil {
		return false, err
	}
	if p.NextGrouping() != 0 { // a turn adopts it first
		w.forget(id)
		w.ready(id)
		w.nudge()
		return false, nil
	}
	return w.store.Regrouping.RegroupStep(ctx, p, w.units)
}

// sketch makes what issues are compared by.
func (w *Worker) sketch(ctx context.Context, id int64) (bool, error) {
	p, err := w.project(ctx, id)
	if err != nil {
		return false, err
	}
	return w.store.Similar.Sketch(ctx, p, w.units)
}

// quietSince is since when a session must have been silent to count as cut off.
func (w *Worker) quietSince() time.Time {
	return w.store.DB.Now().Add(-session.HeartbeatDue - w.silence)
}

func (w *Worker) quietSessions(ctx context.Context) ([]int64, error) {
	return w.store.Ingest.QuietSessions(ctx, w.quietSince())
}

// cutOff calls sessions cut off of which a heartbeat was due for too long.
func (w *Worker) cutOff(ctx context.Context, id int64) (bool, error) {
	return w.store.Ingest.CutOffSessions(ctx, id, w.quietSince())
}

// wakeParked wakes parked issues whose time has come.
func (w *Worker) wakeParked(ctx context.Context, _ int64) (bool, error) {
	_, err := w.store.Status.WakeDue(ctx)
	return false, err
}

// rescore brings the impact of issues up to date that time alone has changed, or
// what all issues of their project are scored by. While processing is behind it
// does a chunk at a time, with a pause.
func (w *Worker) rescore() func(ctx context.Context, id int64) (bool, error) {
	const pause = time.Second
	var last time.Time
	return func(ctx context.Context, id int64) (bool, error) {
		behind, err := w.store.Scoring.Behind(ctx, id, time.Second)
		if err != nil || behind && time.Since(last) < pause {
			return false, err
		}
		last = time.Now()
		return w.store.Scoring.Rescore(ctx, id)
	}
}

// uncompiled says whether pushed symbols wait to be compiled.
func (w *Worker) uncompiled(ctx context.Context) ([]int64, error) {
	next, err := w.store.Symbols.WaitingSymbols(ctx, 0, 1)
	if err != nil || len(next) == 0 {
		return nil, err
	}
	return []int64{0}, nil
}

// compile makes pushed symbols readable, one after the other.
func (w *Worker) compile(ctx context.Context, _ int64) (bool, error) {
	return w.units.CompileSome(ctx, 0, 30*time.Second)
}

// feelPulse looks for surges, and at what issues are scored by.
func (w *Worker) feelPulse(ctx context.Context, id int64) (bool, error) {
	return false, errors.Join(w.store.Scoring.RefreshBasis(ctx, id), w.store.Scoring.LookForSurges(ctx, id))
}

// sweep makes partitions ahead and drops those whose day is past.
func (w *Worker) sweep(ctx context.Context, _ int64) (bool, error) {
	if err := w.store.Schema.EnsurePartitions(ctx); err != nil {
		return false, err
	}
	_, err := w.store.Triage.TellHolding(ctx)
	err = errors.Join(err, w.store.Status.DropNotices(ctx), w.store.Accounts.PurgeSignIns(ctx))
	days, retired := w.store.Retention.Retire(ctx)
	if len(days) > 0 {
		w.log.Info("dropped events whose time is over", "days", len(days))
	}
	return false, errors.Join(err, retired)
}
