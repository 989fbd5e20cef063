// Package similar finds issues that look alike or occur together, and reviews the grouping of a
// project.
package similar

import (
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
)

// Service compares issues. It is safe for concurrent use.
type Service struct {
	db     *db.DB
	events *events.Store
	issues *issues.Store
}

// New makes a service.
func New(d *db.DB, event *events.Store, issue *issues.Store) *Service {
	return &Service{db: d, events: event, issues: issue}
}
