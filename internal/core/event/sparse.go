package event

import (
	"bytes"
	"encoding/json"

	jsonv2 "github.com/go-json-experiment/json"
)

// DecodeSparse is Decode for processing: it reads breadcrumbs only when AllBreadcrumbs asks for
// them, since they are most of a usual event, and leaves Extra out. raw is valid JSON, as intake
// stores it. DecodeSparse fails where Decode fails.
func DecodeSparse(raw []byte, lim Limits) (*Event, error) {
	rest, later, ok := setApart(raw)
	if !ok || !plainBreadcrumbs(later.breadcrumbs, lim.Breadcrumbs) {
		return Decode(raw, lim) // it names the field, or cuts the list
	}
	e := Event{State: later.state, later: later.breadcrumbs}
	if err := jsonv2.Unmarshal(rest, &e, lenient); err != nil {
		return Decode(raw, lim)
	}
	if err := e.complete(lim); err != nil {
		return nil, err
	}
	return &e, nil
}

// bulky are the fields of an event that are stored, and not read to process it.
type bulky struct{ breadcrumbs, state json.RawMessage }

// setApart divides the JSON of an event into its bulky fields and the rest. ok is false of what is
// no object, and where a name has an escape: it may be any name.
func setApart(raw []byte) (rest []byte, later bulky, ok bool) {
	if trimmed := bytes.TrimSpace(raw); len(trimmed) == 0 || trimmed[0] != '{' {
		return nil, later, false
	}
	rest = append(make([]byte, 0, len(raw)/2), '{')
	for f, ok := nextField(raw, 0); ok; f, ok = nextField(raw, f.end) {
		switch string(f.name) {
		case "breadcrumbs":
			later.breadcrumbs = f.value
		case "state":
			later.state = f.value
		default:
			if bytes.IndexByte(f.name, '\\') >= 0 {
				return nil, later, false
			}
			if len(rest) > 1 {
				rest = append(rest, ',')
			}
			rest = append(rest, raw[f.start:f.end]...)
		}
	}
	return append(rest, '}'), later, true
}

// AllBreadcrumbs are the event's breadcrumbs, oldest first, also those that DecodeSparse left.
func (e *Event) AllBreadcrumbs() []Breadcrumb {
	if len(e.later) == 0 {
		return e.Breadcrumbs
	}
	var out []Breadcrumb
	if err := jsonv2.Unmarshal(e.later, &out, lenient); err != nil {
		return nil // plainBreadcrumbs has seen that they can be read
	}
	return out
}

// plainBreadcrumbs says whether a JSON value is a list of at most limit breadcrumbs that can be
// read. raw is valid JSON, or empty.
func plainBreadcrumbs(raw []byte, limit int) bool {
	raw = bytes.TrimSpace(raw)
	if len(raw) == 0 || raw[0] == 'n' {
		return true
	}
	if raw[0] != '[' {
		return false
	}
	count := 0
	for i := 1; i < len(raw); {
		switch raw[i] {
		case '{':
			end, ok := plainBreadcrumb(raw, i)
			if count++; !ok || count > limit {
				return false
			}
			i = end
		case ' ', '\t', '\r', '\n', ',':
			i++
		default:
			return raw[i] == ']'
		}
	}
	return false
}

// plainBreadcrumb says whether the object at raw[i] is a breadcrumb that can be read, and where
// it ends.
func plainBreadcrumb(raw []byte, i int) (end int, ok bool) {
	for i++; i < len(raw); {
		switch raw[i] {
		case '"':
			f, ok := nextField(raw, i)
			if !ok || !fitsBreadcrumb(f.name, f.value) {
				return 0, false
			}
			i = f.end
		case ' ', '\t', '\r', '\n', ',':
			i++
		default:
			return i + 1, raw[i] == '}'
		}
	}
	return 0, false
}

// fitsBreadcrumb says whether a field of a breadcrumb holds what its type can read. A name with an
// escape may be any of them.
func fitsBreadcrumb(name, value []byte) bool {
	if len(value) == 0 {
		return false
	}
	switch string(name) {
	case "time", "kind", "message":
		return value[0] == '"' || value[0] == 'n'
	case "attributes":
		return value[0] == '{' || value[0] == 'n'
	}
	return bytes.IndexByte(name, '\\') < 0
}
