// Package pipeline turns stored batches into items ready to be filed: decode,
// correct the clock, symbolicate, fingerprint. It declares what it needs of
// the store; it does not file anything itself.
//
// Reading order: Batch (what intake stored), Process (the steps), Item (what
// comes out), Units (the symbols, cached).
package pipeline

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/symbolicate"
)

// Project is what the steps must know of a project.
type Project struct {
	ID         int64
	Name       string
	KeepDays   int
	UserSecret []byte
}

// Batch is what intake stored of one request: scrubbed, not yet decoded.
type Batch struct {
	Sent     time.Time         // by the sender's clock; zero when it did not say
	Resource json.RawMessage   // the default for every event
	IDs      []uuid.UUID       // one for each event, made by intake where the sender gave none
	Events   []json.RawMessage // each valid JSON
	Received time.Time
}

// Alone is the batch that holds event i and nothing else.
func (b *Batch) Alone(i int) *Batch {
	return &Batch{Sent: b.Sent, Received: b.Received, Resource: b.Resource, IDs: b.IDs[i : i+1], Events: b.Events[i : i+1]}
}

// Item is one event ready to be filed.
type Item struct {
	ID                   uuid.UUID
	When                 event.When
	Received             time.Time
	Event                *event.Event
	Print                fingerprint.Result
	Release, Environment string
	User                 int64 // hash of project and identity
	HasUser              bool
	Body                 []byte // packed Body, not compressed
}

// Body is what is kept of an event beside its row: all that was sent, and the
// frames as they were resolved when it was filed.
type Body struct {
	Event    json.RawMessage
	Resource json.RawMessage
	Filed    FiledWith
}

// FiledWith is what was made of an event when it was filed.
type FiledWith struct {
	Frames [][]event.Frame `json:"frames,omitempty"`
	Notes  []string        `json:"notes,omitempty"` // of the clock
}

// Process runs one event of a batch through the steps. symbols resolves the
// frames of the event's release.
func Process(ctx context.Context, p Project, b *Batch, i int, units *Units) (*Item, error) {
	e, err := event.Decode(b.Events[i], event.DefaultLimits)
	if err != nil {
		return nil, err
	}
	if err := mergeResource(e, b.Resource); err != nil {
		return nil, err
	}
	item := &Item{ID: b.IDs[i], Received: b.Received, Event: e, Release: event.TrimText(e.Release(), 250), Environment: event.TrimText(e.Environment(), 250)}
	item.When = e.Clock(b.Sent, b.Received, time.Duration(p.KeepDays)*24*time.Hour)
	if _, identity := e.Identity(); identity != "" {
		item.User, item.HasUser = UserHash(p.UserSecret, identity), true
	}
	symbols := units.Of(ctx, p, item.Release)
	frames := symbolicate.Event(e, symbols, symbolicate.Options{})
	if err := symbols.Err(); err != nil {
		return nil, err
	}
	item.Print = fingerprint.Compute(e, frames)
	body := Body{Event: b.Events[i], Resource: b.Resource, Filed: FiledWith{Frames: frames}}
	if item.When.Reason != "" {
		body.Filed.Notes = append(body.Filed.Notes, item.When.Reason)
	}
	item.Body, err = body.Pack()
	return item, err
}

// Read undoes a kept body and makes its frames readable anew, with their
// source lines, by the symbols there are now.
func Read(ctx context.Context, p Project, raw []byte, units *Units) (*event.Event, [][]event.Frame, error) {
	b, err := UnpackBody(raw)
	if err != nil {
		return nil, nil, fmt.Errorf("a kept event cannot be read: %w", err)
	}
	e, err := event.Decode(b.Event, event.DefaultLimits)
	if err != nil {
		return nil, nil, err
	}
	if err := mergeResource(e, b.Resource); err != nil {
		return nil, nil, err
	}
	e.Notes = append(e.Notes, b.Filed.Notes...)
	symbols := units.Of(ctx, p, e.Release())
	frames := symbolicate.Event(e, symbols, symbolicate.Options{Sources: true})
	if err := symbols.Err(); err != nil {
		return nil, nil, err
	}
	keepResolved(frames, b.Filed.Frames)
	symbolicate.MarkOrigin(e.Exceptions, frames)
	return e, frames, nil
}

// keepResolved takes frames that were resolved when they were filed where the
// symbols have gone since.
func keepResolved(now, then [][]event.Frame) {
	for i := range now {
		for j := range now[i] {
			now[i][j].Origin = false
			if i < len(then) && j < len(then[i]) && now[i][j].WhyRaw != "" && then[i][j].WhyRaw == "" {
				now[i][j] = then[i][j]
				now[i][j].Origin = false
			}
		}
	}
}

func mergeResource(e *event.Event, raw json.RawMessage) error {
	if len(raw) == 0 {
		return nil
	}
	var base event.Attributes
	if err := json.Unmarshal(raw, &base); err != nil {
		return fmt.Errorf("the envelope's resource: %w", err)
	}
	for k, v := range e.Resource {
		base[k] = v
	}
	e.Resource = base
	return nil
}

// UserHash is the first 64 bits of HMAC-SHA-256 over an identity, under the
// project's secret.
func UserHash(secret []byte, identity string) int64 {
	h := hmac.New(sha256.New, secret)
	h.Write([]byte(identity))
	return int64(binary.BigEndian.Uint64(h.Sum(nil)))
}
