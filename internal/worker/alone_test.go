package worker

import (
	"testing"
	"time"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/usecase/ingest"
)

// A process that ends while events are processed one by one leaves those it has
// processed to nobody: they are counted as processed, and not as repeats as well.
func TestRun_OneByOneCountsOnceAcrossAnEnd(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"message":"one"}`, `{"message":"two"}`, `{"message":"three"}`)
	leases, err := b.Inbox.TakeLeases(t.Context(), b.w.Owner, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	lease := leases[inbox.ShardOf(b.project.ID)]
	for range 2 { // the second try files one by one
		if _, err := b.Inbox.Claim(t.Context(), lease, b.project.ID, false); err != nil {
			t.Fatal(err)
		}
	}
	p, err := b.Projects.ProjectByID(t.Context(), b.project.ID)
	if err != nil {
		t.Fatal(err)
	}
	c, err := b.Inbox.Claim(t.Context(), lease, b.project.ID, false)
	if err != nil {
		t.Fatal(err)
	}
	item, err := pipeline.Process(t.Context(), p.Project, c.Deliveries[0].Batches[0], 1, b.w.Units)
	if err != nil {
		t.Fatal(err)
	}
	// The second event is processed, then the process ends.
	if _, err := b.Ingest.Process(t.Context(), ingest.Batch{Project: p.Project, Lease: lease, Items: []*pipeline.Item{item}, Alone: []byte{2}}); err != nil {
		t.Fatal(err)
	}
	b.run(t)
	now := time.Now().UTC().Truncate(time.Hour)
	rows, err := b.Inbox.Received(t.Context(), b.project.ID, now.Add(-time.Hour), now.Add(2*time.Hour))
	if err != nil {
		t.Fatal(err)
	}
	counts := map[string]int64{}
	for _, r := range rows {
		counts[r.Cause] += r.Events
	}
	if counts[inbox.CauseProcessed] != 3 || counts[inbox.CauseRepeat] != 0 {
		t.Errorf("three events are counted as %v", counts)
	}
}
