package worker

import (
	"context"
	"encoding/json"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/mariadb"
	"firethorn/internal/pipeline"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

type bench struct {
	*mariadb.Store
	project *mariadb.Project
	w       *Worker
}

func prepare(t *testing.T) *bench {
	t.Helper()
	store, err := mariadb.Open(t.Context(), mariadb.Options{DSN: testdb.DSN(t)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { store.Close() })
	p, _, err := store.CreateProject(t.Context(), "quayside", 7)
	if err != nil {
		t.Fatal(err)
	}
	return &bench{store, p, New(store, pipeline.NewUnits(store, 1<<20), slog.New(slog.DiscardHandler), uuid.New(), nil)}
}

func (b *bench) put(t *testing.T, events ...string) {
	t.Helper()
	batch := &pipeline.Batch{Received: time.Now().UTC()}
	for _, e := range events {
		batch.IDs, batch.Events = append(batch.IDs, uuid.New()), append(batch.Events, json.RawMessage(e))
	}
	if err := b.Append(t.Context(), b.project.ID, batch); err != nil {
		t.Fatal(err)
	}
}

// run lets the worker work until the inbox is empty.
func (b *bench) run(t *testing.T) {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- b.w.Run(ctx) }()
	for until := time.Now().Add(10 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		st, err := b.Inbox(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if st.Rows == 0 {
			break
		}
		if time.Now().After(until) {
			t.Fatalf("%+v waits", st)
		}
	}
	stop()
	if err := <-done; err != nil {
		t.Fatal(err)
	}
}

func (b *bench) counts(t *testing.T) (filed, aside int64) {
	t.Helper()
	totals, err := b.Totals(t.Context(), b.project.ID)
	if err != nil {
		t.Fatal(err)
	}
	st, err := b.Inbox(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return totals.Events, st.SetAside
}

func TestRun_SetsABadEventAsideAndFilesItsNeighbours(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"message":"one"}`, `{"exceptions":"no list","message":"bad"}`, `{"message":"two"}`)
	b.put(t, `{"message":"three"}`)
	b.run(t)
	if filed, aside := b.counts(t); filed != 3 || aside != 1 {
		t.Errorf("%d filed, %d set aside; want 3 and 1", filed, aside)
	}
}

func TestRun_FilesManyProjectsAndLargeBatches(t *testing.T) {
	b := prepare(t)
	var list []string
	for i := range 700 {
		list = append(list, `{"exceptions":[{"type":"E`+strings.Repeat("x", i%9)+`"}],"attributes":{"user.id":"p-`+strings.Repeat("u", i%31)+`"}}`)
	}
	b.put(t, list...)
	b.run(t)
	if filed, _ := b.counts(t); filed != 700 {
		t.Errorf("%d filed, want 700", filed)
	}
	if diff, _, err := b.Recount(t.Context()); err != nil || len(diff) > 0 {
		t.Errorf("recount: %+v, %v", diff, err)
	}
}

func TestRun_LetsGoOfItsShards(t *testing.T) {
	b := prepare(t)
	b.put(t, `{"message":"one"}`)
	b.run(t)
	leases, err := b.TakeLeases(t.Context(), uuid.New(), time.Minute)
	if err != nil || len(leases) != mariadb.Shards {
		t.Errorf("after it ended another gets %d shards, %v", len(leases), err)
	}
}

func TestProcess_TurnsAPanicIntoAnError(t *testing.T) {
	_, err := process(t.Context(), pipeline.Project{}, &pipeline.Batch{IDs: []uuid.UUID{{}}, Events: []json.RawMessage{json.RawMessage(`{"exceptions":[{"type":"E","frames":[{"file":"https://a.example/a.js","line":1}]}]}`)}}, 0, nil)
	if err == nil || !strings.Contains(err.Error(), "the pipeline failed on this event") {
		t.Errorf("process = %v", err)
	}
}
