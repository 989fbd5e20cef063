// Package upkeep lists the background jobs that keep derived data current and delete expired data, and
// runs them.
package upkeep

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/jobs"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/projects"
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

// Worker is the process's worker, as far as jobs need it.
type Worker interface {
	// Holds says whether this process does the jobs of a project.
	Holds(project int64) bool
	// Project is a project as it is processed now.
	Project(ctx context.Context, id int64) (*projects.Project, error)
	// LookAgain makes the next batch of a project look at its settings again, now.
	LookAgain(project int64)
}

// Upkeep has the jobs of one process.
type Upkeep struct {
	store   *records.Records
	units   *pipeline.Units
	log     *slog.Logger
	worker  Worker
	renames moves.RenamesOf
	silence time.Duration
	watch   func(name string, took time.Duration, err error)
}

// Options of New.
type Options struct {
	Store   *records.Records
	Units   *pipeline.Units
	Log     *slog.Logger
	Renames moves.RenamesOf // asks which files were renamed; nil: no repository reports any
	Silence time.Duration   // how long after a heartbeat was due a session is called cut off
	// Watch gets each step of a job: how long it took, and its error. nil:
	// nobody measures.
	Watch func(name string, took time.Duration, err error)
}

// New makes the jobs of a process.
func New(worker Worker, opt Options) *Upkeep {
	return &Upkeep{store: opt.Store, units: opt.Units, log: opt.Log, worker: worker, renames: opt.Renames,
		silence: opt.Silence, watch: opt.Watch}
}

// Run does the jobs until ctx ends. owner names the process among those that
// share the database.
func (u *Upkeep) Run(ctx context.Context, owner uuid.UUID) {
	r := &jobs.Runner{
		Jobs: slices.Concat(
			u.jobs(),
			u.alerting(owner),
		),
		Mine:  u.worker.Holds,
		Quiet: db.Away,
		Log:   u.log,
		Watch: u.watch,
		Now:   time.Now,
		Sleep: jobs.Sleep,
		Lease: func(ctx context.Context, name string) (func(), error) {
			return u.store.DB.HoldLease(ctx, name, owner, leaseTime)
		},
	}
	r.Run(ctx)
}

// jobs is the table. Its first lane keeps derived data current: moves are
// followed before anything else, so that what comes next finds them done.
func (u *Upkeep) jobs() []jobs.Job {
	s := u.store
	often := min(minute, max(u.silence, time.Second))
	return []jobs.Job{
		{Name: "follow-moves", Every: soon, List: s.Moves.Following, Step: s.Moves.FollowMove},
		{Name: "read-again", Every: soon, List: s.Moves.Rereading, Step: u.readAgain, Then: "follow-moves"},
		{Name: "follow-moved-code", Every: soon, Limit: jobTime, List: s.Moves.Moving, Step: u.followMoved,
			Then: "follow-moves"},
		{Name: "look-through-splits", Every: soon, List: s.Moves.Splitting, Step: u.lookThrough, Then: "follow-moves"},
		{Name: "regroup", Every: soon, Limit: jobTime, List: s.Regrouping.Regroupers, Step: u.regroup,
			Then: "follow-moves"},
		{Name: "sketch", Every: soon, Limit: jobTime, List: s.Similar.Sketching, Step: u.sketch},
		{Name: "erase-users", Every: soon, List: s.Retention.Erasing,
			Step: func(ctx context.Context, id int64) (bool, error) {
				return false, s.Retention.EraseNext(ctx, id)
			}},
		{Name: "empty-deleted-issues", Every: soon, Limit: jobTime, List: s.Retention.Emptying,
			Step: s.Retention.EmptyNext},
		{Name: "score", Every: soon, Limit: jobTime, List: s.Scoring.Stale, Step: u.rescore()},
		{Name: "sweep", Every: time.Hour, Retry: sweepAgain, Lease: "sweep", Step: u.sweep},
		{Name: "drop-old-audit", Every: time.Hour, Lease: "audit",
			Step: func(ctx context.Context, _ int64) (bool, error) {
				return s.Audit.Expire(ctx)
			}},
		{Name: "note-used-symbols", Every: often, Step: func(ctx context.Context, _ int64) (bool, error) {
			return false, u.units.WriteUsed(ctx)
		}},
		{Name: "cut-off-sessions", Every: often, List: u.quietSessions, Step: u.cutOff},
		{Name: "wake-parked", Every: often, Lease: "wake", Step: u.wakeParked},
		{Name: "forget-occurrences", Every: often, Step: func(ctx context.Context, _ int64) (bool, error) {
			return false, s.Ingest.ForgetOccurrences(ctx)
		}},

		{Name: "note-facts", Lane: "index", Every: soon, List: s.Indexing.Factless, Step: u.noteFacts},
		{Name: "note-words", Lane: "index", Every: soon, Limit: jobTime, List: s.Indexing.Wordless,
			Step: s.Indexing.NoteWords},
		{Name: "merge-index", Lane: "index", Every: soon, Limit: jobTime, List: s.Indexing.Mergeable,
			Step: s.Indexing.Merge},
		{Name: "merge-index-again", Lane: "index", Every: often, Limit: jobTime, List: s.Indexing.MergeableAgain,
			Step: s.Indexing.Merge},
		{Name: "fill-index", Lane: "index", Every: soon, Limit: jobTime, List: s.Indexing.Incomplete,
			Step: s.Indexing.Fill},
		{Name: "fold-index", Lane: "index", Every: often, Limit: jobTime, List: s.Indexing.Changed,
			Step: s.Indexing.Fold},

		{Name: "compile-symbols", Lane: "symbols", Every: time.Second, Lease: "compile", List: u.uncompiled,
			Step: u.compile},
		{Name: "look-for-surges", Lane: "pulse", Every: 15 * time.Second, List: s.Scoring.Scorable, Step: u.feelPulse},
	}
}

