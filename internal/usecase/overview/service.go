// Package overview reads what the first page and the status page show.
package overview

import (
	"firethorn/internal/cache"
	"firethorn/internal/core/owners"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
)

// Service answers the first page and the status. It is safe for concurrent use.
type Service struct {
	db     *db.DB
	events *events.Store
	issues *issues.Store

	carriers  *cache.Memo[carriersOf, []owners.Person]
	overviews *cache.Memo[int64, *Overview]
}

// New makes a service.
func New(d *db.DB, event *events.Store, issue *issues.Store) *Service {
	return &Service{db: d, events: event, issues: issue,
		carriers:  cache.NewMemo[carriersOf](4<<20, func(list []owners.Person) int { return 100 * len(list) }),
		overviews: cache.NewMemo[int64](1<<20, func(*Overview) int { return 200 }),
	}
}
