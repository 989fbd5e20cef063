package pipeline

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/klauspost/compress/zstd"
)

var (
	encoder = sync.OnceValue(func() *zstd.Encoder {
		e, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(2))
		if err != nil {
			panic(err) // only wrong options fail
		}
		return e
	})
	decoder = sync.OnceValue(func() *zstd.Decoder {
		d, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(256<<20), zstd.WithDecoderConcurrency(0))
		if err != nil {
			panic(err) // only wrong options fail
		}
		return d
	})
)

// Compress is the compression of all that is kept (zstd).
func Compress(raw []byte) []byte { return encoder().EncodeAll(raw, make([]byte, 0, len(raw)/3)) }

// Decompress undoes Compress.
func Decompress(packed []byte) ([]byte, error) { return decoder().DecodeAll(packed, nil) }

// errCut says that packed parts are not whole.
var errCut = errors.New("packed data is cut off")

// packParts puts parts behind each other, each with its length, and
// compresses them: what is JSON already is not encoded again.
func packParts(parts ...[]byte) []byte {
	size := 0
	for _, p := range parts {
		size += len(p) + binary.MaxVarintLen64
	}
	raw := make([]byte, 0, size)
	for _, p := range parts {
		raw = append(binary.AppendUvarint(raw, uint64(len(p))), p...)
	}
	return Compress(raw)
}

// unpackParts undoes packParts; the parts share one piece of memory.
func unpackParts(packed []byte) ([][]byte, error) {
	raw, err := Decompress(packed)
	if err != nil {
		return nil, err
	}
	var parts [][]byte
	for len(raw) > 0 {
		size, n := binary.Uvarint(raw)
		if n <= 0 || size > uint64(len(raw)-n) {
			return nil, errCut
		}
		parts = append(parts, raw[n:n+int(size):n+int(size)])
		raw = raw[n+int(size):]
	}
	return parts, nil
}

// Pack writes a batch for the inbox: sent, ids, resource, then the events.
func (b *Batch) Pack() []byte {
	sent, _ := b.Sent.MarshalBinary() // fails for odd zones only; then the clock is not corrected
	ids := make([]byte, 0, 16*len(b.IDs))
	for _, id := range b.IDs {
		ids = append(ids, id[:]...)
	}
	parts := [][]byte{sent, ids, b.Resource}
	for _, e := range b.Events {
		parts = append(parts, e)
	}
	return packParts(parts...)
}

// UnpackBatch reads what Pack wrote.
func UnpackBatch(packed []byte) (*Batch, error) {
	parts, err := unpackParts(packed)
	if err != nil {
		return nil, err
	}
	if len(parts) < 3 || len(parts[1]) != 16*(len(parts)-3) {
		return nil, fmt.Errorf("%d parts: %w", len(parts), errCut)
	}
	b := &Batch{Resource: parts[2]}
	if err := b.Sent.UnmarshalBinary(parts[0]); err != nil {
		b.Sent = time.Time{}
	}
	for i, e := range parts[3:] {
		b.IDs = append(b.IDs, uuid.UUID(parts[1][16*i:16*i+16]))
		b.Events = append(b.Events, e)
	}
	return b, nil
}

// Pack writes a body: the event, the envelope's resource, what was made of it.
func (b *Body) Pack() ([]byte, error) {
	filed, err := json.Marshal(b.Filed)
	if err != nil {
		return nil, err
	}
	return packParts(b.Event, b.Resource, filed), nil
}

// UnpackBody reads what Pack wrote.
func UnpackBody(packed []byte) (*Body, error) {
	parts, err := unpackParts(packed)
	if err != nil {
		return nil, err
	}
	if len(parts) != 3 {
		return nil, fmt.Errorf("%d parts: %w", len(parts), errCut)
	}
	b := &Body{Event: parts[0], Resource: parts[1]}
	return b, json.Unmarshal(parts[2], &b.Filed)
}