// readAgain moves events that became readable to where they belong.
func (u *Upkeep) readAgain(ctx context.Context, id int64) (bool, error) {
	p, err := u.worker.Project(ctx, id)
	if err != nil {
		return false, err
	}
	u.units.Forget(id)
	return u.store.Moves.ReadAgain(ctx, p, moves.ReaderOf(p.Project, u.units))
}

// followMoved finds the new issues that are known ones, whose function went to
// another file.
func (u *Upkeep) followMoved(ctx context.Context, id int64) (bool, error) {
	p, err := u.worker.Project(ctx, id)
	if err != nil {
		return false, err
	}
	return u.store.Moves.FollowMoved(ctx, p, u.units, u.renames)
}

// lookThrough goes on with splits whose kept events are looked through.
func (u *Upkeep) lookThrough(ctx context.Context, id int64) (bool, error) {
	p, err := u.worker.Project(ctx, id)
	if err != nil {
		return false, err
	}
	return u.store.Moves.LookThrough(ctx, id, moves.ReaderOf(p.Project, u.units))
}

// noteFacts notes what the traces of variants say.
func (u *Upkeep) noteFacts(ctx context.Context, id int64) (bool, error) {
	p, err := u.worker.Project(ctx, id)
	if err != nil {
		return false, err
	}
	return u.store.Indexing.NoteFacts(ctx, p, u.units)
}

// regroup goes on with a regrouping.
func (u *Upkeep) regroup(ctx context.Context, id int64) (bool, error) {
	p, err := u.store.Projects.ProjectByID(ctx, id)
	if err != nil {
		return false, err
	}
	if p.NextGrouping() != 0 { // a turn adopts it first
		u.worker.LookAgain(id)
		return false, nil
	}
	return u.store.Regrouping.RegroupStep(ctx, p, u.units)
}

// sketch makes what issues are compared by.
func (u *Upkeep) sketch(ctx context.Context, id int64) (bool, error) {
	p, err := u.worker.Project(ctx, id)
	if err != nil {
		return false, err
	}
	return u.store.Similar.Sketch(ctx, p, u.units)
}

// quietSince is since when a session must have been silent to count as cut off.
func (u *Upkeep) quietSince() time.Time {
	return u.store.DB.Now().Add(-session.HeartbeatInterval - u.silence)
}

func (u *Upkeep) quietSessions(ctx context.Context) ([]int64, error) {
	return u.store.Ingest.QuietSessions(ctx, u.quietSince())
}

// cutOff marks sessions as cut off whose heartbeat has been due for too long.
func (u *Upkeep) cutOff(ctx context.Context, id int64) (bool, error) {
	return u.store.Ingest.CutOffSessions(ctx, id, u.quietSince())
}

// wakeParked wakes parked issues whose time has come.
func (u *Upkeep) wakeParked(ctx context.Context, _ int64) (bool, error) {
	_, err := u.store.Status.WakeDue(ctx)
	return false, err
}

// rescore brings the impact of issues up to date that time alone has changed, or
// what all issues of their project are scored by. While processing is behind it
// does a chunk at a time, with a pause.
func (u *Upkeep) rescore() func(ctx context.Context, id int64) (bool, error) {
	const pause = time.Second
	var last time.Time
	return func(ctx context.Context, id int64) (bool, error) {
		behind, err := u.store.Scoring.Behind(ctx, id, time.Second)
		if err != nil || behind && time.Since(last) < pause {
			return false, err
		}
		last = time.Now()
		return u.store.Scoring.Rescore(ctx, id)
	}
}

// uncompiled says whether pushed symbols wait to be compiled.
func (u *Upkeep) uncompiled(ctx context.Context) ([]int64, error) {
	next, err := u.store.Symbols.WaitingSymbols(ctx, 0, 1)
	if err != nil || len(next) == 0 {
		return nil, err
	}
	return []int64{0}, nil
}

// compile makes pushed symbols readable, one after the other.
func (u *Upkeep) compile(ctx context.Context, _ int64) (bool, error) {
	return u.units.CompileSome(ctx, 0, 30*time.Second)
}

// feelPulse looks for surges, and at what issues are scored by.
func (u *Upkeep) feelPulse(ctx context.Context, id int64) (bool, error) {
	return false, errors.Join(u.store.Scoring.RefreshInputs(ctx, id), u.store.Scoring.LookForSurges(ctx, id))
}

// sweep makes partitions ahead and drops those whose day is past.
func (u *Upkeep) sweep(ctx context.Context, _ int64) (bool, error) {
	if err := u.store.Schema.EnsurePartitions(ctx); err != nil {
		return false, err
	}
	_, err := u.store.Triage.NotifyHolding(ctx)
	err = errors.Join(err, u.store.Status.DropNotices(ctx), u.store.Accounts.PurgeSignIns(ctx))
	err = errors.Join(err, u.store.Attributes.Free(ctx))
	days, retired := u.store.Retention.Retire(ctx)
	if len(days) > 0 {
		u.log.Info("dropped events whose time is over", "days", len(days))
	}
	return false, errors.Join(err, retired)
}
