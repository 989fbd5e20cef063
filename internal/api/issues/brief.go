package issues

import (
	"context"
	"errors"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

func (a *handlers) briefs(t *calls.Table) {
	calls.OnIssue(t, "brief-issue", a.brief)
}

func (a *handlers) brief(ctx context.Context, p *projects.Project, is *issues.Issue,
	in *calls.IssuePath) (*calls.Body[contract.Brief], error) {
	out := contract.Brief{}
	detail, err := a.detail(ctx, is)
	if err != nil {
		return nil, err
	}
	out.Issue = detail.Body
	event, err := a.issueEvent(ctx, p, is, "newest")
	if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
		event, err = nil, nil // none is kept any more
	}
	if err != nil {
		return nil, err
	}
	if event != nil {
		out.Event = &event.Body
	}
	history, err := a.history(ctx, is)
	if err != nil {
		return nil, err
	}
	out.History = history.Body
	owners, err := a.proposals(ctx, p, is)
	if err != nil {
		return nil, err
	}
	out.Owners = owners.Body
	likely, err := a.likelyChanges(ctx, p, is, "")
	if err != nil {
		return nil, err
	}
	out.Likely = likely.Body
	beside, err := a.besideOf(ctx, p, is)
	if err != nil {
		return nil, err
	}
	out.Beside = beside.Body
	return calls.Answer(out), nil
}
