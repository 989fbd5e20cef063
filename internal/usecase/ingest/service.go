// Package ingest processes a batch of events in one transaction: variants and
// issues, rows, counters, status and the removal from the inbox.
package ingest

import (
	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/segments"
	"firethorn/internal/usecase/status"
)

// Service processes batches of events. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	accounts *accounts.Store
	events   *events.Store
	inbox    *inbox.Store
	issues   *issues.Store
	names    *names.Store
	projects *projects.Store
	releases *releases.Store
	status   *status.Service

	codec      *columns.Codec
	identities *segments.Identities
	attributes *segments.Attributes
}

// Needs are what the service is built on.
type Needs struct {
	DB         *db.DB
	Accounts   *accounts.Store
	Attributes *segments.Attributes
	Codec      *columns.Codec
	Events     *events.Store
	Identities *segments.Identities
	Inbox      *inbox.Store
	Issues     *issues.Store
	Names      *names.Store
	Projects   *projects.Store
	Releases   *releases.Store
	Status     *status.Service
}

// New makes a service.
func New(n Needs) *Service {
	return &Service{db: n.DB, accounts: n.Accounts, events: n.Events, inbox: n.Inbox, issues: n.Issues, names: n.Names,
		projects: n.Projects, releases: n.Releases, status: n.Status,
		codec: n.Codec, identities: n.Identities, attributes: n.Attributes}
}
