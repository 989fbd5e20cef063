// Package symbolstore keeps pushed bundles and source maps, and the symbols compiled from them.
package symbolstore

import (
	"firethorn/internal/db"
	"firethorn/internal/store/names"
)

// Store reads and writes pushed symbols and their compiled form. It is safe for concurrent use.
type Store struct {
	db    *db.DB
	names *names.Store
}

// New makes a store.
func New(d *db.DB, name *names.Store) *Store {
	return &Store{db: d, names: name}
}
