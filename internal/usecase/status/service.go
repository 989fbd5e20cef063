// Package status changes the status of issues, by people and automatically: state, list row, history
// and notices.
package status

import (
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/names"
	"firethorn/internal/store/releases"
)

// Service changes the status of issues. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	issues   *issues.Store
	names    *names.Store
	releases *releases.Store
}

// New makes a service.
func New(d *db.DB, issue *issues.Store, name *names.Store, release *releases.Store) *Service {
	return &Service{db: d, issues: issue, names: name, releases: release}
}
