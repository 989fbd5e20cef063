// Package scoring updates impact scores over time, and detects surges.
package scoring

import (
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/status"
)

// Service scores issues and finds surges. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	events   *events.Store
	issues   *issues.Store
	releases *releases.Store
	status   *status.Service
}

// New makes a service.
func New(d *db.DB, event *events.Store, issue *issues.Store, release *releases.Store,
	statu *status.Service) *Service {
	return &Service{db: d, events: event, issues: issue, releases: release, status: statu}
}
