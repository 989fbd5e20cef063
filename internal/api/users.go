package api

import (
	"context"

	"firethorn/internal/contract"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/retention"
)

// ErasureIn names an erasure.
type ErasureIn struct {
	ProjectPath
	ID int64 `path:"id"`
}

func (a *API) users(t *table) {
	onProject(t, "erase-user", func(ctx context.Context, p *projects.Project, in *struct {
		ProjectPath
		Body contract.EraseUser
	}) (*body[contract.Erasure], error) {
		e, err := a.store.Retention.Erase(ctx, p, in.Body.User, actor(ctx).Name)
		return erasure(e, err)
	})
	onProject(t, "show-erasure",
		func(ctx context.Context, p *projects.Project, in *ErasureIn) (*body[contract.Erasure], error) {
			e, err := a.store.Retention.ErasureState(ctx, p.ID, in.ID)
			return erasure(e, err)
		})
}

func erasure(e *retention.Erasure, err error) (*body[contract.Erasure], error) {
	if err != nil {
		return nil, err
	}
	return &body[contract.Erasure]{contract.Erasure{ID: e.ID, Done: e.Done, Events: e.Events}}, nil
}
