package issues

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/access"
	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
)

// Page asks for a page.
type Page struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor string `query:"cursor"`
	Kept   bool   `query:"kept" doc:"of an issue: only events whose body is kept"`
	calls.SearchIn
	Columns []string `query:"columns,explode" maxItems:"20" doc:"attributes to return for each event"`
}

func (a *handlers) events(t *calls.Table) {
	calls.OnProject(t, "list-events", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Page
	}) (*calls.Body[contract.Events], error) {
		return a.eventPage(ctx, p, 0, in.Page)
	})
	calls.OnProject(t, "show-event", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Event string `path:"event"`
	}) (*calls.Body[contract.Event], error) {
		id, err := uuid.Parse(in.Event)
		if err != nil {
			return nil, problem.New(problem.BadInput, "%q is no event id: it must be a UUID", in.Event)
		}
		row, err := a.Store.Events.Event(ctx, p, id)
		if err != nil {
			return nil, err
		}
		return a.event(ctx, p, row)
	})
	calls.OnIssue(t, "list-issue-events", func(ctx context.Context, p *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		Page
	}) (*calls.Body[contract.Events], error) {
		return a.eventPage(ctx, p, is.ID, in.Page)
	})
	calls.OnIssue(t, "show-issue-event", func(ctx context.Context, p *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		Event string `path:"event"`
		calls.SearchIn
	}) (*calls.Body[contract.Event], error) {
		if in.Search != "" || in.Window != "" {
			return a.foundEvent(ctx, p, is, in.Event, in.SearchIn)
		}
		return a.issueEvent(ctx, p, is, in.Event)
	})
}

// issueEvent is an event of an issue, with its place among the others; which is
// newest, oldest or an id.
func (a *handlers) issueEvent(ctx context.Context, p *projects.Project, is *issues.Issue,
	which string) (*calls.Body[contract.Event], error) {
	row, err := a.Store.Events.IssueEvent(ctx, p, is.ID, which)
	if err != nil {
		return nil, err
	}
	if row.Issue != is.Number {
		return nil, problem.New(problem.NotFound, "event %s does not belong to %s/%d but to %s/%d", which, p.Name,
			is.Number, p.Name, row.Issue)
	}
	out, err := a.event(ctx, p, row)
	if err != nil {
		return nil, err
	}
	n, err := a.Store.Events.EventNeighbours(ctx, is.ID, row)
	if err != nil {
		return nil, err
	}
	out.Body.Position = &contract.EventPosition{Number: n.Position, Kept: is.Bodies, Total: is.Events,
		Newest: rows.IDText(n.Newest), Newer: rows.IDText(n.Newer), Older: rows.IDText(n.Older),
		Oldest: rows.IDText(n.Oldest)}
	return out, nil
}

// foundEvent is an event of an issue, with its place among those that fit a search.
func (a *handlers) foundEvent(ctx context.Context, p *projects.Project, is *issues.Issue, which string,
	in calls.SearchIn) (*calls.Body[contract.Event], error) {
	ask, err := a.Ask(ctx, p, in)
	if err != nil {
		return nil, err
	}
	ask.Issue = is.ID
	var known *events.EventRow
	if which != "newest" && which != "oldest" {
		if known, err = a.Store.Events.IssueEvent(ctx, p, is.ID, which); err != nil {
			return nil, err
		}
	}
	row, place, err := a.Store.Find.EventPlace(ctx, ask, which, known)
	if err != nil {
		return nil, err
	}
	out, err := a.event(ctx, p, row)
	if err != nil {
		return nil, err
	}
	out.Body.Position = &contract.EventPosition{Number: place.Number, Kept: place.Total, Total: place.Total,
		Newest: rows.IDText(place.Newest), Newer: rows.IDText(place.Newer), Older: rows.IDText(place.Older),
		Oldest: rows.IDText(place.Oldest)}
	return out, nil
}

// maxOfTrace is how many events of a trace are returned.
const maxOfTrace = 200

func (a *handlers) traces(t *calls.Table) {
	calls.Call(t, "show-trace", func(ctx context.Context, in *struct {
		Trace string `path:"trace" maxLength:"64"`
	}) (*calls.Body[contract.TraceEvents], error) {
		list, err := a.Store.Events.EventsOfTrace(ctx, in.Trace, a.Sight(ctx, access.ReadIssues), maxOfTrace+1)
		if err != nil {
			return nil, err
		}
		out := contract.TraceEvents{Trace: strings.ToLower(in.Trace), Events: []contract.EventRow{},
			More: len(list) > maxOfTrace}
		for _, e := range list[:min(len(list), maxOfTrace)] {
			out.Events = append(out.Events, rows.EventRow(e.Project, &e.EventRow))
		}
		return calls.Answer(out), nil
	})
}

