package pipeline

import (
	"encoding/json"

	"github.com/google/uuid"
)

// Message is a message of another kind than an event.
type Message struct {
	ID   uuid.UUID       `json:"id,omitzero"` // of feedback
	Raw  json.RawMessage `json:"raw"`         // scrubbed
	User User            `json:"user,omitzero"`
}

// OfMessages is the batch that holds words and nothing else.
func (b *Batch) OfMessages(sessions, feedback []Message) *Batch {
	return &Batch{Sent: b.Sent, Resource: b.Resource, Received: b.Received, Sessions: sessions, Feedback: feedback}
}

// Messages is how many messages the batch holds, of any kind.
func (b *Batch) Messages() int { return len(b.Events) + len(b.Sessions) + len(b.Feedback) }
