package issues

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/session"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// SessionList asks for sessions.
type SessionList struct {
	calls.ProjectPath
	Outcome string `query:"outcome" enum:"running,clean,faulty,crashed,cut-off" doc:"only sessions with this outcome"`
	User    string `query:"user" doc:"only those of the user with this identity"`
	Limit   int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor  string `query:"cursor"`
}

// maxOfSession is how many events of a session are returned.
const maxOfSession = 200

func (a *handlers) sessions(t *calls.Table) {
	calls.OnProject(t, "list-sessions", a.listSessions)
	calls.OnProject(t, "count-sessions", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Days  int  `query:"days" minimum:"1" maximum:"400" default:"14" doc:"how many days back, today included (UTC)"`
		ByDay bool `query:"by_day" doc:"one entry per day"`
	}) (*calls.Body[contract.SessionCounts], error) {
		to := a.Store.DB.Now().UTC()
		from := to.AddDate(0, 0, 1-in.Days)
		counted, err := a.Store.Events.SessionCounts(ctx, p.ID, from, to, in.ByDay)
		if err != nil {
			return nil, err
		}
		out := contract.SessionCounts{From: from.Format(time.DateOnly), To: to.Format(time.DateOnly),
			Counts: []contract.SessionCount{}}
		all := map[session.Outcome]int64{}
		for _, r := range counted {
			for o, n := range r.Outcomes {
				all[o] += n
			}
			c := rows.SessionCount(r.Outcomes, p.CutOffCrashes)
			c.Day, c.Release, c.Environment = r.Day, r.Release, r.Environment
			out.Counts = append(out.Counts, c)
		}
		out.Total = rows.SessionCount(all, p.CutOffCrashes)
		return calls.Answer(out), nil
	})
	calls.OnProject(t, "show-session", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Session string `path:"session" maxLength:"200"`
	}) (*calls.Body[contract.SessionDetail], error) {
		row, err := a.Store.Events.Session(ctx, p.ID, in.Session)
		if err != nil {
			return nil, err
		}
		events, err := a.Store.Events.EventsOfSession(ctx, p.ID, in.Session, maxOfSession)
		if err != nil {
			return nil, err
		}
		out := contract.SessionDetail{Session: sessionOf(row), Events: []contract.EventRow{}}
		for _, e := range events {
			out.Events = append(out.Events, rows.EventRow(p.Name, e))
		}
		return calls.Answer(out), nil
	})
}

func (a *handlers) listSessions(ctx context.Context, p *projects.Project,
	in *SessionList) (*calls.Body[contract.Sessions], error) {
	q := events.SessionQuery{Project: p.ID, Limit: in.Limit}
	if o, ok := session.ParseOutcome(in.Outcome); ok {
		q.Outcome = &o
	}
	if in.User != "" {
		user := pipeline.UserHash(p.UserSecret, in.User)
		q.User = &user
	}
	if in.Cursor != "" {
		var c events.SessionCursor
		if err := calls.ReadCursor(in.Cursor, &c); err != nil {
			return nil, err
		}
		q.Before, q.After = c.Started, c.Key
	}
	list, next, err := a.Store.Events.Sessions(ctx, q)
	if err != nil {
		return nil, err
	}
	out := contract.Sessions{Sessions: make([]contract.Session, len(list))}
	for i, row := range list {
		out.Sessions[i] = sessionOf(row)
	}
	if next != nil {
		out.Next = calls.WriteCursor(next)
	}
	return calls.Answer(out), nil
}

func sessionOf(s *events.SessionRow) contract.Session {
	return contract.Session{ID: s.Name, Started: s.Started, DurationMS: s.Duration.Milliseconds(),
		Outcome: s.Outcome.String(), Sequence: int64(s.Sequence), LastReceived: s.Heard, Release: s.Release,
		Environment: s.Environment, HasUser: s.HasUser}
}

// maxFeedback is how much of what people said an event shows.
const maxFeedback = 20

// FeedbackPage asks for a page of feedback.
type FeedbackPage struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor string `query:"cursor"`
}

func (a *handlers) feedback(t *calls.Table) {
	calls.OnProject(t, "list-feedback", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		FeedbackPage
		Event string `query:"event" doc:"only what is about this event"`
	}) (*calls.Body[contract.FeedbackList], error) {
		q := events.FeedbackQuery{Project: p.ID}
		if in.Event != "" {
			var err error
			if q.Event, err = uuid.Parse(in.Event); err != nil {
				return nil, problem.New(problem.BadInput, "%q is no event id: it must be a UUID", in.Event)
			}
		}
		return a.feedbackPage(ctx, p, q, in.FeedbackPage)
	})
	calls.OnIssue(t, "list-issue-feedback", func(ctx context.Context, p *projects.Project, is *issues.Issue,
		in *struct {
			calls.IssuePath
			FeedbackPage
		}) (*calls.Body[contract.FeedbackList], error) {
		return a.feedbackPage(ctx, p, events.FeedbackQuery{Project: p.ID, Issue: is.ID}, in.FeedbackPage)
	})
}

type feedbackCursor struct{ Before int64 }

func (a *handlers) feedbackPage(ctx context.Context, p *projects.Project, q events.FeedbackQuery,
	page FeedbackPage) (*calls.Body[contract.FeedbackList], error) {
	q.Limit = page.Limit
	if page.Cursor != "" {
		var c feedbackCursor
		if err := calls.ReadCursor(page.Cursor, &c); err != nil {
			return nil, err
		}
		q.Before = c.Before
	}
	list, next, err := a.Store.Events.FeedbackList(ctx, q)
	if err != nil {
		return nil, err
	}
	out := contract.FeedbackList{Feedback: feedbackOf(p.Name, list)}
	if next != 0 {
		out.Next = calls.WriteCursor(feedbackCursor{next})
	}
	return calls.Answer(out), nil
}

func feedbackOf(project string, list []events.FeedbackRow) []contract.Feedback {
	out := make([]contract.Feedback, len(list))
	for i, f := range list {
		out[i] = contract.Feedback{ID: f.ID.String(), Time: f.At, Received: f.Received, Text: f.Text, Cut: f.Cut,
			Name: f.Name, Email: f.Email, Event: rows.IDText(f.Event), Release: f.Release, Environment: f.Environment}
		if f.Issue != 0 {
			out[i].Issue = fmt.Sprintf("%s/%d", project, f.Issue)
		}
	}
	return out
}