type eventCursor struct{ Position int64 }

func (a *handlers) eventPage(ctx context.Context, p *projects.Project, issue int64,
	page Page) (*calls.Body[contract.Events], error) {
	if page.Search != "" || page.Window != "" || len(page.Columns) > 0 {
		return a.foundEvents(ctx, p, issue, page)
	}
	q := events.EventQuery{Project: p.ID, Issue: issue, Limit: page.Limit, Kept: page.Kept}
	if page.Cursor != "" {
		var c eventCursor
		if err := calls.ReadCursor(page.Cursor, &c); err != nil {
			return nil, err
		}
		q.Before = c.Position
	}
	list, next, err := a.Store.Events.Events(ctx, q)
	if err != nil {
		return nil, err
	}
	out := contract.Events{Events: make([]contract.EventRow, len(list))}
	for i, e := range list {
		out.Events[i] = rows.EventRow(p.Name, e)
	}
	if next != 0 {
		out.Next = calls.WriteCursor(eventCursor{next})
	}
	return calls.Answer(out), nil
}

// foundEvents is a page of the events that fit a search.
func (a *handlers) foundEvents(ctx context.Context, p *projects.Project, issue int64,
	page Page) (*calls.Body[contract.Events], error) {
	ask, err := a.Ask(ctx, p, page.SearchIn)
	if err != nil {
		return nil, err
	}
	ask.Issue = issue
	var c eventCursor
	if page.Cursor != "" {
		if err := calls.ReadCursor(page.Cursor, &c); err != nil {
			return nil, err
		}
	}
	found, err := a.Store.Find.FindEvents(ctx, find.EventAsk{Ask: ask, Before: c.Position, Limit: page.Limit,
		Columns: page.Columns})
	if err != nil {
		return nil, err
	}
	out := contract.Events{Events: []contract.EventRow{}, Searched: rows.Searched(found.Completeness)}
	for i, e := range found.Events {
		row := rows.EventRow(p.Name, e)
		if found.Values != nil {
			row.Columns = found.Values[i]
		}
		out.Events = append(out.Events, row)
	}
	if found.Next != 0 {
		out.Next = calls.WriteCursor(eventCursor{found.Next})
	}
	return calls.Answer(out), nil
}

// event reads an event whole, its frames made readable by the symbols there
// are now.
func (a *handlers) event(ctx context.Context, p *projects.Project, row *events.EventRow) (*calls.Body[contract.Event],
	error) {
	raw, err := a.Store.Events.EventBody(ctx, row)
	if errors.Is(err, events.ErrNoBody) {
		return a.bareEvent(ctx, p, row)
	}
	if err != nil {
		return nil, err
	}
	e, frames, err := pipeline.Read(ctx, p.Project, raw, a.Units)
	if err != nil {
		return nil, err
	}
	if _, _, err := a.asStored(ctx, p, row, e, frames); err != nil {
		return nil, err
	}
	if err := a.addSources(ctx, p, row, e, frames); err != nil {
		return nil, err
	}
	out := a.wholeEvent(p, row, e, frames)
	if out.Threads, err = a.threads(ctx, p, e); err != nil {
		return nil, err
	}
	if err := a.around(ctx, p, e, &out); err != nil {
		return nil, err
	}
	return calls.Answer(out), nil
}

// sourcesTime is how long an event waits for source lines from the repository.
const sourcesTime = 3 * time.Second

// addSources adds the source lines of own frames that no symbols bring, from the
// repository at the commit that the event's release was built from.
func (a *handlers) addSources(ctx context.Context, p *projects.Project, row *events.EventRow, e *event.Event,
	frames [][]event.Frame) error {
	files := pipeline.WithoutSources(frames)
	if len(files) == 0 || row.Release == "" {
		return nil
	}
	commit, unknown, err := a.codeOf(ctx, p, row.Release)
	if err != nil || unknown != "" {
		return err
	}
	within, cancel := context.WithTimeout(ctx, sourcesTime)
	defer cancel()
	texts, err := a.Code.Texts(within, p, commit, files)
	if err != nil { // an event is readable without them
		if ctx.Err() == nil {
			a.Log.Warn("source lines could not be read from the repository", "project", p.Name, "commit", commit, "err",
				err)
		}
		return ctx.Err()
	}
	pipeline.AddSources(p.Project, e, frames, commit, texts)
	return nil
}

