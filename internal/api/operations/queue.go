package operations

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// FailedEventIn names an event that failed.
type FailedEventIn struct {
	ID string `path:"id" doc:"as the queue lists it"`
}

func (a *handlers) queue(t *calls.Table) {
	calls.Call(t, "show-queue", func(ctx context.Context, in *struct {
		Limit int `query:"limit" minimum:"1" maximum:"1000" default:"50"`
	}) (*calls.Body[contract.Queue], error) {
		return a.showQueue(ctx, in.Limit)
	})
	calls.Call(t, "retry-event", func(ctx context.Context, in *FailedEventIn) (*calls.Body[contract.Retried], error) {
		return a.eachFailed(ctx, "failed events retried", in.ID, func(id uuid.UUID) error {
			project, err := a.Store.Inbox.Retry(ctx, id)
			if err == nil && a.Wake != nil {
				a.Wake(project)
			}
			return err
		})
	})
	calls.Call(t, "discard-event", func(ctx context.Context, in *FailedEventIn) (*calls.Body[contract.Retried], error) {
		return a.eachFailed(ctx, "failed events discarded", in.ID, func(id uuid.UUID) error {
			return a.Store.Inbox.Discard(ctx, id)
		})
	})
}

// eachFailed does something with one event that failed, or with "all".
func (a *handlers) eachFailed(ctx context.Context, action, which string,
	do func(uuid.UUID) error) (*calls.Body[contract.Retried], error) {
	out := calls.Answer(contract.Retried{})
	written := func() error {
		return a.Store.Audit.Note(ctx, audit.Act{Action: action, Target: which,
			After: map[string]int{"events": out.Body.Events}})
	}
	if which != "all" {
		id, err := uuid.Parse(which)
		if err != nil {
			return nil, problem.New(problem.BadInput, "%q is not a failed event: write an id that firethorn queue lists, or all", which)
		}
		if err := do(id); err != nil {
			return nil, err
		}
		out.Body.Events = 1
		return out, written()
	}
	list, err := a.Store.Inbox.FailedEvents(ctx, 0, 10_000)
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		if err := do(x.ID); err != nil {
			return nil, errors.Join(err, written()) // what was done before stays done
		}
		out.Body.Events++
	}
	return out, written()
}

func (a *handlers) showQueue(ctx context.Context, limit int) (*calls.Body[contract.Queue], error) {
	st, err := a.Store.Overview.Inbox(ctx)
	if err != nil {
		return nil, err
	}
	list, err := a.Store.Inbox.FailedEvents(ctx, 0, limit)
	if err != nil {
		return nil, err
	}
	all, err := a.Store.Projects.Projects(ctx, sight.All)
	if err != nil {
		return nil, err
	}
	names := map[int64]string{}
	for _, p := range all {
		names[p.ID] = p.Name
	}
	out := contract.Queue{Waiting: st.Events, Total: st.Failed, Projects: []contract.Waiting{},
		Failed: make([]contract.FailedEvent, len(list))}
	if !st.Oldest.IsZero() {
		out.Oldest = &st.Oldest
	}
	for id, n := range st.ByProject {
		out.Projects = append(out.Projects, contract.Waiting{Project: nameOr(names, id), Events: n})
	}
	slices.SortFunc(out.Projects, func(x, y contract.Waiting) int { return cmp.Compare(y.Events, x.Events) })
	reads := a.reader(ctx, all)
	for i, x := range list {
		out.Failed[i] = contract.FailedEvent{ID: x.ID.String(), Project: nameOr(names, x.Project),
			Event:    rows.IDText(x.Event),
			Received: x.Received, Error: x.Why}
		if mayRead, err := reads(x.Project); err != nil {
			return nil, err
		} else if mayRead {
			out.Failed[i].Body = bodyOf(x)
		}
	}
	return calls.Answer(out), nil
}

// reader says of projects whether the caller reads their events: operators work the
// queue without reading what failed.
func (a *handlers) reader(ctx context.Context, list []*projects.Project) func(project int64) (bool, error) {
	known := map[int64]bool{}
	return func(project int64) (bool, error) {
		if may, ok := known[project]; ok {
			return may, nil
		}
		i := slices.IndexFunc(list, func(p *projects.Project) bool { return p.ID == project })
		if i < 0 {
			return false, nil
		}
		may, err := a.Allowed(ctx, access.ReadEvents, list[i])
		known[project] = may
		return may, err
	}
}

func nameOr(names map[int64]string, id int64) string {
	if n := names[id]; n != "" {
		return n
	}
	return fmt.Sprintf("project %d", id)
}

func bodyOf(x inbox.FailedEvent) json.RawMessage {
	list, err := pipeline.Unpack(x.Packed, x.Received)
	if err != nil || len(list) != 1 || len(list[0].Events) != 1 {
		return nil
	}
	return list[0].Events[0]
}
