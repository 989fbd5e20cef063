// Package jobs runs the background jobs of a process. One runner decides when each job is due,
// alternates between projects, waits after failures, and logs, counts and times each step. No error is
// lost.
package jobs

import (
	"cmp"
	"context"
	"log/slog"
	"sync"
	"time"
)

// Job is a line of the table.
type Job struct {
	// Name is how logs and metrics call it, such as "follow-moves".
	Name string
	// Lane is where it runs: jobs of one lane run one after the other, in the
	// order of the table; lanes run beside each other.
	Lane string
	// Every is how long after the end of a run the next one begins.
	Every time.Duration
	// Limit is how long a run goes on before other jobs have their turn; 0: until
	// there is no more to do.
	Limit time.Duration
	// Lease names a job that one process at a time does; "" is for all.
	Lease string
	// Retry is how long after a failure, or when another process has the lease,
	// the job is tried again; 0: after Every, twice as long each time, at most
	// maxRetry.
	Retry time.Duration
	// List gives the projects that have something to do; 0 represents no project
	// of its own. Without it the job is not about projects, and Step is called
	// once a run, with 0.
	List func(ctx context.Context) ([]int64, error)
	// Step does a part of what there is to do for a project; more says that there
	// is more.
	Step func(ctx context.Context, project int64) (more bool, err error)
	// Then names a job of the same lane that runs after each step.
	Then string
}

// Runner runs a table of jobs.
type Runner struct {
	Jobs []Job
	// Mine says whether this process does the jobs of a project.
	Mine func(project int64) bool
	// Lease takes a lease; release is nil when another process has it.
	Lease func(ctx context.Context, name string) (release func(), err error)
	// Quiet says of an error that it is reported elsewhere, once for all.
	Quiet func(err error) bool
	// Watch gets the result of each run that did something; it may be nil.
	Watch func(job string, took time.Duration, err error)
	Log   *slog.Logger
	Now   func() time.Time
	Sleep func(ctx context.Context, d time.Duration)

	mu     sync.Mutex
	failed map[failure]failures
}

// failure is a job that failed, for a project, for none (0), or before it came to
// its projects.
type failure struct {
	job     string
	project int64
}

// starting is the part of a run before its steps: the list and the lease.
const starting = -1

type failures struct {
	times     int
	notBefore time.Time
}

// maxRetry is the longest pause after failures.
const maxRetry = time.Minute

// Run runs the jobs until ctx ends, and waits for those under way.
func (r *Runner) Run(ctx context.Context) {
	r.failed = map[failure]failures{}
	var lanes sync.WaitGroup
	started := map[string]bool{}
	for _, j := range r.Jobs {
		if !started[j.Lane] {
			started[j.Lane] = true
			lanes.Go(func() { r.lane(ctx, j.Lane) })
		}
	}
	lanes.Wait()
}

func (r *Runner) lane(ctx context.Context, lane string) {
	due := map[string]time.Time{}
	for ctx.Err() == nil {
		pause := maxRetry
		for i := range r.Jobs {
			j := &r.Jobs[i]
			if j.Lane != lane || ctx.Err() != nil {
				continue
			}
			if !r.Now().Before(due[j.Name]) {
				rest := r.run(ctx, j)
				due[j.Name] = r.Now().Add(rest)
			}
			pause = min(pause, due[j.Name].Sub(r.Now()))
		}
		r.Sleep(ctx, max(pause, time.Millisecond))
	}
}

// run runs a job once and gives how long it rests.
func (r *Runner) run(ctx context.Context, j *Job) (rest time.Duration) {
	began := r.Now()
	projects := []int64{0}
	if j.List != nil {
		var err error
		if projects, err = j.List(ctx); err != nil {
			return r.report(ctx, j, starting, began, err)
		}
	}
	if len(projects) == 0 {
		r.succeeded(j, starting)
		return j.Every
	}
	if j.Lease != "" {
		release, err := r.Lease(ctx, j.Lease)
		if err != nil {
			return r.report(ctx, j, starting, began, err)
		}
		if release == nil {
			return cmp.Or(j.Retry, j.Every)
		}
		defer release()
	}
	r.succeeded(j, starting)
	rest = j.Every
	for len(projects) > 0 && ctx.Err() == nil && (j.Limit == 0 || r.Now().Sub(began) < j.Limit) {
		left := projects[:0]
		for _, id := range projects {
			if id != 0 && !r.Mine(id) || !r.allowed(j, id) || ctx.Err() != nil {
				continue
			}
			began := r.Now()
			more, err := j.Step(ctx, id)
			if j.Then != "" {
				r.run(ctx, r.named(j.Then))
			}
			pause := r.report(ctx, j, id, began, err)
			if err != nil && id == 0 {
				rest = pause
			}
			if err == nil && more {
				left = append(left, id)
			}
		}
		projects = left
	}
	return rest
}

func (r *Runner) named(name string) *Job {
	for i := range r.Jobs {
		if r.Jobs[i].Name == name {
			return &r.Jobs[i]
		}
	}
	panic("jobs: no job is called " + name) // a table that names it is wrong, and its first run says so
}

// allowed says whether a project's pause after failures is over.
func (r *Runner) allowed(j *Job, project int64) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return !r.Now().Before(r.failed[failure{j.Name, project}].notBefore)
}

func (r *Runner) succeeded(j *Job, project int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.failed, failure{j.Name, project})
}

// report says how a step went, and gives the pause before it is tried again.
func (r *Runner) report(ctx context.Context, j *Job, project int64, began time.Time, err error) time.Duration {
	if ctx.Err() != nil {
		return 0
	}
	took := r.Now().Sub(began)
	if r.Watch != nil {
		r.Watch(j.Name, took, err)
	}
	log := r.Log.With("job", j.Name)
	if project > 0 {
		log = log.With("project", project)
	}
	if err == nil {
		log.Debug("a job ran", "took", took)
		r.succeeded(j, project)
		return j.Every
	}
	r.mu.Lock()
	f := r.failed[failure{j.Name, project}]
	pause := j.Retry
	if pause == 0 {
		pause = min(maxRetry, max(j.Every, 100*time.Millisecond)<<min(f.times, 16))
	}
	f.times++
	f.notBefore = r.Now().Add(pause)
	r.failed[failure{j.Name, project}] = f
	r.mu.Unlock()
	if !r.Quiet(err) {
		log.Error("a job failed; it is tried again", "tries", f.times, "in", pause, "err", err)
	}
	return pause
}

// Sleep waits for d or the end of ctx.
func Sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
