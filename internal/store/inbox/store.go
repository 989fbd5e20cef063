// Package inbox keeps received events until they are processed: synced appends,
// batches claimed by lease, failed events, and the totals of what was received.
package inbox

import (
	"firethorn/internal/db"
)

// Store reads and writes waiting batches, failed events and the totals of received events.
// It is safe for concurrent use.
type Store struct {
	db *db.DB

	inbox *appender
}

// New makes a store.
func New(d *db.DB) *Store {
	s := &Store{db: d}
	s.inbox = newAppender(s)
	return s
}

// Close ends the writers, once what waits is written.
func (s *Store) Close() { s.inbox.close() }
