package search

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/store/projects"
)

func (h *handlers) affected(ctx context.Context, p *projects.Project, in *In) (*calls.Body[contract.Affected], error) {
	ask, err := h.ask(ctx, p, in)
	if err != nil {
		return nil, err
	}
	a, err := h.Store.Find.Affected(ctx, ask)
	if err != nil {
		return nil, err
	}
	out := contract.Affected{Events: a.Events, Users: a.Users, Active: a.Active, CameBack: a.CameBack,
		Releases: []contract.FacetValue{}, Searched: rows.Searched(a.Completeness)}
	for _, r := range a.Releases {
		out.Releases = append(out.Releases, contract.FacetValue(r))
	}
	return calls.Answer(out), nil
}
