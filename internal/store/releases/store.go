// Package releases keeps releases, their commits and deploys, and puts releases
// in order.
package releases

import (
	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Store reads and writes releases, deploys, commits and bundles. It is safe for concurrent use.
type Store struct {
	db *db.DB

	graphs  *cache.Cache[int64, heldGraph]
	counted *cache.Cache[int64, counted]
}

// New makes a store.
func New(d *db.DB) *Store {
	return &Store{db: d, graphs: newGraphs(), counted: newCounted()}
}
