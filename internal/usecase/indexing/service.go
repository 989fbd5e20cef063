// Package indexing maintains the search index: it merges segments, applies later changes to events,
// fills gaps, indexes the words of issues, and verifies the index against the events.
package indexing

import (
	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// Service keeps the index in order. It is safe for concurrent use.
type Service struct {
	db         *db.DB
	events     *events.Store
	attributes *segments.Attributes
	identities *segments.Identities
	names      *names.Store
	projects   *projects.Store
	codec      *columns.Codec

	// Sizes are when segments are merged; tests make them small.
	Sizes Sizes
}

// Sizes say when segments are merged.
type Sizes struct {
	Rows   int // so many of a batch each
	Middle int // or so many events in them
	Large  int // and so many events in what that makes
	Limit  int // of one segment
}

// Needs are what the service is built on.
type Needs struct {
	DB         *db.DB
	Codec      *columns.Codec
	Events     *events.Store
	Attributes *segments.Attributes
	Identities *segments.Identities
	Names      *names.Store
	Projects   *projects.Store
}

// New makes a service.
func New(n Needs) *Service {
	return &Service{
		db:         n.DB,
		events:     n.Events,
		attributes: n.Attributes,
		identities: n.Identities,
		names:      n.Names,
		projects:   n.Projects,
		codec:      n.Codec,
		Sizes:      Sizes{Rows: 64, Middle: 4096, Large: 65_535, Limit: columns.MaxRows},
	}
}
