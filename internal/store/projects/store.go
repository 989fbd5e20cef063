// Package projects keeps projects with their settings, ingest keys, rules files and allowances.
package projects

import (
	"firethorn/internal/cache"
	"firethorn/internal/db"
	"firethorn/internal/schema"
)

// Store reads and writes projects, their ingest keys, rules files and allowances.
// It is safe for concurrent use.
type Store struct {
	db     *db.DB
	schema *schema.Schema

	ruleSets *cache.Cache[ruleSetKey, heldRules]
}

// New makes a store.
func New(d *db.DB, tables *schema.Schema) *Store {
	return &Store{db: d, schema: tables, ruleSets: newRuleSets()}
}
