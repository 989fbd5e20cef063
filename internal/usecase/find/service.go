// Package find answers searches: matching issues and events, value counts, histograms, and affected
// users.
//
// Reading order: snapshot.go (one consistent view of the index), load.go (columns, by
// way of a cache), compile.go (a search becomes tests on rows), issues.go, events.go,
// facets.go, histogram.go, against.go, users.go (the answers), complete.go (what
// could be written next), saved.go (searches with a name).
//
// An answer is made in one REPEATABLE READ transaction: segments that a merge replaces
// meanwhile are still there for it.
package find

import (
	"firethorn/internal/cache"
	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/members"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/segments"
)

// Service answers searches. It is safe for concurrent use.
type Service struct {
	db         *db.DB
	attributes *segments.Attributes
	events     *events.Store
	issues     *issues.Store
	releases   *releases.Store

	codec   *columns.Codec
	held    *cache.Cache[partKey, any] // what was read of segments
	members *members.Store
}

// Needs are what the service is built on.
type Needs struct {
	DB         *db.DB
	Codec      *columns.Codec
	Attributes *segments.Attributes
	Events     *events.Store
	Issues     *issues.Store
	Releases   *releases.Store
	// CacheBytes bounds the memory for columns; 0: 64 MiB.
	CacheBytes int
}

// New makes a service.
func New(n Needs) *Service {
	if n.CacheBytes == 0 {
		n.CacheBytes = 64 << 20
	}
	return &Service{db: n.DB, attributes: n.Attributes, events: n.Events, issues: n.Issues,
		releases: n.Releases, codec: n.Codec, held: cache.New(n.CacheBytes, partBytes),
		members: members.New()}
}
