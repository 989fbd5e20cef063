package fingerprint

import (
	"crypto/sha256"
	"encoding/binary"
)

// Part gives the key of a part of k that people split off under a number: of
// the fingerprint, and likewise of a variant. Parts of parts have keys too.
func (k Key) Part(split int64) Key {
	h := sha256.New()
	h.Write([]byte("split"))
	h.Write(k[:])
	var n [8]byte
	binary.BigEndian.PutUint64(n[:], uint64(split))
	h.Write(n[:])
	return Key(h.Sum(nil)[:16])
}
