package worker

import (
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/feedback"
	"firethorn/internal/core/session"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/usecase/ingest"
)

// words is what a turn files beside events.
type words struct {
	sessions []ingest.SessionMessage
	feedback []*ingest.Said
}

// hear reads what a batch tells of sessions and what people said. Intake has
// read it before; what cannot be read again is set aside.
func (t *turn) hear(b *pipeline.Batch) {
	at := func(e *event.Event) time.Time {
		return e.Clock(b.Sent, b.Received, time.Duration(t.project.KeepDays)*24*time.Hour).Thrown
	}
	for _, w := range b.Sessions {
		m, err := session.Decode(w.Raw, b.Resource)
		if err != nil {
			t.wordAside(b.Words([]pipeline.Word{w}, nil), err)
			continue
		}
		t.said.sessions = append(t.said.sessions,
			ingest.SessionMessage{Message: m, Started: at(&m.About), Received: b.Received, User: w.User})
	}
	for _, w := range b.Feedback {
		f, err := feedback.Decode(w.Raw, b.Resource)
		if err != nil {
			t.wordAside(b.Words(nil, []pipeline.Word{w}), err)
			continue
		}
		f.ID = w.ID
		t.said.feedback = append(t.said.feedback,
			&ingest.Said{Feedback: f, At: at(&f.About), Received: b.Received, User: w.User})
	}
}

func (t *turn) wordAside(b *pipeline.Batch, why error) {
	id := uuid.Must(uuid.NewV7())
	t.aside = append(t.aside,
		inbox.Aside{Project: t.project.ID, Received: b.Received, Why: why.Error(), Event: id, Packed: pipeline.Pack(b)})
}
