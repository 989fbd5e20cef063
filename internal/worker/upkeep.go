package worker

import (
	"context"
	"errors"
	"time"

	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/store/inbox"
	"firethorn/internal/usecase/moves"
)

const (
	followEvery  = 500 * time.Millisecond
	compileEvery = time.Second
	usedEvery    = time.Minute // symbols in use are written down, old reports let go of
	pulseEvery   = 15 * time.Second
	sweepEvery   = time.Hour
	sweepAgain   = 30 * time.Second // after one that failed, or that another process does
	sweepHold    = time.Minute      // of the lease, which is renewed
)

// upkeep runs the jobs until ctx ends: moves are followed and users forgotten
// as they are asked for, the rest is done by the hour.
func (w *Worker) upkeep(ctx context.Context) {
	next := time.Now()
	used := next.Add(min(usedEvery, max(w.silence, time.Second)))
	for ctx.Err() == nil {
		w.follow(ctx)
		w.readAgain(ctx)
		w.followMoved(ctx)
		w.lookThrough(ctx)
		w.regroup(ctx)
		w.sketch(ctx)
		w.erase(ctx)
		w.empty(ctx)
		w.rescore(ctx)
		if now := time.Now(); !now.Before(next) {
			next = now.Add(sweepEvery)
			done, err := w.sweep(ctx)
			w.failed(ctx, "partitions could not be made or dropped", err)
			if !done { // whoever has the lease may end before it is done
				next = now.Add(sweepAgain)
			}
		}
		if now := time.Now(); !now.Before(used) {
			used = now.Add(min(usedEvery, max(w.silence, time.Second)))
			if err := w.units.WriteUsed(ctx); err != nil && ctx.Err() == nil {
				w.log.Error("which symbols are in use could not be written down", "err", err)
			}
			w.cutOff(ctx)
			w.wakeParked(ctx)
			if err := w.store.Ingest.ForgetOccurrences(ctx); err != nil && !db.Away(err) && ctx.Err() == nil {
				w.log.Error("reports that are too old could not be let go of", "err", err)
			}
		}
		sleep(ctx, followEvery)
	}
}

// cutOff calls sessions cut off of which a heartbeat was due for too long.
func (w *Worker) cutOff(ctx context.Context) {
	since := w.store.DB.Now().Add(-session.HeartbeatDue - w.silence)
	list, err := w.store.Ingest.QuietSessions(ctx, since)
	for _, project := range list {
		if !w.mine(project) {
			continue
		}
		for more := true; more && err == nil && ctx.Err() == nil; {
			more, err = w.store.Ingest.CutOffSessions(ctx, project, since)
		}
	}
	if err != nil && !db.Away(err) && ctx.Err() == nil {
		w.log.Error("sessions that are not heard of any more could not be told apart", "err", err)
	}
}

// mine says whether this process does the jobs of a project.
func (w *Worker) mine(project int64) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	_, ok := w.leases[inbox.ShardOf(project)]
	return ok
}

// inTurn does a job for projects that this process has, a step of each in turn,
// until there is no more to do, one fails, or it took long enough; 0 is no limit.
// What failed is tried again at the next occasion.
func (w *Worker) inTurn(ctx context.Context, projects []int64, longest time.Duration, failed string, step func(project int64) (more bool, err error)) {
	began := time.Now()
	for len(projects) > 0 && ctx.Err() == nil && (longest == 0 || time.Since(began) < longest) {
		rest := projects[:0]
		for _, id := range projects {
			if !w.mine(id) {
				continue
			}
			more, err := step(id)
			if err != nil && !db.Away(err) && ctx.Err() == nil {
				w.log.Error(failed+"; it is tried again", "project", id, "err", err)
			}
			if err == nil && more {
				rest = append(rest, id)
			}
		}
		projects = rest
	}
}

// failed says in the log that a job failed and is tried again. While the database
// is away, which is said elsewhere, and at the end it says nothing.
func (w *Worker) failed(ctx context.Context, what string, err error) {
	if err != nil && !db.Away(err) && ctx.Err() == nil {
		w.log.Error(what+"; it is tried again", "err", err)
	}
}

