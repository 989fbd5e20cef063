// Package triage carries out people's decisions: about one issue, about many, in a round. It also has
// comments, hand-over, and what happened since a decision.
package triage

import (
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/status"
)

// Service carries out what people decide. It is safe for concurrent use.
type Service struct {
	db       *db.DB
	accounts *accounts.Store
	issues   *issues.Store
	moves    *moves.Service
	releases *releases.Store
	status   *status.Service
}

// Needs are what the service is built on.
type Needs struct {
	DB       *db.DB
	Accounts *accounts.Store
	Issues   *issues.Store
	Moves    *moves.Service
	Releases *releases.Store
	Status   *status.Service
}

// New makes a service.
func New(n Needs) *Service {
	return &Service{db: n.DB, accounts: n.Accounts, issues: n.Issues, moves: n.Moves, releases: n.Releases,
		status: n.Status}
}
