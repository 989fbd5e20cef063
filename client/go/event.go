package firethorn

import (
	"crypto/rand"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"
)

// Event is a report in the wire format, as Edit sees it.
type Event struct {
	ID          string         `json:"id"`
	Time        time.Time      `json:"time"`
	Severity    string         `json:"severity"`
	Handled     *bool          `json:"handled,omitempty"`
	Message     string         `json:"message,omitempty"`
	Exceptions  []Exception    `json:"exceptions,omitempty"` // the reported one first
	Attributes  map[string]any `json:"attributes"`
	State       any            `json:"state,omitempty"`
	Breadcrumbs []Breadcrumb   `json:"breadcrumbs"` // oldest first
	Threads     []Thread       `json:"threads,omitempty"`
	Grouping    *Grouping      `json:"grouping,omitempty"`
	StandsFor   int            `json:"stands_for,omitempty"`
	TraceID     string         `json:"trace_id,omitempty"` // 32 hexadecimal digits
	SpanID      string         `json:"span_id,omitempty"`  // 16 hexadecimal digits
}

// Exception is one error of a chain.
type Exception struct {
	Type     string `json:"type,omitempty"`
	Message  string `json:"message,omitempty"`
	Stack    string `json:"stack,omitempty"` // as the runtime prints it
	Parent   *int   `json:"parent,omitempty"`
	Relation string `json:"relation,omitempty"` // cause, member
	Thrown   string `json:"thrown,omitempty"`   // the kind of a panic's value that is no error
	ThreadID string `json:"thread.id,omitempty"`
}

// Breadcrumb is something that happened before.
type Breadcrumb struct {
	Time       time.Time      `json:"time"`
	Kind       string         `json:"kind"`
	Message    string         `json:"message"`
	Severity   string         `json:"severity,omitempty"`
	Attributes map[string]any `json:"attributes,omitempty"`
}

// Thread is a goroutine.
type Thread struct {
	ID        string `json:"thread.id"`
	Blamed    bool   `json:"blamed,omitempty"`
	WaitingOn string `json:"waiting_on,omitempty"`
	Stack     string `json:"stack"`
}

// Grouping is the program's own word on grouping.
type Grouping struct {
	Extend  []string `json:"extend,omitempty"`
	Replace []string `json:"replace,omitempty"`
}

// newID is a UUID of version 7 (RFC 9562, section 5.7).
func newID() string {
	var b [16]byte
	rand.Read(b[:]) // never fails
	binary.BigEndian.PutUint64(b[:8], uint64(time.Now().UnixMilli())<<16|uint64(binary.BigEndian.Uint16(b[6:8])))
	b[6], b[8] = b[6]&0x0f|0x70, b[8]&0x3f|0x80
	h := hex.EncodeToString(b[:])
	return h[:8] + "-" + h[8:12] + "-" + h[12:16] + "-" + h[16:20] + "-" + h[20:]
}

// sendable are attributes of which all can be written as JSON: a value that
// cannot becomes text.
func sendable(sets ...map[string]any) map[string]any {
	out := map[string]any{}
	for _, set := range sets {
		for k, v := range set {
			if v == nil || v == "" {
				delete(out, k)
				continue
			}
			switch x := v.(type) {
			case string, bool, int, int64, float64:
			case error:
				v = printed(message{x})
			case fmt.Stringer:
				v = printed(x)
			default:
				if _, err := json.Marshal(v); err != nil {
					v = printed(v)
				}
			}
			out[k] = finite(v)
		}
	}
	return out
}

// finite is a number that JSON can hold as it is, and any other as text.
func finite(v any) any {
	if f, ok := v.(float64); ok && (f != f || f-f != 0) {
		return fmt.Sprint(f)
	}
	return v
}

// printed is any value as a text of bounded length, whatever its methods do.
func printed(v any) (s string) {
	defer func() {
		if recover() != nil {
			s = fmt.Sprintf("%T", v)
		}
	}()
	s = fmt.Sprint(v)
	return s[:min(len(s), 8192)]
}
