// Package accounts keeps people, teams, tokens and sign-ins, and says what
// each token or session may do.
package accounts

import (
	"firethorn/internal/db"
)

// Store reads and writes people, teams, tokens and sign-ins. It is safe for concurrent use.
type Store struct {
	db *db.DB
}

// New makes a store.
func New(d *db.DB) *Store {
	return &Store{db: d}
}
