// Package regrouping regroups stored events by other rules or a newer grouping version, and undoes it.
package regrouping

import (
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// Service regroups stored events. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	events   *events.Store
	issues   *issues.Store
	moves    *moves.Service
	projects *projects.Store
}

// New makes a service.
func New(d *db.DB, event *events.Store, issue *issues.Store, move *moves.Service, project *projects.Store) *Service {
	return &Service{db: d, events: event, issues: issue, moves: move, projects: project}
}
