package testbed

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/usecase/ingest"
)

// Report is a report of an exception as OpenTelemetry's exporters send it.
type Report struct {
	Log     bool
	Span    string
	Parent  string
	Message string
	Stack   string
	User    string
	After   time.Duration
	ID      string
	More    map[string]any // attributes
}

func (o Report) json(at time.Time) json.RawMessage {
	attributes := map[string]any{}
	for k, v := range o.More {
		attributes[k] = v
	}
	if o.User != "" {
		attributes["user.id"] = o.User
	}
	x := map[string]any{"type": "TypeError", "message": o.Message}
	if o.Stack != "" {
		x["stack"] = o.Stack
	}
	e := map[string]any{"time": at.Add(o.After).Format(time.RFC3339Nano), "severity": "error", "exceptions": []any{x},
		"attributes": attributes, "resource": map[string]any{"service.version": "1"}, "trace_id": "0AF7",
		"span_id": o.Span}
	if o.Log {
		e["severity"], e["log"] = "warn", map[string]any{"body": "assigning failed"}
	} else {
		e["span"] = map[string]any{"name": "assign", "parent_span_id": o.Parent}
	}
	raw, _ := json.Marshal(e) // a map of plain values
	return raw
}

// AddReports files reports, each call one delivery and one transaction.
func (b *Bench) AddReports(list ...Report) ingest.Done {
	b.T.Helper()
	batch := &pipeline.Batch{Received: b.Now}
	for _, o := range list {
		id := uuid.New()
		if o.ID != "" {
			id = uuid.NewSHA1(uuid.Nil, []byte(o.ID))
		}
		batch.IDs, batch.Events = append(batch.IDs, id), append(batch.Events, o.json(Noon))
	}
	if err := b.Inbox.Append(b.T.Context(), b.Project.ID, batch); err != nil {
		b.T.Fatal(err)
	}
	done, err := b.Ingest.Process(b.T.Context(), b.Batch())
	if err != nil {
		b.T.Fatal(err)
	}
	return done
}

// Only reads the one event there must be, whole.
func (b *Bench) Only() *pipeline.Kept {
	b.T.Helper()
	list, _, err := b.Events.Events(b.T.Context(), events.EventQuery{Project: b.Project.ID, Limit: 10})
	if err != nil || len(list) != 1 {
		b.T.Fatalf("%d events, %v", len(list), err)
	}
	raw, err := b.Events.EventBody(b.T.Context(), list[0])
	if err != nil {
		b.T.Fatal(err)
	}
	kept, err := pipeline.Open(raw)
	if err != nil {
		b.T.Fatal(err)
	}
	return kept
}
