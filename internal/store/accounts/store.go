// Package accounts keeps people, teams, roles, tokens and sign-ins, and the permissions of each token
// or session.
package accounts

import (
	"firethorn/internal/cache"
	"firethorn/internal/core/access"
	"firethorn/internal/db"
)

// Store reads and writes people, teams and their roles, and by its two parts tokens
// and sessions. It is safe for concurrent use.
type Store struct {
	*TokenStore
	*SessionStore
	db    *db.DB
	known *cache.Cache[roleKey, access.Role]
}

// TokenStore reads and writes tokens.
type TokenStore struct {
	db    *db.DB
	known *cache.Cache[roleKey, access.Role]
}

// SessionStore reads and writes sessions of browsers, and the links that open them.
type SessionStore struct {
	db    *db.DB
	known *cache.Cache[roleKey, access.Role]
}

// rolesKnown is how many bytes of roles are kept in memory; one takes about roleBytes.
const (
	rolesKnown = 8 << 20
	roleBytes  = 80
)

// New makes a store.
func New(d *db.DB) *Store {
	known := cache.New(rolesKnown, func(roleKey, access.Role) int { return roleBytes })
	return &Store{TokenStore: &TokenStore{d, known}, SessionStore: &SessionStore{d, known}, db: d, known: known}
}
