// Package accounts keeps people, teams, tokens and sign-ins, and says what
// each token or session may do.
package accounts

import (
	"firethorn/internal/db"
)

// Store reads and writes what the package is for. It is safe for concurrent use.
type Store struct {
	db *db.DB
}

// New makes the store.
func New(d *db.DB) *Store {
	return &Store{db: d}
}
