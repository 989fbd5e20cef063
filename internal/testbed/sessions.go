package testbed

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/feedback"
	"firethorn/internal/core/session"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/usecase/ingest"
)

// AddSessions files messages about sessions, each a JSON object, in one transaction.
func (b *Bench) AddSessions(user int64, messages ...string) {
	b.T.Helper()
	f := b.Batch()
	for _, text := range messages {
		m, err := session.Decode(json.RawMessage(text), nil)
		if err != nil {
			b.T.Fatal(err)
		}
		started := b.Now
		if t, err := time.Parse(time.RFC3339, m.Started); err == nil {
			started = t
		}
		f.Sessions = append(f.Sessions,
			ingest.SessionMessage{Message: m, Started: started, Received: b.Now,
				User: pipeline.User{Set: user != 0, Hash: user}})
	}
	if _, err := b.Ingest.Process(b.T.Context(), f); err != nil {
		b.T.Fatal(err)
	}
}

// Outcomes are the counts of all days, in words.
func (b *Bench) Outcomes() string {
	b.T.Helper()
	list, err := b.Events.SessionCounts(b.T.Context(), b.Project.ID, b.Now.AddDate(0, 0, -300), b.Now, false)
	if err != nil {
		b.T.Fatal(err)
	}
	all := map[string]int64{}
	for _, c := range list {
		for o, n := range c.Outcomes {
			all[c.Release+" "+o.String()] += n
		}
	}
	return fmt.Sprint(all)
}

// Say files feedback about the event of an occurrence.
func (b *Bench) Say(id, about, text string) {
	b.T.Helper()
	f := b.Batch()
	said := &ingest.Feedback{
		Feedback: &feedback.Feedback{ID: uuid.NewSHA1(uuid.Nil, []byte(id)), Text: text},
		At:       b.Now,
		Received: b.Now,
		User:     pipeline.User{Set: true, Hash: 77},
	}
	if about != "" {
		said.Event = uuid.NewSHA1(uuid.Nil, []byte(about))
	}
	f.Feedback = []*ingest.Feedback{said}
	if _, err := b.Ingest.Process(b.T.Context(), f); err != nil {
		b.T.Fatal(err)
	}
}

// FeedbackTexts are the texts about an issue, newest first; 0 is the whole project.
func (b *Bench) FeedbackTexts(number int64) string {
	b.T.Helper()
	q := events.FeedbackQuery{Project: b.Project.ID, Limit: 10}
	if number != 0 {
		q.Issue = b.Issue(number).ID
	}
	list, _, err := b.Events.FeedbackList(b.T.Context(), q)
	if err != nil {
		b.T.Fatal(err)
	}
	var out []string
	for _, f := range list {
		out = append(out, fmt.Sprintf("%s(%d)", f.Text, f.Issue))
	}
	return fmt.Sprint(out)
}
