// Package projects keeps projects with their settings, ingest keys and rules
// files, and the allowance of what may be reported.
package projects

import (
	"firethorn/internal/db"
	"firethorn/internal/schema"
)

// Store reads and writes what the package is for. It is safe for concurrent use.
type Store struct {
	db     *db.DB
	schema *schema.Schema

	ruleSets ruleSets
}

// New makes the store.
func New(d *db.DB, tables *schema.Schema) *Store {
	return &Store{db: d, schema: tables}
}
