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

// messages is what a turn files beside events.
type messages struct {
	sessions []ingest.SessionMessage
	feedback []*ingest.Feedback
}

// addMessages reads what a batch reports sessions and what people said. Intake has
// read it before; what cannot be read again is marked as failed.
func (t *claimed) addMessages(b *pipeline.Batch) {
	at := func(e *event.Event) time.Time {
		return e.Clock(b.Sent, b.Received, time.Duration(t.project.KeepDays)*24*time.Hour).Thrown
	}
	for _, w := range b.Sessions {
		m, err := session.Decode(w.Raw, b.Resource)
		if err != nil {
			t.failMessage(b.OfMessages([]pipeline.Message{w}, nil), err)
			continue
		}
		t.messages.sessions = append(t.messages.sessions,
			ingest.SessionMessage{Message: m, Started: at(&m.About), Received: b.Received, User: w.User})
	}
	for _, w := range b.Feedback {
		f, err := feedback.Decode(w.Raw, b.Resource)
		if err != nil {
			t.failMessage(b.OfMessages(nil, []pipeline.Message{w}), err)
			continue
		}
		f.ID = w.ID
		t.messages.feedback = append(t.messages.feedback,
			&ingest.Feedback{Feedback: f, At: at(&f.About), Received: b.Received, User: w.User})
	}
}

func (t *claimed) failMessage(b *pipeline.Batch, why error) {
	id := uuid.Must(uuid.NewV7())
	t.failed = append(t.failed,
		inbox.FailedEvent{Project: t.project.ID, Received: b.Received, Why: why.Error(), Event: id,
			Packed: pipeline.Pack(b)})
}