// threads makes the threads of an event readable, the blamed one first.
func (a *handlers) threads(ctx context.Context, p *projects.Project, e *event.Event) ([]contract.Thread, error) {
	frames, err := pipeline.Threads(ctx, p.Project, e, a.Units)
	if err != nil {
		return nil, err
	}
	var out []contract.Thread
	for i, t := range e.Threads {
		out = append(out, contract.Thread{ID: t.ID, Name: t.Name, Blamed: t.Blamed, WaitingOn: t.WaitingOn,
			Stack: t.Stack, Frames: from.Frames(frames[i])})
	}
	slices.SortStableFunc(out, func(a, b contract.Thread) int {
		switch {
		case a.Blamed == b.Blamed:
			return 0
		case a.Blamed:
			return -1
		}
		return 1
	})
	return out, nil
}

// around adds the session that an event happened in, and what people said
// about it.
func (a *handlers) around(ctx context.Context, p *projects.Project, e *event.Event, out *contract.Event) error {
	if name := e.Attributes.Text("session.id"); name != "" {
		row, err := a.Store.Events.Session(ctx, p.ID, name)
		if f, ok := errors.AsType[*problem.Error](err); err != nil && (!ok || f.Code != problem.NotFound) {
			return err
		}
		if row != nil {
			s := sessionOf(row)
			out.Session = &s
		}
	}
	id, err := uuid.Parse(out.ID)
	if err != nil {
		return err
	}
	list, _, err := a.Store.Events.FeedbackList(ctx,
		events.FeedbackQuery{Project: p.ID, Event: id, Limit: maxFeedback})
	out.Feedback = feedbackOf(p.Name, list)
	return err
}

// bareEvent shows an event whose body was not kept: what its row says, and the
// trace of another one that can only ever be grouped like it.
func (a *handlers) bareEvent(ctx context.Context, p *projects.Project,
	row *events.EventRow) (*calls.Body[contract.Event], error) {
	raw, err := a.Store.Events.Exemplar(ctx, row)
	if errors.Is(err, events.ErrNoBody) {
		nothing := &event.Event{Notes: []string{"the body of this event was not kept, and none of another event of its kind"}}
		return calls.Answer(a.wholeEvent(p, row, nothing, nil)), nil
	}
	if err != nil {
		return nil, err
	}
	e, frames, err := pipeline.Read(ctx, p.Project, raw, a.Units)
	if err != nil {
		return nil, err
	}
	kind := &event.Event{Severity: e.Severity, Handled: e.Handled, Exceptions: e.Exceptions,
		Notes: []string{"the body of this event was not kept: the trace shown is that of another event of its kind"}}
	out := a.wholeEvent(p, row, kind, frames)
	if err := a.around(ctx, p, kind, &out); err != nil {
		return nil, err
	}
	return calls.Answer(out), nil
}

func (a *handlers) wholeEvent(p *projects.Project, row *events.EventRow, e *event.Event,
	frames [][]event.Frame) contract.Event {
	out := contract.Event{
		EventRow: rows.EventRow(p.Name, row), Severity: string(e.Severity), Handled: e.Handled, Message: e.Message,
		Exceptions: make([]contract.Exception, len(e.Exceptions)), Breadcrumbs: from.Breadcrumbs(e.Breadcrumbs),
		Attributes: e.Attributes,
		Resource:   e.Resource,
		State:      e.State, Feedback: []contract.Feedback{}, Symbols: from.Symbols(e.Symbols), TraceID: e.TraceID,
		SpanID: e.SpanID,
		Scope:  e.Scope, Span: (*contract.Span)(e.Span), Notes: e.Notes, Extra: e.Extra,
		Scrubbed: from.Scrubbed(e.Scrubbed),
	}
	if name, value := e.Identity(); value != "" {
		out.User = &contract.User{Attribute: name, Value: value}
	}
	if e.Log != nil {
		out.Log = &contract.Log{Text: e.Log.Text(), Name: e.Log.Name, SeverityText: e.Log.SeverityText}
	}
	if out.Notes == nil {
		out.Notes = []string{}
	}
	if release := e.Release(); release != "" && row.Release == "" && len(e.Exceptions)+len(e.Message) > 0 && row.Kept {
		out.Notes = append(out.Notes, fmt.Sprintf("its release %.100q is in no list: reports named more new releases than they may in an hour", release))
	}
	if out.Attributes == nil {
		out.Attributes = map[string]any{}
	}
	if out.Resource == nil {
		out.Resource = map[string]any{}
	}
	for i, x := range e.Exceptions {
		out.Exceptions[i] = contract.Exception{Type: x.Type, Message: x.Message, Parent: x.Parent, Relation: x.Relation,
			Thrown: x.Thrown, Stack: x.Stack, Frames: from.Frames(frames[i])}
	}
	return out
}
