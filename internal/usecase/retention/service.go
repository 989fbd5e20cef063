// Package retention deletes expired data, erases people, deletes issues, and verifies and repairs
// counters.
package retention

import (
	"firethorn/internal/db"
	"firethorn/internal/schema"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
	"firethorn/internal/store/symbolstore"
	"firethorn/internal/usecase/indexing"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/status"
)

// Service deletes, erases, recounts and repairs. It is safe for concurrent use.
type Service struct {
	db          *db.DB
	events      *events.Store
	identities  *segments.Identities
	inbox       *inbox.Store
	index       *indexing.Service
	ingest      *ingest.Service
	issues      *issues.Store
	moves       *moves.Service
	projects    *projects.Store
	schema      *schema.Schema
	status      *status.Service
	symbolstore *symbolstore.Store
}

// Needs are what the service is built on.
type Needs struct {
	DB         *db.DB
	Events     *events.Store
	Identities *segments.Identities
	Inbox      *inbox.Store
	Index      *indexing.Service
	Ingest     *ingest.Service
	Issues     *issues.Store
	Moves      *moves.Service
	Projects   *projects.Store
	Schema     *schema.Schema
	Status     *status.Service
	Symbols    *symbolstore.Store
}

// New makes a service.
func New(n Needs) *Service {
	return &Service{db: n.DB, events: n.Events, identities: n.Identities, inbox: n.Inbox, index: n.Index,
		ingest: n.Ingest, issues: n.Issues,
		moves:    n.Moves,
		projects: n.Projects, schema: n.Schema, status: n.Status, symbolstore: n.Symbols}
}
