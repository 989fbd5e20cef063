package firethorn

import (
	"encoding/binary"
	"encoding/json"
	"math"
	"runtime/debug"
	"sync/atomic"
	"time"
)

const (
	trailSlots = 64
	slotBytes  = 1024
	trailBytes = trailSlots * slotBytes
)

// trail holds the last breadcrumbs of all flows in memory that outlives the
// process: a file that is mapped, so that leaving a breadcrumb costs no system
// call and a crash a moment later loses none. A slot is
//
//	sequence, 8 bytes (0: nothing, or half written) · nanoseconds since 1970, 8 bytes
//	kind, severity, text, each with its length before it, 2 bytes
//	the attributes: a letter for the type, key, value
//
// Numbers are little-endian.
type trail struct {
	mem      atomic.Pointer[[trailBytes]byte] // nil: a crash is told without breadcrumbs
	sequence atomic.Uint64
}

func (t *trail) open(mem []byte) {
	if len(mem) < trailBytes {
		t.mem.Store(nil)
		return
	}
	t.mem.Store((*[trailBytes]byte)(mem))
}

// add stores a breadcrumb. Its number is its slot's: nobody else writes
// there until 63 others have come.
func (t *trail) add(b *crumb) {
	mem := t.mem.Load()
	if mem == nil {
		return
	}
	// A mapped file can become unreadable (a failing disk, a file cut short).
	// Then there is no trail; the program must not die of it.
	before := debug.SetPanicOnFault(true)
	defer func() {
		if recover() != nil {
			t.mem.Store(nil)
		}
		debug.SetPanicOnFault(before)
	}()
	n := t.sequence.Add(1)
	at := int((n-1)%trailSlots) * slotBytes
	writeSlot(mem[at:at+slotBytes], n, b)
}

func writeSlot(slot []byte, sequence uint64, b *crumb) {
	_ = slot[slotBytes-1]
	binary.LittleEndian.PutUint64(slot, 0)
	binary.LittleEndian.PutUint64(slot[8:], uint64(b.nanoseconds))
	w := slotWriter{slot[16:]}
	w.text(b.kind)
	w.text(b.severity)
	w.text(b.text)
	for _, p := range b.pairs {
		switch v := p.value.(type) {
		case string:
			w.pair('s', p.key, v, 0)
		case json.RawMessage:
			w.pair('s', p.key, string(v), 0)
		case bool:
			n := uint64(0)
			if v {
				n = 1
			}
			w.pair('b', p.key, "", n)
		case int:
			w.pair('i', p.key, "", uint64(v))
		case int64:
			w.pair('i', p.key, "", uint64(v))
		case float64:
			w.pair('f', p.key, "", math.Float64bits(v))
		}
	}
	if len(w.rest) > 0 {
		w.rest[0] = 0
	}
	binary.LittleEndian.PutUint64(slot, sequence)
}

// slotWriter fills a slot; what has no room is left out.
type slotWriter struct{ rest []byte }

func (w *slotWriter) text(s string) {
	if len(w.rest) < 2 {
		return
	}
	n := copy(w.rest[2:], s)
	binary.LittleEndian.PutUint16(w.rest, uint16(n))
	w.rest = w.rest[2+n:]
}

func (w *slotWriter) pair(kind byte, key, text string, number uint64) {
	if len(w.rest) < 1+2+len(key)+max(8, 2+len(text)) {
		return
	}
	w.rest[0] = kind
	w.rest = w.rest[1:]
	w.text(key)
	if kind == 's' {
		w.text(text)
		return
	}
	binary.LittleEndian.PutUint64(w.rest, number)
	w.rest = w.rest[8:]
}

// crumbsIn reads a trail, oldest first. A file that is not one gives nothing.
func crumbsIn(raw []byte) (out []Breadcrumb) {
	if len(raw) != trailBytes {
		return nil
	}
	newest := uint64(0)
	for i := range trailSlots {
		newest = max(newest, binary.LittleEndian.Uint64(raw[i*slotBytes:]))
	}
	for n := newest - min(newest, maxBreadcrumbs) + 1; n <= newest && newest > 0; n++ {
		slot := raw[int((n-1)%trailSlots)*slotBytes:][:slotBytes]
		if binary.LittleEndian.Uint64(slot) == n {
			out = append(out, readCrumb(slot[8:]))
		}
	}
	return out
}

func readCrumb(raw []byte) Breadcrumb {
	at := time.Unix(0, int64(binary.LittleEndian.Uint64(raw))).UTC()
	raw = raw[8:]
	text := func() string {
		if len(raw) < 2 {
			return ""
		}
		n := min(int(binary.LittleEndian.Uint16(raw)), len(raw)-2)
		s := string(raw[2 : 2+n])
		raw = raw[2+n:]
		return s
	}
	b := Breadcrumb{Time: at, Kind: text(), Severity: text(), Message: text()}
	for len(raw) > 0 && raw[0] != 0 {
		kind := raw[0]
		raw = raw[1:]
		key := text()
		var value any
		if kind == 's' {
			value = text()
		} else {
			if len(raw) < 8 {
				break
			}
			n := binary.LittleEndian.Uint64(raw)
			raw = raw[8:]
			value = map[byte]any{'b': n == 1, 'i': int64(n), 'f': finite(math.Float64frombits(n))}[kind]
		}
		if b.Attributes == nil {
			b.Attributes = map[string]any{}
		}
		b.Attributes[key] = value
	}
	return b
}
