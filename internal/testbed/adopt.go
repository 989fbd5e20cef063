package testbed

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/pipeline"
)

// AddEvent files events of own frames, innermost first, and gives the number of
// issues there are then.
func (b *Bench) AddEvent(message string, functions ...string) int64 {
	b.T.Helper()
	var frames []any
	for i, f := range functions {
		frames = append(frames, map[string]any{"function": f, "file": fmt.Sprintf("src/%s.ts", f), "line": i + 1})
	}
	raw, err := json.Marshal(map[string]any{"exceptions": []any{map[string]any{"type": "GateError", "message": message,
		"frames": frames}}})
	if err != nil {
		b.T.Fatal(err)
	}
	if err := b.Inbox.Append(b.T.Context(), b.Project.ID,
		&pipeline.Batch{Received: b.Now, IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{raw}}); err != nil {
		b.T.Fatal(err)
	}
	if _, err := b.Ingest.Process(b.T.Context(), b.Batch()); err != nil {
		b.T.Fatal(err)
	}
	return b.One("SELECT COUNT(*) FROM issue")
}

// Older makes what is there look as an earlier algorithm would have left it:
// other keys, an earlier number.
func (b *Bench) Older() {
	b.T.Helper()
	for _, q := range []string{
		"UPDATE alias SET grouping_version=1, hash=UNHEX(MD5(hash))",
		"UPDATE variant SET grouping_version=1, hash=UNHEX(MD5(hash)), fingerprint=UNHEX(MD5(fingerprint))",
		"UPDATE project SET grouping_version=1",
	} {
		if _, err := b.DB.ExecContext(b.T.Context(), q); err != nil {
			b.T.Fatal(err)
		}
	}
}

// Printed is the Printer of a binary.
func (b *Bench) Printed(ctx context.Context, _ int, body []byte) (key, through fingerprint.Key, err error) {
	e, frames, err := pipeline.Read(ctx, b.Project.Project, body, b.Units)
	if err != nil {
		return key, through, err
	}
	print := fingerprint.Compute(fingerprint.Version, e, frames)
	if print.Caller != "" {
		through = print.Through(e, frames).Key
	}
	return print.Key, through, nil
}
