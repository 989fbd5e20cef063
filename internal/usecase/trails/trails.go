// Package trails reads one user's trail in order of time: sessions, events, breadcrumbs and feedback.
package trails

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
)

// Service gives trails. It is safe for concurrent use.
type Service struct {
	db     *db.DB
	events *events.Store
	find   *find.Service
}

// New makes a service.
func New(d *db.DB, e *events.Store, f *find.Service) *Service { return &Service{d, e, f} }

// Entry is one thing that happened; one of its pointers is set.
type Entry struct {
	At         time.Time
	Event      *events.EventRow
	Session    *events.SessionRow // when it began
	Breadcrumb *event.Breadcrumb
	Feedback   *events.FeedbackRow
	Before     *events.EventRow // of a breadcrumb: the event that it led up to
}

// Ask asks for a page of a trail.
type Ask struct {
	Project *projects.Project
	Asker   find.Asker
	Who     string // any name of the user
	Limit   int    // events on a page; what lies between them comes with them
	After   *Cursor
}

// Cursor is where a page ended.
type Cursor struct {
	Position int64 // of its oldest event
	Until    int64 // microseconds: what is older is not told yet
}

// Page is a part of a trail, newest first.
type Page struct {
	find.Completeness
	Entries []Entry
	Next    *Cursor // nil on the last page
}

// maxBeside bounds the sessions and the feedback of a page.
const maxBeside = 200

// Trail gives a page of a user's trail. A breadcrumb that several events
// carry is listed once.
func (s *Service) Trail(ctx context.Context, q Ask) (*Page, error) {
	users, err := s.find.UsersNamed(ctx, q.Project, q.Who)
	if err != nil {
		return nil, err
	}
	search := query.String(query.Term{Name: "user", Values: []query.Value{query.Exactly(q.Who)}})
	ask := find.EventAsk{Ask: find.Ask{Project: q.Project, Text: search, Window: &find.Window{}, Asker: q.Asker},
		Limit: q.Limit + 1}
	until := q.Asker.Now.Add(24 * time.Hour) // clocks may be ahead
	if q.After != nil {
		ask.Before, until = q.After.Position, db.FromMicros(q.After.Until)
	}
	found, err := s.find.FindEvents(ctx, ask)
	if err != nil {
		return nil, err
	}
	page := &Page{Completeness: found.Completeness}
	list := found.Events
	var from time.Time // what is older than the next page's first event comes with that page
	if len(list) > q.Limit {
		from, list = list[q.Limit].Thrown, list[:q.Limit]
		page.Next = &Cursor{Position: list[q.Limit-1].Position, Until: db.Micros(from)}
	}
	for _, e := range list {
		page.Entries = append(page.Entries, Entry{At: e.Thrown, Event: e})
	}
	if err := s.addBreadcrumbs(ctx, list, from, page); err != nil {
		return nil, err
	}
	for _, user := range users {
		if err := s.addBeside(ctx, q.Project.ID, user, from, until, page); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(page.Entries, func(x, y Entry) int {
		return cmp.Or(y.At.Compare(x.At), cmp.Compare(x.rank(), y.rank()))
	})
	return page, nil
}

// rank orders what happened at the same time, the later first: an event comes after
// what led up to it, and a session's begin before all of it.
func (e Entry) rank() int {
	switch {
	case e.Feedback != nil:
		return 0
	case e.Event != nil:
		return 1
	case e.Breadcrumb != nil:
		return 2
	}
	return 3
}

// addBreadcrumbs adds what led up to events since a time, where their bodies are kept.
func (s *Service) addBreadcrumbs(ctx context.Context, list []*events.EventRow, from time.Time, page *Page) error {
	type crumb struct{ time, kind, message string }
	seen := map[crumb]bool{}
	for _, e := range list {
		body, err := s.events.EventBody(ctx, e)
		if errors.Is(err, events.ErrNoBody) {
			continue
		}
		if err != nil {
			return err
		}
		k, err := pipeline.Open(body)
		if err != nil {
			return err
		}
		for i := range k.Event.Breadcrumbs {
			b := &k.Event.Breadcrumbs[i]
			c := crumb{b.Time, b.Kind, b.Message}
			at, err := time.Parse(time.RFC3339Nano, b.Time)
			if err != nil || seen[c] || at.Before(from) {
				continue
			}
			seen[c] = true
			page.Entries = append(page.Entries, Entry{At: at, Breadcrumb: b, Before: e})
		}
	}
	return nil
}

// addBeside adds the sessions and the feedback of a user from one time up to another.
func (s *Service) addBeside(ctx context.Context, project, user int64, from, until time.Time, page *Page) error {
	sessions, _, err := s.events.Sessions(ctx, events.SessionQuery{Project: project, User: &user, Before: until,
		After: "", Limit: maxBeside})
	if err != nil {
		return err
	}
	for _, x := range sessions {
		if !x.Started.Before(from) {
			page.Entries = append(page.Entries, Entry{At: x.Started, Session: x})
		}
	}
	said, _, err := s.events.FeedbackList(ctx, events.FeedbackQuery{Project: project, User: &user, Limit: maxBeside})
	if err != nil {
		return err
	}
	for i := range said {
		if at := said[i].At; !at.Before(from) && at.Before(until) {
			page.Entries = append(page.Entries, Entry{At: at, Feedback: &said[i]})
		}
	}
	return nil
}
