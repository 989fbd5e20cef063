package search

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
)

// Named names a saved search.
type Named struct {
	calls.ProjectPath
	Name string `path:"name" maxLength:"100"`
}

// saved are the calls about searches with a name.
func (h *handlers) saved(t *calls.Table) {
	calls.OnProject(
		t,
		"list-searches",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.SavedSearches],
			error) {
			list, err := h.Store.Find.SavedSearches(ctx, p.ID, h.Asker(ctx).Person)
			out := contract.SavedSearches{Searches: []contract.SavedSearch{}}
			for _, x := range list {
				out.Searches = append(out.Searches, savedSearch(x))
			}
			return calls.Answer(out), err
		},
	)
	calls.OnProject(
		t,
		"show-search",
		func(ctx context.Context, p *projects.Project, in *Named) (*calls.Body[contract.SavedSearch], error) {
			x, err := h.Store.Find.SavedNamed(ctx, p.ID, h.Asker(ctx).Person, in.Name)
			return calls.Answer(savedSearch(x)), err
		},
	)
	calls.OnProject(t, "save-search", h.save)
	calls.OnProject(t, "delete-search", func(ctx context.Context, p *projects.Project, in *struct {
		Named
		Shared bool `query:"shared" doc:"the shared one, not your own"`
	}) (*struct{}, error) {
		if err := h.mayShare(ctx, p, in.Shared); err != nil {
			return nil, err
		}
		return nil, h.Store.Find.DeleteSaved(ctx, p.ID, h.Asker(ctx).Person, in.Name, in.Shared)
	})
}

// mayShare refuses what is shared to those who only read.
func (h *handlers) mayShare(ctx context.Context, p *projects.Project, shared bool) error {
	if !shared {
		return nil
	}
	return h.May(ctx, access.TriageIssues, p)
}

func (h *handlers) save(ctx context.Context, p *projects.Project, in *struct {
	Named
	Body contract.SaveSearch
}) (*calls.Body[contract.SavedNow], error) {
	if err := h.mayShare(ctx, p, in.Body.Shared); err != nil {
		return nil, err
	}
	ask := find.Ask{Project: p, Asker: h.Asker(ctx)}
	x := find.Saved{Name: in.Name, Search: in.Body.Search, Shared: in.Body.Shared, Default: in.Body.Default}
	warnings, err := h.Store.Find.Save(ctx, ask, x, calls.Actor(ctx))
	if err != nil {
		return nil, err
	}
	x, err = h.Store.Find.SavedNamed(ctx, p.ID, ask.Person, x.Name)
	return calls.Answer(contract.SavedNow{SavedSearch: savedSearch(x), Warnings: warnings}), err
}

func savedSearch(x find.Saved) contract.SavedSearch {
	return contract.SavedSearch{
		Name:    x.Name,
		Search:  x.Search,
		Shared:  x.Shared,
		Default: x.Default,
		By:      x.Maker,
		Changed: x.Changed,
	}
}
