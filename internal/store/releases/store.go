// Package releases keeps releases, their commits and deploys, and puts releases
// in order.
package releases

import (
	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Store reads and writes what the package is for. It is safe for concurrent use.
type Store struct {
	db *db.DB

	graphs *cache.Cache[int64, heldGraph]
}

// New makes the store.
func New(d *db.DB) *Store {
	return &Store{db: d, graphs: newGraphs()}
}
