package mariadb

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// bench is a store with one project and a lease on all shards.
type bench struct {
	*Store
	t       *testing.T
	project *Project
	leases  []Lease
	owner   uuid.UUID
	units   *pipeline.Units
	now     time.Time

	dsnForTests string
}

func open1(t *testing.T, now time.Time) *bench {
	t.Helper()
	b := &bench{t: t, now: now, owner: uuid.New()}
	b.dsnForTests = testdb.DSN(t)
	s, err := Open(t.Context(), Options{DSN: b.dsnForTests, Now: func() time.Time { return b.now }})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	b.Store, b.units = s, pipeline.NewUnits(s, 1<<20)
	s.maxSkew = 200 * 365 * 24 * time.Hour // the database keeps its own clock
	if b.project, _, err = s.CreateProject(t.Context(), "quayside", 30); err != nil {
		t.Fatal(err)
	}
	if b.leases, err = s.TakeLeases(t.Context(), b.owner, time.Hour); err != nil || len(b.leases) != Shards {
		t.Fatalf("%d leases, %v", len(b.leases), err)
	}
	return b
}

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// occur is one event of a test.
type occur struct {
	id       string
	function string
	user     string
	release  string
	at       time.Time
	stands   int
	env      string
	session  string
}

func (o occur) json() json.RawMessage {
	e := map[string]any{
		"time": o.at.Format(time.RFC3339Nano), "handled": false, "stands_for": max(1, o.stands),
		"exceptions": []any{map[string]any{"type": "TypeError", "message": "x", "frames": []any{map[string]any{"function": o.function, "file": "src/tides.ts", "line": 17}}}},
		"resource":   map[string]any{"service.version": o.release},
	}
	if o.env != "" {
		e["resource"].(map[string]any)["deployment.environment.name"] = o.env
	}
	if o.at.IsZero() {
		delete(e, "time")
	}
	if o.user != "" {
		e["attributes"] = map[string]any{"user.id": o.user}
	}
	if o.session != "" {
		e["attributes"] = map[string]any{"session.id": o.session}
	}
	raw, _ := json.Marshal(e) // a map of plain values
	return raw
}

// store puts events into the inbox as one batch.
func (b *bench) store(list ...occur) {
	b.t.Helper()
	batch := &pipeline.Batch{Received: b.now}
	for _, o := range list {
		id := uuid.New()
		if o.id != "" {
			id = uuid.NewSHA1(uuid.Nil, []byte(o.id))
		}
		batch.IDs, batch.Events = append(batch.IDs, id), append(batch.Events, o.json())
	}
	if err := b.Append(b.t.Context(), b.project.ID, batch); err != nil {
		b.t.Fatal(err)
	}
}

// filing makes the transaction for all that waits.
func (b *bench) filing() Filing {
	b.t.Helper()
	c, err := b.Claim(b.t.Context(), b.leases[ShardOf(b.project.ID)], b.project.ID, false)
	if err != nil {
		b.t.Fatal(err)
	}
	f := Filing{Project: b.project.Project, Lease: b.leases[ShardOf(b.project.ID)], Deliveries: c.Deliveries}
	for _, d := range c.Deliveries {
		for _, batch := range d.Batches {
			for i := range batch.Events {
				it, err := pipeline.Process(b.t.Context(), b.project.Project, batch, i, b.units)
				if err != nil {
					b.t.Fatal(err)
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

// file files events through the inbox.
func (b *bench) file(list ...occur) Filed {
	b.t.Helper()
	b.store(list...)
	done, err := b.File(b.t.Context(), b.filing())
	if err != nil {
		b.t.Fatal(err)
	}
	return done
}

func (b *bench) issue(n int64) *Issue {
	b.t.Helper()
	is, err := b.Issue(b.t.Context(), b.project, n)
	if err != nil {
		b.t.Fatal(err)
	}
	return is
}

func (b *bench) recounted() {
	b.t.Helper()
	diff, _, err := b.Recount(b.t.Context())
	if err != nil || len(diff) > 0 {
		b.t.Errorf("recount: %+v, %v", diff, err)
	}
}

// fixedIn is the decision that an issue is fixed in a release.
func fixedIn(version string) issue.Action {
	return issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixRelease, FixedIn: version}}
}