// follow lets derived rows follow the moves, a chunk of each project in turn,
// so that filing comes in between.
func (w *Worker) follow(ctx context.Context) {
	list, err := w.store.Moves.Following(ctx)
	if err != nil {
		if !db.Away(err) && ctx.Err() == nil {
			w.log.Error("moves could not be read", "err", err)
		}
		return
	}
	w.inTurn(ctx, list, 0, "counts could not follow a move", func(id int64) (bool, error) {
		return w.store.Moves.FollowMove(ctx, id)
	})
}

// readAgain moves events to where they belong that became readable, each chunk
// with what its moves leave to be done.
func (w *Worker) readAgain(ctx context.Context) {
	list, err := w.store.Moves.Rereading(ctx)
	if err != nil {
		w.failed(ctx, "what became readable could not be listed", err)
		return
	}
	w.inTurn(ctx, list, 0, "events could not be made readable", func(id int64) (bool, error) {
		defer w.follow(ctx)
		p, err := w.project(ctx, id)
		if err != nil {
			return false, err
		}
		w.units.Forget(id)
		return w.store.Moves.ReadAgain(ctx, p, moves.ReaderOf(p.Project, w.units))
	})
}

// followMoved finds the new issues that are known ones, whose function went to
// another file.
func (w *Worker) followMoved(ctx context.Context) {
	list, err := w.store.Moves.Moving(ctx)
	if err != nil {
		w.failed(ctx, "new issues could not be listed", err)
		return
	}
	w.inTurn(ctx, list, movedTime, "new issues could not be compared with known ones", func(id int64) (bool, error) {
		defer w.follow(ctx)
		p, err := w.project(ctx, id)
		if err != nil {
			return false, err
		}
		return w.store.Moves.FollowMoved(ctx, p, w.units, w.renames)
	})
}

// These are how long jobs without an end in sight go on before others have their turn.
const (
	movedTime   = time.Second
	regroupTime = time.Second
	sketchTime  = time.Second
)

// regroup goes on with regroupings, each step with what its moves leave to be done.
func (w *Worker) regroup(ctx context.Context) {
	list, err := w.store.Regrouping.Regroupers(ctx)
	if err != nil {
		w.failed(ctx, "regroupings could not be listed", err)
		return
	}
	w.inTurn(ctx, list, regroupTime, "stored events could not be regrouped", func(id int64) (bool, error) {
		defer w.follow(ctx)
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
	})
}

// sketch makes what issues are compared by.
func (w *Worker) sketch(ctx context.Context) {
	list, err := w.store.Similar.Sketching(ctx)
	if err != nil {
		w.failed(ctx, "what issues are compared by could not be listed", err)
		return
	}
	w.inTurn(ctx, list, sketchTime, "what issues are compared by could not be made", func(id int64) (bool, error) {
		p, err := w.project(ctx, id)
		if err != nil {
			return false, err
		}
		return w.store.Similar.Sketch(ctx, p, w.units)
	})
}

// compile makes pushed symbols readable, one after the other, beside all else.
func (w *Worker) compile(ctx context.Context) {
	for ctx.Err() == nil {
		more, err := w.compileSome(ctx)
		if err != nil && !db.Away(err) && ctx.Err() == nil {
			w.log.Error("symbols could not be compiled; it is tried again", "err", err)
		}
		if !more || err != nil {
			sleep(ctx, compileEvery)
		}
	}
}

// compileSome does a part of what waits; one process at a time does it.
func (w *Worker) compileSome(ctx context.Context) (more bool, err error) {
	if next, err := w.store.Symbols.WaitingSymbols(ctx, 0, 1); err != nil || len(next) == 0 {
		return false, err
	}
	done, err := w.store.DB.TryLease(ctx, "compile", w.owner, time.Minute)
	if err != nil || done == nil {
		return false, err
	}
	defer done()
	return w.units.CompileSome(ctx, 0, 30*time.Second)
}

// lookThrough goes on with splits whose kept events are being looked through:
// moves that come in between are followed first.
func (w *Worker) lookThrough(ctx context.Context) {
	list, err := w.store.Moves.Splitting(ctx)
	if err != nil {
		w.failed(ctx, "splits could not be listed", err)
		return
	}
	for _, id := range list {
		if !w.mine(id) {
			continue
		}
		p, err := w.project(ctx, id)
		for more := err == nil; more && ctx.Err() == nil; {
			w.follow(ctx)
			more, err = w.store.Moves.LookThrough(ctx, id, moves.ReaderOf(p.Project, w.units))
		}
		if err != nil && ctx.Err() == nil {
			w.log.Error("events could not be split off; it is tried again", "project", id, "err", err)
		}
	}
}

