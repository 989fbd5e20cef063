package fingerprint

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"strings"

	"firethorn/internal/core/event"
)

// pendingRaw lists what a provisional variant is bound to: release, debug id
// and the raw frames with their positions. "" when nothing is pending.
func (r *Result) pendingRaw(e *event.Event, frames [][]event.Frame) string {
	var b strings.Builder
	for _, list := range frames {
		for _, f := range list {
			if f.Pending && f.Kind == event.Own {
				r.Provisional = true
			}
		}
	}
	if !r.Provisional {
		return ""
	}
	fmt.Fprintf(&b, "%q", e.Release())
	for _, list := range frames {
		for _, f := range list {
			fmt.Fprintf(&b, "|%q %q %q %d:%d", f.Raw.Function, f.Raw.File, e.DebugID(f.Raw.File), f.Raw.Line,
				f.Raw.Column)
		}
	}
	return b.String()
}

// hash is the key of all parts.
func (r *Result) hash(extra string) Key { return hashOf(r.Parts, extra) }

// hashOf is the first half of the SHA-256 over parts, each with its length.
func hashOf(parts []Part, extra string) Key {
	h := sha256.New()
	put := func(s string) {
		var n [4]byte
		binary.BigEndian.PutUint32(n[:], uint32(len(s)))
		h.Write(n[:])
		h.Write([]byte(s))
	}
	for _, p := range parts {
		put(p.What)
		put(p.Value)
	}
	if extra != "" {
		put("pending")
		put(extra)
	}
	return Key(h.Sum(nil)[:16])
}
