package pipeline

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/google/uuid"
	"github.com/klauspost/compress/s2"
	"github.com/klauspost/compress/zstd"

	"firethorn/internal/core/event"
	"firethorn/internal/core/scrub"
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
		d, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(maxUnpacked), zstd.WithDecoderConcurrency(0))
		if err != nil {
			panic(err) // only wrong options fail
		}
		return d
	})
)

// inS2 heads what is compressed by S2: no zstd frame begins with it.
const inS2 = 'S'

// maxUnpacked is how large packed batches may become, in bytes.
const maxUnpacked = 256 << 20

// compressFast is for what is read again soon. It takes a third of the time of
// Compress, and the result is about 1.4 times as long.
func compressFast(raw []byte) []byte {
	out := make([]byte, 1+s2.MaxEncodedLen(len(raw)))
	out[0] = inS2
	return out[:1+len(s2.Encode(out[1:], raw))]
}

// decompressAny undoes compressFast, and Compress: versions before 0.2 wrote the
// inbox with that.
func decompressAny(packed []byte) ([]byte, error) {
	if len(packed) == 0 || packed[0] != inS2 {
		return Decompress(packed)
	}
	if n, err := s2.DecodedLen(packed[1:]); err != nil || n > maxUnpacked {
		return nil, fmt.Errorf("%d bytes: %w", n, cmp.Or(err, s2.ErrTooLarge))
	}
	return s2.Decode(nil, packed[1:])
}

// Compress compresses whatever is stored (zstd).
func Compress(raw []byte) []byte { return encoder().EncodeAll(raw, make([]byte, 0, len(raw)/3)) }

// Decompress undoes Compress.
func Decompress(packed []byte) ([]byte, error) { return decoder().DecodeAll(packed, nil) }

// ErrNewer says that a pack has a form that a later version writes.
var ErrNewer = errors.New("a newer version wrote this")

// newerForm says whether parts begin with the mark of a form that is not known
// here: a "v" and a number.
func newerForm(parts [][]byte) bool {
	if len(parts) == 0 || len(parts[0]) < 2 || len(parts[0]) > 4 || parts[0][0] != 'v' ||
		bytes.Equal(parts[0], packed3) || bytes.Equal(parts[0], packed2) {
		return false
	}
	_, err := strconv.Atoi(string(parts[0][1:]))
	return err == nil
}

// errCut says that packed parts are not whole.
var errCut = errors.New("packed data is cut off")

// joinParts puts parts behind each other, each with its length: what is JSON
// already is not encoded again.
func joinParts(parts ...[]byte) []byte {
	size := 0
	for _, p := range parts {
		size += len(p) + binary.MaxVarintLen64
	}
	raw := make([]byte, 0, size)
	for _, p := range parts {
		raw = append(binary.AppendUvarint(raw, uint64(len(p))), p...)
	}
	return raw
}

