// Package events reads stored events, their bodies, sessions and feedback.
package events

import (
	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Store reads and writes what the package is for. It is safe for concurrent use.
type Store struct {
	db *db.DB

	dicts *cache.Cache[int64, *Dictionary]
}

// New makes the store.
func New(d *db.DB) *Store {
	return &Store{db: d, dicts: newDictionaries()}
}
