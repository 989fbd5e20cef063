// Package records opens the database and builds all stores and use cases in the order of their
// dependencies.
package records

import (
	"context"
	"log/slog"
	"time"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/schema"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/segments"
	"firethorn/internal/store/symbolstore"
	"firethorn/internal/usecase/alerting"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/health"
	"firethorn/internal/usecase/indexing"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/overview"
	"firethorn/internal/usecase/regrouping"
	"firethorn/internal/usecase/retention"
	"firethorn/internal/usecase/scoring"
	"firethorn/internal/usecase/similar"
	"firethorn/internal/usecase/status"
	"firethorn/internal/usecase/tickets"
	"firethorn/internal/usecase/trails"
	"firethorn/internal/usecase/triage"
)

// Records are the stores and use cases of one database.
type Records struct {
	DB     *db.DB
	Schema *schema.Schema

	Audit      *audit.Store
	Names      *names.Store
	Accounts   *accounts.Store
	Projects   *projects.Store
	Inbox      *inbox.Store
	Releases   *releases.Store
	Events     *events.Store
	Issues     *issues.Store
	Symbols    *symbolstore.Store
	Attributes *segments.Attributes

	Status     *status.Service
	Scoring    *scoring.Service
	Ingest     *ingest.Service
	Moves      *moves.Service
	Triage     *triage.Service
	Similar    *similar.Service
	Regrouping *regrouping.Service
	Retention  *retention.Service
	Overview   *overview.Service
	Find       *find.Service
	Health     *health.Service
	Trails     *trails.Service
	Alerting   *alerting.Service
	Tickets    *tickets.Service
	Indexing   *indexing.Service
}

// Options of Open.
type Options struct {
	DSN   string // go-sql-driver's form: user:password@tcp(host:port)/database
	Now   func() time.Time
	Log   *slog.Logger
	Ahead time.Duration // that Now is set ahead on purpose, for tests of days to come
	// NewerSchema lets this version use a schema that a newer one made.
	NewerSchema bool
	// SearchMemory is how much memory the search index may use, in bytes; 0: enough for tests.
	SearchMemory int
}

// Open connects, brings the schema up to date, and builds what works on it.
func Open(ctx context.Context, opt Options) (*Records, error) {
	d, err := db.Open(ctx, db.Options{DSN: opt.DSN, Now: opt.Now, Log: opt.Log, Ahead: opt.Ahead})
	if err != nil {
		return nil, err
	}
	tables, err := schema.Open(ctx, d, opt.NewerSchema)
	if err != nil {
		d.Close()
		return nil, err
	}
	return build(d, tables, opt.SearchMemory), nil
}

func build(d *db.DB, tables *schema.Schema, searchMemory int) *Records {
	r := &Records{DB: d, Schema: tables}
	r.Audit = audit.New(d)
	r.Names = names.New(d)
	r.Accounts = accounts.New(d)
	r.Projects = projects.New(d, r.Schema)
	r.Inbox = inbox.New(d)
	r.Releases = releases.New(d)
	r.Events = events.New(d)
	r.Issues = issues.New(d)
	r.Status = status.New(d, r.Issues, r.Names, r.Releases)
	r.Symbols = symbolstore.New(d, r.Names)
	r.Scoring = scoring.New(d, r.Events, r.Issues, r.Releases, r.Status)
	r.Attributes = segments.NewAttributes(d, r.Names)
	identities := segments.NewIdentities(d)
	codec := columns.NewCodec()
	r.Ingest = ingest.New(ingest.Needs{DB: d, Accounts: r.Accounts, Attributes: r.Attributes, Codec: codec,
		Identities: identities, Events: r.Events, Inbox: r.Inbox, Issues: r.Issues, Names: r.Names,
		Projects: r.Projects, Releases: r.Releases, Status: r.Status})
	r.Moves = moves.New(moves.Needs{DB: d, Events: r.Events, Ingest: r.Ingest, Issues: r.Issues, Releases: r.Releases,
		Status: r.Status})
	r.Triage = triage.New(triage.Needs{DB: d, Accounts: r.Accounts, Issues: r.Issues, Moves: r.Moves,
		Releases: r.Releases, Status: r.Status})
	r.Similar = similar.New(d, r.Events, r.Issues)
	r.Regrouping = regrouping.New(d, r.Events, r.Issues, r.Moves, r.Projects)
	r.Indexing = indexing.New(indexing.Needs{DB: d, Attributes: r.Attributes, Codec: codec,
		Identities: identities, Events: r.Events, Names: r.Names, Projects: r.Projects})
	r.Retention = retention.New(retention.Needs{DB: d, Events: r.Events, Identities: identities, Inbox: r.Inbox,
		Index: r.Indexing, Ingest: r.Ingest, Issues: r.Issues, Moves: r.Moves, Projects: r.Projects,
		Schema: r.Schema, Status: r.Status, Symbols: r.Symbols})
	r.Overview = overview.New(d, r.Events, r.Issues)
	r.Find = find.New(find.Needs{DB: d, Attributes: r.Attributes, Codec: codec, Events: r.Events,
		Issues: r.Issues, Releases: r.Releases, CacheBytes: searchMemory})
	r.Health = health.New(d, r.Find, r.Events, r.Issues, r.Releases)
	r.Trails = trails.New(d, r.Events, r.Find)
	r.Tickets = tickets.New(tickets.Needs{DB: d, Issues: r.Issues, Projects: r.Projects, Status: r.Status,
		Triage: r.Triage, Log: d.Log})
	r.Alerting = alerting.New(alerting.Needs{DB: d, Accounts: r.Accounts, Events: r.Events, Issues: r.Issues,
		Projects: r.Projects, Releases: r.Releases, Health: r.Health, Tickets: r.Tickets, Log: d.Log})
	return r
}

// Close ends what writes in the background, and all connections.
func (r *Records) Close() error {
	r.Inbox.Close()
	return r.DB.Close()
}