// splitParts undoes joinParts; the parts share one piece of memory.
func splitParts(raw []byte) ([][]byte, error) {
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

// packed3 heads a pack of several batches, packed2 one without anything beside the
// events. A pack without either holds one batch, as versions before
// 0.2 wrote it.
var packed3, packed2 = []byte("v3"), []byte("v2")

// Pack writes batches for one row of the inbox: for each of them sent and
// received with the number of its events, the ids, the resource, what
// stands beside the events, the events.
func Pack(batches ...*Batch) []byte {
	parts := [][]byte{packed3}
	for _, b := range batches {
		var sent int64
		if !b.Sent.IsZero() {
			sent = b.Sent.UnixMicro()
		}
		head := binary.AppendVarint(binary.AppendVarint(binary.AppendUvarint(nil, uint64(len(b.Events))), sent),
			b.Received.UnixMicro())
		ids := make([]byte, 0, 16*len(b.IDs))
		for _, id := range b.IDs {
			ids = append(ids, id[:]...)
		}
		parts = append(append(parts, head, ids, b.Resource, packBeside(b)), rawParts(b.Events)...)
	}
	return compressFast(joinParts(parts...))
}

// beside is what a batch holds beside its events, where it holds anything.
type beside struct {
	Scrubbed []scrub.Report `json:"scrubbed,omitempty"`
	Users    []User         `json:"users,omitempty"`
	Sessions []Message      `json:"sessions,omitempty"`
	Feedback []Message      `json:"feedback,omitempty"`
	Country  string         `json:"country,omitempty"`
}

// packBeside writes it as JSON; nil if there is nothing to write.
func packBeside(b *Batch) []byte {
	something := len(b.Sessions)+len(b.Feedback)+len(b.Country) > 0 || slices.ContainsFunc(b.Scrubbed,
		func(r scrub.Report) bool {
			return len(r) > 0
		}) || slices.ContainsFunc(b.Users, func(u User) bool { return u.Set })
	if !something {
		return nil
	}
	raw, err := json.Marshal(beside{b.Scrubbed, b.Users, b.Sessions, b.Feedback, b.Country})
	if err != nil {
		panic(err) // texts and numbers encode
	}
	return raw
}

func rawParts(list []json.RawMessage) [][]byte {
	out := make([][]byte, len(list))
	for i, e := range list {
		out[i] = e
	}
	return out
}

// Unpack reads what Pack wrote. received stands in for packs that do not say
// it themselves.
func Unpack(packed []byte, received time.Time) ([]*Batch, error) {
	raw, err := decompressAny(packed)
	if err != nil {
		return nil, err
	}
	parts, err := splitParts(raw)
	if err != nil {
		return nil, err
	}
	if newerForm(parts) {
		return nil, fmt.Errorf("form %s: %w", parts[0], ErrNewer)
	}
	third := len(parts) > 0 && bytes.Equal(parts[0], packed3)
	if len(parts) == 0 || !third && !bytes.Equal(parts[0], packed2) {
		b, err := unpackFirst(parts)
		if err != nil {
			return nil, err
		}
		b.Received = received
		return []*Batch{b}, nil
	}
	fixed := 3 // parts before the events
	if third {
		fixed++
	}
	var out []*Batch
	for parts = parts[1:]; len(parts) > 0; {
		head := parts[0]
		count, n := binary.Uvarint(head)
		sent, m := binary.Varint(head[max(n, 0):])
		at, k := binary.Varint(head[max(n, 0)+max(m, 0):])
		if n <= 0 || m <= 0 || k <= 0 || len(parts) < fixed || count > uint64(len(parts)-fixed) ||
			uint64(len(parts[1])) != 16*count {
			return nil, fmt.Errorf("a batch of %d events in %d parts: %w", count, len(parts), errCut)
		}
		b := &Batch{Resource: parts[2], Received: time.UnixMicro(at).UTC()}
		if sent != 0 {
			b.Sent = time.UnixMicro(sent).UTC()
		}
		if third && len(parts[3]) > 0 {
			var more beside
			err := json.Unmarshal(parts[3], &more)
			for _, n := range []int{len(more.Scrubbed), len(more.Users)} {
				if err != nil || n != 0 && n != int(count) {
					return nil, fmt.Errorf("messages beside %d events: %w", count, errCut)
				}
			}
			b.Scrubbed, b.Users, b.Sessions, b.Feedback = more.Scrubbed, more.Users, more.Sessions, more.Feedback
			b.Country = more.Country
		}
		b.add(parts[1], parts[fixed:fixed+int(count)])
		out, parts = append(out, b), parts[fixed+int(count):]
	}
	return out, nil
}

// unpackFirst reads the one batch of a pack of the first form.
func unpackFirst(parts [][]byte) (*Batch, error) {
	if len(parts) < 3 || len(parts[1]) != 16*(len(parts)-3) {
		return nil, fmt.Errorf("%d parts: %w", len(parts), errCut)
	}
	b := &Batch{Resource: parts[2]}
	if err := b.Sent.UnmarshalBinary(parts[0]); err != nil {
		b.Sent = time.Time{}
	}
	b.add(parts[1], parts[3:])
	return b, nil
}

func (b *Batch) add(ids []byte, events [][]byte) {
	for i, e := range events {
		b.IDs = append(b.IDs, uuid.UUID(ids[16*i:16*i+16]))
		b.Events = append(b.Events, e)
	}
}

// Pack writes a body: the event, the envelope's resource, the result of processing.
// It is not compressed: the store does that, with what it knows of the issue.
func (b *Body) Pack() ([]byte, error) {
	filed, err := json.Marshal(b.Processed)
	if err != nil {
		return nil, err
	}
	return joinParts(b.Event, b.Resource, filed), nil
}

// UnpackBody reads what Body.Pack wrote.
func UnpackBody(raw []byte) (*Body, error) {
	parts, err := splitParts(raw)
	if err != nil {
		return nil, err
	}
	if len(parts) != 3 {
		return nil, fmt.Errorf("%d parts: %w", len(parts), errCut)
	}
	b := &Body{Event: parts[0], Resource: parts[1]}
	return b, json.Unmarshal(parts[2], &b.Processed)
}

// Dictionary makes of a packed body what others like it can be compressed
// with: the same bytes without the attributes that name a user. The state of the application may
// name one anywhere, so it is kept only if state says that erasing the event's user finds the
// dictionary. It is nil when the body is larger than limit bytes.
func Dictionary(raw []byte, limit int, state bool) []byte {
	parts, err := splitParts(raw)
	if err != nil || len(parts) != 3 {
		return nil
	}
	text := cut(parts[0], func(name string, value []byte) ([]byte, bool) {
		if name == "attributes" || name == "resource" {
			return cut(value, identity), true
		}
		return nil, name == "state" && !state
	})
	if text == nil {
		return nil
	}
	if out := joinParts(text, cut(parts[1], identity), parts[2]); len(out) <= limit {
		return out
	}
	return nil
}

// identity takes out the attributes that name a user.
func identity(name string, _ []byte) ([]byte, bool) {
	return nil, name == "session.id" || slices.Contains(event.IdentityKeys, name)
}

// cut replaces values in the text of a JSON object and keeps all other bytes as they are, blanks
// too: what is compressed with them was written the same way. The result may be no JSON. It is nil
// if raw is no object.
func cut(raw []byte, by func(name string, value []byte) (with []byte, ok bool)) []byte {
	d := jsontext.NewDecoder(bytes.NewBuffer(raw), jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	if t, err := d.ReadToken(); err != nil || t.Kind() != '{' {
		return nil
	}
	out, kept := make([]byte, 0, len(raw)), 0
	for d.PeekKind() == '"' {
		name, err := d.ReadToken()
		if err != nil {
			return nil
		}
		called := name.String()
		value, err := d.ReadValue()
		if err != nil {
			return nil
		}
		end := int(d.InputOffset())
		if with, ok := by(called, value); ok {
			out = append(append(out, raw[kept:end-len(value)]...), with...)
			kept = end
		}
	}
	return append(out, raw[kept:]...)
}
