// Package moves moves variants between issues: merge, split, late symbols, moved code, and undo.
// Background jobs update derived rows.
package moves

import (
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/status"
)

// Service moves variants between issues. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	events   *events.Store
	ingest   *ingest.Service
	issues   *issues.Store
	releases *releases.Store
	status   *status.Service

	// Chunk is how many derived rows follow a move in one transaction.
	Chunk int
}

// Needs are what the service is built on.
type Needs struct {
	DB       *db.DB
	Events   *events.Store
	Ingest   *ingest.Service
	Issues   *issues.Store
	Releases *releases.Store
	Status   *status.Service
}

// New makes a service.
func New(n Needs) *Service {
	return &Service{db: n.DB, events: n.Events, ingest: n.Ingest, issues: n.Issues, releases: n.Releases,
		status: n.Status, Chunk: chunkRows}
}
