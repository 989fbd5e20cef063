package testbed

import (
	"encoding/json"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
)

// Many files events in batches of a few hundred.
func (b *Bench) Many(n int, make func(i int) map[string]any) {
	b.T.Helper()
	for from := 0; from < n; from += 250 {
		batch := &pipeline.Batch{Received: b.Now}
		for i := from; i < min(n, from+250); i++ {
			raw, err := json.Marshal(make(i))
			if err != nil {
				b.T.Fatal(err)
			}
			batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, raw)
		}
		if err := b.Inbox.Append(b.T.Context(), b.Project.ID, batch); err != nil {
			b.T.Fatal(err)
		}
		if _, err := b.Ingest.Process(b.T.Context(), b.Batch()); err != nil {
			b.T.Fatal(err)
		}
	}
}

// Received sums what was counted under a cause and rule.
func (b *Bench) Received(cause, rule string) int64 {
	return b.One("SELECT COALESCE(SUM(events),0) FROM received WHERE cause='" + cause + "' AND rule='" + rule + "'")
}
