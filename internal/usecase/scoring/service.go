// Package scoring gives issues their impact anew as time passes, and looks for
// surges.
package scoring

import (
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/status"
)

// Service scores issues and finds surges. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	issues   *issues.Store
	releases *releases.Store
	status   *status.Service
}

// New makes a service.
func New(d *db.DB, issue *issues.Store, release *releases.Store, statu *status.Service) *Service {
	return &Service{db: d, issues: issue, releases: release, status: statu}
}
