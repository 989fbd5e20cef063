// Package issues reads issues: the list, one issue, its history, trend and score.
package issues

import (
	"firethorn/internal/cache"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
)

// Store reads and writes issues. It is safe for concurrent use.
type Store struct {
	db *db.DB

	states *cache.Memo[int64, map[issue.State]int64]
}

// New makes a store.
func New(d *db.DB) *Store {
	return &Store{db: d, states: cache.NewMemo[int64](1<<20, func(m map[issue.State]int64) int { return 40 * len(m) })}
}
