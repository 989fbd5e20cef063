package worker

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
)

// harbour stands in for the whole database: one project with deliveries that wait.
type harbour struct {
	Grouping
	Symbols

	mu       sync.Mutex
	waiting  []inbox.Delivery
	suspects []uuid.UUID
	written  []ingest.Batch
	write    func(b ingest.Batch) error // decides about a batch
	released bool
}

func (h *harbour) TakeLeases(context.Context, uuid.UUID, time.Duration) ([]inbox.Lease, error) {
	return []inbox.Lease{{Shard: inbox.ShardOf(7)}}, nil
}

func (h *harbour) ReleaseLeases(context.Context, uuid.UUID) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.released = true
	return nil
}

func (h *harbour) Waiting(context.Context, []inbox.Lease) ([]int64, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.waiting) == 0 {
		return nil, nil
	}
	return []int64{7}, nil
}

func (h *harbour) Claim(context.Context, inbox.Lease, int64, bool) (*inbox.Claim, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return &inbox.Claim{Project: 7, Deliveries: h.waiting, Tries: 1}, nil
}

func (h *harbour) Suspect(_ context.Context, _ *inbox.Claim, event uuid.UUID) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.suspects = append(h.suspects, event)
	return nil
}

func (h *harbour) ProjectByID(context.Context, int64) (*projects.Project, error) {
	return &projects.Project{Project: pipeline.Project{ID: 7, Name: "quayside", KeepDays: 30,
		GroupingVersion: fingerprint.Version}}, nil
}

func (h *harbour) GiveRules(context.Context, *projects.Project, int) error { return nil }

func (h *harbour) SwitchOff(context.Context, int64, projects.RuleOff) error { return nil }

func (h *harbour) Process(_ context.Context, b ingest.Batch) (ingest.Done, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := h.write(b); err != nil {
		return ingest.Done{}, err
	}
	h.written = append(h.written, b)
	if len(b.Deliveries) > 0 {
		h.waiting = nil
	}
	return ingest.Done{Events: len(b.Items)}, nil
}

// work lets a worker do what waits in the harbour, and ends it.
func (h *harbour) work(t *testing.T, events ...string) {
	t.Helper()
	batch := &pipeline.Batch{Received: time.Now().UTC()}
	for _, e := range events {
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, json.RawMessage(e))
	}
	h.waiting = []inbox.Delivery{{ID: uuid.New(), Batches: []*pipeline.Batch{batch}}}
	w := New(Needs{Queue: h, Projects: h, Batches: h, Grouping: h, Symbols: h, Log: slog.New(slog.DiscardHandler),
		Owner: uuid.New()})
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- w.Run(ctx, nil) }()
	time.Sleep(30 * time.Second)
	synctest.Wait()
	stop()
	if err := <-ended; err != nil {
		t.Fatal(err)
	}
	if !h.released {
		t.Error("the shards were not let go")
	}
}

func TestWorker_TriesAgainWhatFailedOutsideTheEvents(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		tries := 0
		h := &harbour{write: func(ingest.Batch) error {
			if tries++; tries < 4 {
				return inbox.ErrLeaseLost
			}
			return nil
		}}
		h.work(t, `{"message":"one"}`, `{"message":"two"}`)
		if len(h.written) != 1 || len(h.written[0].Items) != 2 || len(h.suspects) != 0 {
			t.Errorf("%d batches after %d tries, %d suspects; want one batch of two events", len(h.written), tries, len(h.suspects))
		}
	})
}

func TestWorker_FailsTheEventThatBreaksItsBatch(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &harbour{write: func(b ingest.Batch) error {
			for _, it := range b.Items {
				if it.Event.Message == "bad" {
					return errors.New("the row is too long")
				}
			}
			return nil
		}}
		h.work(t, `{"message":"one"}`, `{"message":"bad"}`, `{"message":"two"}`)
		filed, failed := 0, 0
		for _, b := range h.written {
			filed, failed = filed+len(b.Items), failed+len(b.Failed)
		}
		if filed != 2 || failed != 1 || len(h.suspects) != 3 {
			t.Errorf("%d filed, %d set aside, %d tried alone; want 2, 1 and 3", filed, failed, len(h.suspects))
		}
	})
}
