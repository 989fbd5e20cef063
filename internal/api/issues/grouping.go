package issues

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
)

func (a *handlers) grouping(t *calls.Table) {
	calls.OnProject(t, "why-grouped", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Event string `query:"event" required:"true" doc:"an event's id, or an issue, whose newest kept event counts"`
		Other string `query:"other" doc:"a second event to compare with"`
	}) (*calls.Body[contract.Why], error) {
		out := contract.Why{Together: true}
		var err error
		if out.EventWhy, err = a.why(ctx, p, in.Event); err != nil || in.Other == "" {
			return calls.Answer(out), err
		}
		other, err := a.why(ctx, p, in.Other)
		if err != nil {
			return nil, err
		}
		out.Other, out.Differ = &other, differ(out.Parts, other.Parts)
		out.Together = out.Fingerprint == other.Fingerprint
		return calls.Answer(out), nil
	})
}

// why fingerprints an event again, by the symbols there are now.
func (a *handlers) why(ctx context.Context, p *projects.Project, ref string) (contract.EventWhy, error) {
	var out contract.EventWhy
	row, err := a.Referred(ctx, p, ref)
	if err != nil {
		return out, err
	}
	raw, err := a.Store.Events.AnyBody(ctx, row)
	if errors.Is(err, events.ErrNoBody) {
		return out, problem.New(problem.NotFound, "the body of event %s was not kept, nor the body of a similar event", row.ID)
	}
	if err != nil {
		return out, err
	}
	e, frames, err := pipeline.Read(ctx, p.Project, raw, a.Units)
	if err != nil {
		return out, err
	}
	print, filed, err := a.asStored(ctx, p, row, e, frames)
	switch {
	case err != nil:
		return out, err
	case filed == print.Key && print.Looked:
		out.Assigned = "the failing function has many callers, so its caller is blamed"
	case filed == print.Key:
		out.Assigned = "its fingerprint leads to this issue"
	default:
		out.Assigned = "it was grouped by another fingerprint, with the symbols, rules or grouping version of that time; it stays in its issue"
	}
	out.Event, out.Issue = row.ID.String(), fmt.Sprintf("%s/%d", p.Name, row.Issue)
	out.Fingerprint, out.Version, out.Headline = hex.EncodeToString(print.Key[:]), p.GroupingVersion, print.Headline
	out.Parts, out.LeftOut = from.Parts(print.Parts), from.Parts(print.Left)
	switch g := e.Grouping; {
	case g == nil || len(g.Replace)+len(g.Extend) == 0:
		out.Application = "the application sets no key of its own"
	case len(g.Replace) > 0:
		out.Application = "the application's own key replaces the computed one: " + strings.Join(g.Replace,
			", ")
	default:
		out.Application = "the application's own key was added to the computed one: " + strings.Join(g.Extend, ", ")
	}
	return out, nil
}

// asStored fingerprints an event as its variant was processed, and marks the frame
// that was blamed then: where a function had been found out as failing on
// behalf of its callers, who called it. processed is the variant's fingerprint.
func (a *handlers) asStored(ctx context.Context, p *projects.Project, row *events.EventRow, e *event.Event,
	frames [][]event.Frame) (print fingerprint.Result, filed fingerprint.Key, err error) {
	print, _ = p.Method().Print(e, row.Thrown, frames)
	if filed, err = a.Store.Events.StoredFingerprint(ctx, row); err != nil || filed == print.Key || print.Caller == "" {
		return print, filed, err
	}
	if through := print.Through(e, frames); through.Key == filed {
		return through, filed, nil
	}
	blame.Again(e.Exceptions, frames, nil)
	return print, filed, nil
}

// differ finds the first part in which two differ; nil when there is none.
func differ(a, b []contract.Part) *contract.GroupDifference {
	for i := range max(len(a), len(b)) {
		switch {
		case i >= len(a):
			return &contract.GroupDifference{What: b[i].What, Other: b[i].Value}
		case i >= len(b):
			return &contract.GroupDifference{What: a[i].What, This: a[i].Value}
		case a[i].What != b[i].What && slices.ContainsFunc(b, func(p contract.Part) bool {
			return p.What == a[i].What
		}):
			return &contract.GroupDifference{What: b[i].What, Other: b[i].Value}
		case a[i].What != b[i].What:
			return &contract.GroupDifference{What: a[i].What, This: a[i].Value}
		case a[i].Value != b[i].Value:
			return &contract.GroupDifference{What: a[i].What, This: a[i].Value, Other: b[i].Value}
		}
	}
	return nil
}
