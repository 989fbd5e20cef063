// Package events reads stored events, their bodies, sessions and feedback.
package events

import (
	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Store reads and writes events, bodies, sessions and feedback. It is safe for concurrent use.
type Store struct {
	db *db.DB

	dicts *cache.Cache[int64, *Dictionary]
}

// New makes a store.
func New(d *db.DB) *Store {
	return &Store{db: d, dicts: newDictionaries()}
}
