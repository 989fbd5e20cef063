// Package sampling decides which event bodies are stored. Every event is counted and keeps its row.
// Bodies are stored while an issue has few, then ever more rarely: an issue of a million events has
// about a thousand bodies, spread over its whole life, with at least one for each release, environment
// and day.
//
// The decision depends on nothing but its arguments: made twice for the same
// event in the same state, it comes out alike.
package sampling

import (
	"crypto/sha256"
	"encoding/binary"
	"math"
)

// Always is how many bodies an issue keeps before it begins to choose.
const Always = 100

// Facts are what the decision rests on.
type Facts struct {
	ID      [16]byte // of the event
	Kept    int64    // bodies the issue holds
	Events  int64    // events the issue has counted so far, this one not among them
	FirstOf bool     // the first of its release, environment and day
}

// Reason says why a body is kept.
type Reason string

// The reasons; None is that of a body that is not kept.
const (
	None    Reason = ""
	Among   Reason = "among the first of the issue"
	FirstOf Reason = "the first of its release, environment and day"
	Chosen  Reason = "chosen by its id"
)

// Keep decides about one event. An event that is neither among the first nor
// a first of its kind is chosen with the probability Always/Events, by a hash
// of its id: n events keep about Always·(1+ln(n/Always)) bodies.
func Keep(f Facts) Reason {
	switch {
	case f.Kept < Always:
		return Among
	case f.FirstOf:
		return FirstOf
	case share(f.ID) < Always/math.Max(float64(f.Events), Always):
		return Chosen
	}
	return None
}

// share spreads ids evenly over 0 to 1. Ids are chosen by clients and begin
// with the time, so they are hashed.
func share(id [16]byte) float64 {
	h := sha256.Sum256(id[:])
	return float64(binary.BigEndian.Uint64(h[:])>>11) / (1 << 53)
}
