package db

import (
	"cmp"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
)

// Micros is a time as it is stored: microseconds since 1970-01-01 UTC.
func Micros(t time.Time) int64 { return t.UnixMicro() }

// FromMicros reads a stored time.
func FromMicros(n int64) time.Time { return time.UnixMicro(n).UTC() }

// Day is the number of days since 1970-01-01 UTC.
func Day(t time.Time) int { return int(t.Unix() / 86400) }

// NullID is an id, or NULL for 0.
func NullID(id int64) any {
	if id == 0 {
		return nil
	}
	return id
}

// NullUUID is an id, or NULL for the nil one.
func NullUUID(id uuid.UUID) any {
	if id == uuid.Nil {
		return nil
	}
	return id[:]
}

// NameHash is the hash that names are found by.
func NameHash(name string) [16]byte {
	h := sha256.Sum256([]byte(name))
	return [16]byte(h[:16])
}

// Hash16 is the NameHash of a text, or NULL for an empty one.
func Hash16(s string) any {
	if s == "" {
		return nil
	}
	h := NameHash(s)
	return h[:]
}

// Unhex reads a hash that was checked before; nil for anything else.
func Unhex(s string) []byte {
	b, err := hex.DecodeString(s)
	if err != nil {
		return nil
	}
	return b
}

// BigEndian is a number in eight bytes, in the order of the numbers.
func BigEndian(n int64) []byte { return binary.BigEndian.AppendUint64(nil, uint64(n)) }

// NewSecret gives n random bytes.
func NewSecret(n int) []byte {
	b := make([]byte, n)
	rand.Read(b)
	return b
}

// AnyOf gives ids as arguments of a statement.
func AnyOf(list []int64) []any {
	out := make([]any, len(list))
	for i, n := range list {
		out[i] = n
	}
	return out
}

// LikeEscape takes the meaning from the signs that LIKE knows.
func LikeEscape(s string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(s)
}

// SortRows puts rows in the order of their first n columns, all of them int64.
func SortRows(rows [][]any, n int) {
	slices.SortFunc(rows, func(a, b []any) int {
		for i := range n {
			if c := cmp.Compare(a[i].(int64), b[i].(int64)); c != 0 {
				return c
			}
		}
		return 0
	})
}
