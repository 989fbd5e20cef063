package calls

import (
	"context"
	"strconv"
	"strings"

	"firethorn/internal/core/problem"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"

	"github.com/google/uuid"
)

// Referred finds an event by its id, or an issue's newest kept one by the
// issue's number.
func (a *Frame) Referred(ctx context.Context, p *projects.Project, ref string) (*events.EventRow, error) {
	if id, err := uuid.Parse(ref); err == nil {
		return a.Store.Events.Event(ctx, p, id)
	}
	name, number, found := strings.Cut(ref, "/")
	if !found {
		name, number = p.Name, ref
	}
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || name != p.Name {
		return nil, problem.New(problem.BadInput, "%q is no event: write an event's id, or an issue of %s such as %s/12",
			ref, p.Name, p.Name)
	}
	is, err := a.Store.Issues.Issue(ctx, p, n)
	if err != nil {
		return nil, err
	}
	return a.Store.Events.IssueEvent(ctx, p, is.ID, "newest")
}
