package search

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/store/projects"
)

// attributes are the calls about the names that are searched.
func (h *handlers) attributes(t *calls.Table) {
	calls.OnProject(t, "list-attributes", func(ctx context.Context, p *projects.Project,
		in *calls.ProjectPath) (*calls.Body[contract.Attributes], error) {
		return h.names(ctx, p)
	})
	calls.OnProject(t, "change-attribute", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.ChangeAttribute
	}) (*calls.Body[contract.Attributes], error) {
		if err := h.Store.Find.DropAttribute(ctx, p, in.Body.Name, in.Body.Dropped); err != nil {
			return nil, err
		}
		return h.names(ctx, p)
	})
}

func (h *handlers) names(ctx context.Context, p *projects.Project) (*calls.Body[contract.Attributes], error) {
	list, places, err := h.Store.Find.Attributes(ctx, p.ID)
	out := contract.Attributes{Attributes: []contract.Attribute{}, Places: places}
	for _, a := range list {
		if !a.Standard && !a.Dropped {
			out.Taken++
		}
		out.Attributes = append(out.Attributes, contract.Attribute{Name: a.Name, Standard: a.Standard, Since: a.Since,
			Used: a.Used.Format("2006-01-02"), Dropped: a.Dropped})
	}
	return calls.Answer(out), err
}
