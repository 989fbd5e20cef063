package search

import (
	"context"
	"errors"
	"slices"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/issues"
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
		func(ctx context.Context, p *projects.Project, in *struct {
			calls.ProjectPath
			Counts bool `query:"counts" doc:"count the matching issues of each"`
		}) (*calls.Body[contract.SavedSearches], error) {
			list, err := h.Store.Find.SavedSearches(ctx, p.ID, h.Asker(ctx).Person)
			out := contract.SavedSearches{Searches: []contract.SavedSearch{}}
			for _, x := range list {
				out.Searches = append(out.Searches, savedSearch(x))
			}
			if err == nil && in.Counts {
				err = h.countSaved(ctx, p, out.Searches)
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

// maxCountedIssues is how far the issues of a saved search are counted, and
// maxCountedSearches of how many searches.
const (
	maxCountedIssues   = 1000
	maxCountedSearches = 30
)

// countSaved counts the issues of each search. One that names what is gone has no count,
// nor has one that asks what is in events where the caller may not read them.
func (h *handlers) countSaved(ctx context.Context, p *projects.Project, list []contract.SavedSearch) error {
	for i := range list[:min(len(list), maxCountedSearches)] {
		ask := find.Ask{Project: p, Text: list[i].Search, Asker: h.Asker(ctx)}
		if find.AsksEvents(ask) && h.May(ctx, access.ReadEvents, p) != nil {
			continue
		}
		n, more, err := h.Store.Find.CountIssues(ctx, find.IssueAsk{Ask: ask, States: openStates,
			Order: issues.ByImpact,
			Limit: maxCountedIssues})
		if f, ok := errors.AsType[*problem.Error](err); ok && f.Code != problem.Unavailable {
			continue
		}
		if err != nil {
			return err
		}
		list[i].Issues, list[i].More = &n, more
	}
	return nil
}

// openStates are those that a list shows where its search names none.
var openStates = slices.DeleteFunc(slices.Clone(issue.States), func(s issue.State) bool { return !s.Open() })

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
