package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/usecase/retention"
)

// ErasureIn names an erasure.
type ErasureIn struct {
	ProjectPath
	ID int64 `path:"id"`
}

func (a *API) users(h huma.API) {
	op(h, a, "POST", "/api/projects/{project}/erasures", "erase-user",
		"Forget a user: bodies that hold them go, counts stay", administer, func(ctx context.Context, in *struct {
			ProjectPath
			Body contract.EraseUser
		}) (*body[contract.Erasure], error) {
			p, err := a.store.Projects.Project(ctx, in.Project)
			if err != nil {
				return nil, err
			}
			e, err := a.store.Retention.Erase(ctx, p, in.Body.User, actor(ctx).Name)
			return erasure(e, err)
		})
	op(h, a, "GET", "/api/projects/{project}/erasures/{id}", "show-erasure", "How far an erasure is", administer,
		func(ctx context.Context, in *ErasureIn) (*body[contract.Erasure], error) {
			p, err := a.store.Projects.Project(ctx, in.Project)
			if err != nil {
				return nil, err
			}
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
