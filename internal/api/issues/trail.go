package issues

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/event"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/trails"
)

func (a *handlers) trail(t *calls.Table) {
	calls.OnProject(t, "show-trail", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Who    string `path:"who" maxLength:"1000" doc:"any identifier in their events"`
		Limit  int    `query:"limit" minimum:"1" maximum:"100" default:"30" doc:"events; the messages between them are included"`
		Cursor string `query:"cursor" doc:"next of the page before"`
	}) (*calls.Body[contract.Trail], error) {
		q := trails.Ask{Project: p, Asker: a.Asker(ctx), Who: in.Who, Limit: in.Limit}
		if in.Cursor != "" {
			q.After = &trails.Cursor{}
			if err := calls.ReadCursor(in.Cursor, q.After); err != nil {
				return nil, err
			}
		}
		page, err := a.Store.Trails.Trail(ctx, q)
		if err != nil {
			return nil, err
		}
		out := contract.Trail{Entries: []contract.TrailEntry{}, Searched: rows.Searched(page.Completeness)}
		for _, e := range page.Entries {
			out.Entries = append(out.Entries, trailEntry(p.Name, e))
		}
		if page.Next != nil {
			out.Next = calls.WriteCursor(page.Next)
		}
		return calls.Answer(out), nil
	})
}

func trailEntry(project string, e trails.Entry) contract.TrailEntry {
	out := contract.TrailEntry{At: e.At}
	switch {
	case e.Session != nil:
		s := sessionOf(e.Session)
		out.Kind, out.Session = "session", &s
	case e.Breadcrumb != nil:
		out.Kind, out.Before = "breadcrumb", e.Before.ID.String()
		out.Breadcrumb = &from.Breadcrumbs([]event.Breadcrumb{*e.Breadcrumb})[0]
	case e.Feedback != nil:
		out.Kind, out.Feedback = "feedback", &feedbackOf(project, []events.FeedbackRow{*e.Feedback})[0]
	default:
		row := rows.EventRow(project, e.Event)
		out.Kind, out.Event = "event", &row
	}
	return out
}
