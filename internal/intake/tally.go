package intake

import (
	"context"
	"errors"
	"sync"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/scrub"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
)

// tallies count by project what never reaches the inbox. They are written once
// a second: nothing of it was acknowledged, so a crash may cost a second's.
type tallies struct {
	mu sync.Mutex
	by map[int64]*inbox.Tally
}

// refusal is what was not taken in: why, by which rule, how many events, and one of
// them; "" shows none.
type refusal struct {
	cause, rule string
	events      int
	example     string
}

func (t *tallies) add(project int64, at time.Time, r refusal) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.by == nil {
		t.by = map[int64]*inbox.Tally{}
	}
	if t.by[project] == nil {
		t.by[project] = &inbox.Tally{}
	}
	t.by[project].Add(at, r.cause, r.rule, int64(r.events))
	if r.example != "" { // a reason may quote what was sent, which nothing has scrubbed yet
		clean, _ := scrub.Default.Text(r.example, "")
		t.by[project].Example(at, r.cause, r.rule, clean)
	}
}

func (t *tallies) take() map[int64]*inbox.Tally {
	t.mu.Lock()
	defer t.mu.Unlock()
	by := t.by
	t.by = nil
	return by
}

// Flush writes what was counted since the last time.
func (in *Intake) Flush(ctx context.Context) error {
	var failed error
	for project, t := range in.tallies.take() {
		if err := in.inbox.CountReceived(ctx, project, t); err != nil {
			failed = errors.Join(failed, err)
		}
	}
	return failed
}

// countRefused counts events that were refused, with their reasons.
func (in *Intake) countRefused(project int64, a *Answer) {
	in.watch.Refused(len(a.Refused)+a.RefusedMore, "unreadable")
	in.tallies.add(project, in.now(), refusal{inbox.CauseRefused, "unreadable", a.RefusedMore, ""})
	for _, r := range a.Refused {
		in.tallies.add(project, in.now(), refusal{inbox.CauseRefused, "unreadable", 1, r.Detail})
	}
}

// countFailed counts a request that was refused whole.
func (in *Intake) countFailed(project int64, err error) {
	f, ok := errors.AsType[*problem.Error](err)
	if !ok {
		return
	}
	switch f.Code {
	case problem.BadInput:
		in.tallies.add(project, in.now(), refusal{inbox.CauseRefused, "unreadable", 1, f.Pub})
	case problem.TooLarge:
		in.tallies.add(project, in.now(), refusal{inbox.CauseRefused, "too large", 1, f.Pub})
	case problem.BadMediaType:
		in.tallies.add(project, in.now(), refusal{inbox.CauseRefused, "media type", 1, f.Pub})
	case problem.Forbidden:
		in.tallies.add(project, in.now(), refusal{inbox.CauseRefused, "origin", 1, f.Pub})
	case problem.Unavailable, problem.TooMany:
		if _, over := errors.AsType[*overError](err); !over {
			in.tallies.add(project, in.now(), refusal{inbox.CauseRejected, "", 1, f.Pub})
		}
	}
}

// over counts events that were refused because the allowance is used up.
func (in *Intake) over(p *projects.Project, events int, err error) error {
	o, ok := errors.AsType[*overError](err)
	if !ok {
		return err
	}
	in.watch.Rejected("over_allowance")
	in.tallies.add(p.ID, in.now(), refusal{inbox.CauseOver, o.what, events, o.usedBy})
	return err
}
