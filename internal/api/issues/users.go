package issues

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/retention"
)

// ErasureIn names an erasure.
type ErasureIn struct {
	calls.ProjectPath
	ID int64 `path:"id"`
}

func (a *handlers) users(t *calls.Table) {
	calls.OnProject(t, "erase-user", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.EraseUser
	}) (*calls.Body[contract.Erasure], error) {
		e, err := a.Store.Retention.Erase(ctx, p, in.Body.User, calls.Actor(ctx).Name)
		return erasure(e, err)
	})
	calls.OnProject(t, "show-erasure",
		func(ctx context.Context, p *projects.Project, in *ErasureIn) (*calls.Body[contract.Erasure], error) {
			e, err := a.Store.Retention.ErasureState(ctx, p.ID, in.ID)
			return erasure(e, err)
		})
}

func erasure(e *retention.Erasure, err error) (*calls.Body[contract.Erasure], error) {
	if err != nil {
		return nil, err
	}
	return calls.Answer(contract.Erasure{ID: e.ID, Done: e.Done, Events: e.Events}), nil
}
