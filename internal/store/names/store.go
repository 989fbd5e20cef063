// Package names interns the names of releases, environments and resources: numeric ids for texts, with
// a cache.
package names

import (
	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Store reads and writes interned names. It is safe for concurrent use.
type Store struct {
	db *db.DB

	ids *cache.Cache[Key, int64]
}

// New makes a store.
func New(d *db.DB) *Store {
	return &Store{db: d, ids: newCache()}
}
