// Package audit chains audit entries: each entry carries a hash over itself and the hash of the entry
// before, so that a changed, removed or inserted entry is detected. It cannot detect a chain rewritten
// from some entry to the end. To guard against that, note the newest hash elsewhere.
package audit

import (
	"crypto/sha256"
	"encoding/binary"
	"time"
)

// Entry is one action of a person, a token or the service.
type Entry struct {
	ID      int64     // counted from 1, without gaps
	At      time.Time // to the microsecond, UTC
	Kind    string    // of who did it: "person", "token", "service" or "nobody"
	Who     int64     // their id; 0 for the service and nobody
	Name    string    // what they were called then
	Address string    // they did it from; "" where it was no request
	Action  string    // "token created"
	Project string    // it was about; "" for none
	Target  string    // what it was done to
	Before  string    // JSON, without secrets; "" where there was nothing
	After   string    // JSON, without secrets; "" where nothing is left
	Hash    Hash
}

// Hash is what an entry is sealed with: SHA-256.
type Hash [sha256.Size]byte

// Seal is the hash of an entry that follows one with the hash before. Every text is
// written behind its length, so that no two entries are one sequence of bytes.
func Seal(before Hash, e *Entry) Hash {
	h := sha256.New()
	h.Write(before[:])
	number := func(n int64) {
		var raw [8]byte
		binary.BigEndian.PutUint64(raw[:], uint64(n))
		h.Write(raw[:])
	}
	number(e.ID)
	number(e.At.UnixMicro())
	number(e.Who)
	for _, text := range []string{e.Kind, e.Name, e.Address, e.Action, e.Project, e.Target, e.Before, e.After} {
		number(int64(len(text)))
		h.Write([]byte(text))
	}
	return Hash(h.Sum(nil))
}

// Chain checks entries in their order. Make it with the id and the hash of the entry
// before the first one that is kept.
type Chain struct {
	last   int64
	hash   Hash
	broken *Break
}

// Break is where a chain does not hold.
type Break struct {
	ID  int64 // of the first entry that is wrong, or missing
	Why string
}

// NewChain begins behind an entry.
func NewChain(last int64, hash Hash) *Chain { return &Chain{last: last, hash: hash} }

// Add checks the next entry. After the first break nothing is checked any more.
func (c *Chain) Add(e *Entry) {
	switch {
	case c.broken != nil:
		return
	case e.ID != c.last+1:
		c.broken = &Break{c.last + 1, "the entry is missing"}
		return
	case Seal(c.hash, e) != e.Hash:
		c.broken = &Break{e.ID, "the entry is not as it was written"}
		return
	}
	c.last, c.hash = e.ID, e.Hash
}

// End checks that the chain ends where the newest entry was noted; nil: it holds.
func (c *Chain) End(last int64, hash Hash) *Break {
	switch {
	case c.broken != nil:
		return c.broken
	case c.last != last:
		return &Break{c.last + 1, "the entry is missing"}
	case c.hash != hash:
		return &Break{last, "the newest entry is not the one that was noted"}
	}
	return nil
}
