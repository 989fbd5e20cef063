// Package testbed gives tests a database with one project, and helpers to report events to it and to
// decide about issues.
package testbed

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/testdb"
	"firethorn/internal/usecase/ingest"
)

// Bench is a database with one project and a lease on all shards.
type Bench struct {
	*records.Records
	T       testing.TB
	Project *projects.Project
	Leases  []inbox.Lease
	Owner   uuid.UUID
	Units   *pipeline.Units
	Now     time.Time

	DSN string
}

func Open(t testing.TB, now time.Time) *Bench {
	t.Helper()
	b := &Bench{T: t, Now: now, Owner: uuid.New()}
	b.DSN = testdb.DSN(t)
	s, err := records.Open(t.Context(), records.Options{DSN: b.DSN, Now: func() time.Time { return b.Now }})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	b.Records, b.Units = s, pipeline.NewUnits(s.Symbols, 1<<20)
	s.DB.MaxSkew = 200 * 365 * 24 * time.Hour // the database keeps its own clock
	if b.Project, _, err = s.Projects.CreateProject(t.Context(),
		projects.NewProject{Name: "quayside", KeepDays: 30}); err != nil {
		t.Fatal(err)
	}
	if b.Leases, err = s.Inbox.TakeLeases(t.Context(), b.Owner, time.Hour); err != nil ||
		len(b.Leases) != inbox.Shards {
		t.Fatalf("%d leases, %v", len(b.Leases), err)
	}
	return b
}

var Noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// Event is one event of a test.
type Event struct {
	ID       string
	Function string
	User     string
	Release  string
	At       time.Time
	Stands   int
	Env      string
	Session  string
	State    string // what the application's state says
}

func (o Event) JSON() json.RawMessage {
	e := map[string]any{
		"time": o.At.Format(time.RFC3339Nano), "handled": false, "stands_for": max(1, o.Stands),
		"exceptions": []any{map[string]any{"type": "TypeError", "message": "x",
			"frames": []any{map[string]any{"function": o.Function, "file": "src/tides.ts", "line": 17}}}},
		"resource": map[string]any{"service.version": o.Release},
	}
	if o.Env != "" {
		e["resource"].(map[string]any)["deployment.environment.name"] = o.Env
	}
	if o.At.IsZero() {
		delete(e, "time")
	}
	attributes := map[string]any{}
	if o.User != "" {
		attributes["user.id"] = o.User
	}
	if o.Session != "" {
		attributes["session.id"] = o.Session
	}
	if len(attributes) > 0 {
		e["attributes"] = attributes
	}
	if o.State != "" {
		e["state"] = o.State
	}
	raw, _ := json.Marshal(e) // a map of plain values
	return raw
}

// Store puts events into the inbox as one batch.
func (b *Bench) Store(list ...Event) {
	b.T.Helper()
	batch := &pipeline.Batch{Received: b.Now}
	for _, o := range list {
		id := uuid.New()
		if o.ID != "" {
			id = uuid.NewSHA1(uuid.Nil, []byte(o.ID))
		}
		batch.IDs, batch.Events = append(batch.IDs, id), append(batch.Events, o.JSON())
	}
	if err := b.Inbox.Append(b.T.Context(), b.Project.ID, batch); err != nil {
		b.T.Fatal(err)
	}
}

// Batch makes the batch of all waiting deliveries.
func (b *Bench) Batch() ingest.Batch {
	b.T.Helper()
	c, err := b.Inbox.Claim(b.T.Context(), b.Leases[inbox.ShardOf(b.Project.ID)], b.Project.ID, false)
	if err != nil {
		b.T.Fatal(err)
	}
	f := ingest.Batch{Project: b.Project.Project, Lease: b.Leases[inbox.ShardOf(b.Project.ID)],
		Deliveries: c.Deliveries}
	for _, d := range c.Deliveries {
		for _, batch := range d.Batches {
			for i := range batch.Events {
				it, err := pipeline.Process(b.T.Context(), b.Project.Project, batch, i, b.Units)
				if err != nil {
					b.T.Fatal(err)
				}
				if it.Verdict.Drop {
					f.Dropped = append(f.Dropped, it)
					continue
				}
				f.Items = append(f.Items, it)
			}
		}
	}
	return f
}

// File files events through the inbox.
func (b *Bench) File(list ...Event) ingest.Done {
	b.T.Helper()
	b.Store(list...)
	done, err := b.Ingest.Process(b.T.Context(), b.Batch())
	if err != nil {
		b.T.Fatal(err)
	}
	return done
}

func (b *Bench) Issue(n int64) *issues.Issue {
	b.T.Helper()
	is, err := b.Issues.Issue(b.T.Context(), b.Project, n)
	if err != nil {
		b.T.Fatal(err)
	}
	return is
}

func (b *Bench) Recounted() {
	b.T.Helper()
	diff, _, err := b.Retention.Recount(b.T.Context())
	if err != nil || len(diff) > 0 {
		b.T.Errorf("recount: %+v, %v", diff, err)
	}
}

// FixedIn is the decision that an issue is fixed in a release.
func FixedIn(version string) issue.Action {
	return issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixRelease, FixedIn: version}}
}