func (w *Worker) erase(ctx context.Context) {
	list, err := w.store.Retention.Erasing(ctx)
	if err != nil {
		w.failed(ctx, "users to be erased could not be listed", err)
		return
	}
	for _, project := range list {
		if !w.mine(project) {
			continue
		}
		if err := w.store.Retention.EraseNext(ctx, project); err != nil && ctx.Err() == nil {
			w.log.Error("a user could not be erased; it is tried again", "project", project, "err", err)
		}
	}
}

// emptyTime is how long deleted issues are emptied before others have their turn.
const emptyTime = time.Second

// empty removes what is left of deleted issues.
func (w *Worker) empty(ctx context.Context) {
	list, err := w.store.Retention.Emptying(ctx)
	if err != nil {
		w.failed(ctx, "deleted issues could not be listed", err)
		return
	}
	w.inTurn(ctx, list, emptyTime, "a deleted issue could not be emptied", func(id int64) (bool, error) {
		return w.store.Retention.EmptyNext(ctx, id)
	})
}

// wakeParked wakes parked issues whose time has come. One process at a time does it.
func (w *Worker) wakeParked(ctx context.Context) {
	done, err := w.store.DB.TryLease(ctx, "wake", w.owner, time.Minute)
	if err == nil && done != nil {
		_, err = w.store.Status.WakeDue(ctx)
		done()
	}
	if err != nil && !db.Away(err) && ctx.Err() == nil {
		w.log.Error("parked issues could not be woken; it is tried again", "err", err)
	}
}

// Issues are scored anew so long before others have their turn; while filing is
// behind, a chunk at a time with a pause.
const (
	rescoreTime  = time.Second
	rescorePause = time.Second
)

// rescore brings the impact of issues up to date that time alone has changed, or
// what all issues of their project are scored by.
func (w *Worker) rescore(ctx context.Context) {
	list, err := w.store.Scoring.Stale(ctx)
	if err != nil {
		w.failed(ctx, "issues to be scored anew could not be listed", err)
		return
	}
	w.inTurn(ctx, list, rescoreTime, "issues could not be scored", func(id int64) (bool, error) {
		behind, err := w.store.Scoring.Behind(ctx, id, time.Second)
		if err != nil || behind && time.Since(w.rescored) < rescorePause {
			return false, err
		}
		w.rescored = time.Now()
		return w.store.Scoring.Rescore(ctx, id)
	})
}

// pulse looks for surges, and at what issues are scored by, beside all else.
func (w *Worker) pulse(ctx context.Context) {
	sleep(ctx, followEvery) // shards are taken first
	for ctx.Err() == nil {
		w.feelPulse(ctx)
		sleep(ctx, pulseEvery)
	}
}

func (w *Worker) feelPulse(ctx context.Context) {
	list, err := w.store.Scoring.Scorable(ctx)
	if err != nil {
		w.failed(ctx, "projects to look for surges in could not be listed", err)
		return
	}
	w.inTurn(ctx, list, 0, "surges could not be looked for", func(id int64) (bool, error) {
		return false, errors.Join(w.store.Scoring.RefreshBasis(ctx, id), w.store.Scoring.LookForSurges(ctx, id))
	})
}

// sweep makes partitions ahead and drops those whose day is past. One process at
// a time does it; done says that this one did.
func (w *Worker) sweep(ctx context.Context) (done bool, err error) {
	release, err := w.store.DB.HoldLease(ctx, "sweep", w.owner, sweepHold)
	if err != nil || release == nil {
		return false, err
	}
	defer release()
	if err := w.store.Schema.EnsurePartitions(ctx); err != nil {
		return false, err
	}
	_, err = w.store.Triage.TellHolding(ctx)
	err = errors.Join(err, w.store.Status.DropNotices(ctx), w.store.Accounts.PurgeSignIns(ctx))
	days, retired := w.store.Retention.Retire(ctx)
	if len(days) > 0 {
		w.log.Info("dropped events whose time is over", "days", len(days))
	}
	err = errors.Join(err, retired)
	return err == nil, err
}
