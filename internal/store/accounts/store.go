// Package accounts keeps people, teams, roles, tokens and sign-ins, and says what
// each token or session may do.
package accounts

import (
	"firethorn/internal/db"
)

// Store reads and writes people, teams and their roles, and by its two parts tokens
// and sessions. It is safe for concurrent use.
type Store struct {
	*TokenStore
	*SessionStore
	db *db.DB
}

// TokenStore reads and writes tokens.
type TokenStore struct{ db *db.DB }

// SessionStore reads and writes sessions of browsers, and the links that open them.
type SessionStore struct{ db *db.DB }

// New makes a store.
func New(d *db.DB) *Store {
	return &Store{TokenStore: &TokenStore{d}, SessionStore: &SessionStore{d}, db: d}
}
