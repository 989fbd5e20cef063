package event

import (
	"bytes"
	"encoding/json"
	"maps"
	"slices"
)

// Log is the log record that an event was found in.
type Log struct {
	Body         json.RawMessage `json:"body,omitempty"` // the record's own: a text, or any JSON
	Name         string          `json:"name,omitempty"` // of the kind of record, OpenTelemetry's event name
	SeverityText string          `json:"severity_text,omitempty"`
}

// Span is the span that an exception was recorded on.
type Span struct {
	Name     string `json:"name,omitempty"`
	Kind     string `json:"kind,omitempty"` // "server", "client", "internal", "producer", "consumer"
	ParentID string `json:"parent_span_id,omitempty"`
}

// UnmarshalJSON reads a log record; what is no object is taken for its body.
func (l *Log) UnmarshalJSON(raw []byte) error {
	type plain Log
	if json.Unmarshal(raw, (*plain)(l)) != nil {
		*l = Log{Body: bytes.Clone(raw)}
	}
	return nil
}

// UnmarshalJSON reads a span; of what does not fit nothing is kept.
func (s *Span) UnmarshalJSON(raw []byte) error {
	type plain Span
	if json.Unmarshal(raw, (*plain)(s)) != nil {
		*s = Span{}
	}
	return nil
}

// Text is the record's body in one text: what it says, or its JSON.
func (l *Log) Text() string {
	var s string
	if json.Unmarshal(l.Body, &s) == nil {
		return s
	}
	return string(l.Body)
}

// AddMissing gives an event, as JSON, what another report of the same
// exception has and it has not: the log record, the span, the stack,
// attributes, and fields of any other name. The severity of a log record
// counts before that of a span, which says none. It tells whether anything was
// added.
func AddMissing(first, second json.RawMessage) (json.RawMessage, bool, error) {
	var a, b map[string]json.RawMessage
	if err := json.Unmarshal(first, &a); err != nil {
		return nil, false, err
	}
	if err := json.Unmarshal(second, &b); err != nil {
		return nil, false, err
	}
	added := false
	if a["log"] == nil && b["log"] != nil && b["severity"] != nil && !bytes.Equal(a["severity"], b["severity"]) {
		a["severity"], added = b["severity"], true
	}
	for _, name := range slices.Sorted(maps.Keys(b)) {
		switch mine, its := a[name], b[name]; {
		case name == "id" || name == "time" || name == "severity":
		case mine == nil:
			a[name], added = its, true
		case name == "attributes" || name == "resource":
			joined, more, err := addNames(mine, its)
			if err != nil {
				return nil, false, err
			}
			a[name], added = joined, added || more
		case name == "exceptions":
			joined, more, err := addStack(mine, its)
			if err != nil {
				return nil, false, err
			}
			a[name], added = joined, added || more
		}
	}
	if !added {
		return first, false, nil
	}
	out, err := json.Marshal(a)
	return out, true, err
}

// addNames adds the members of an object that another has not.
func addNames(mine, its json.RawMessage) (json.RawMessage, bool, error) {
	var a, b map[string]json.RawMessage
	if err := json.Unmarshal(mine, &a); err != nil {
		return nil, false, err
	}
	if err := json.Unmarshal(its, &b); err != nil {
		return nil, false, err
	}
	added := false
	for name, v := range b {
		if _, has := a[name]; !has {
			if a == nil {
				a = map[string]json.RawMessage{}
			}
			a[name], added = v, true
		}
	}
	if !added {
		return mine, false, nil
	}
	out, err := json.Marshal(a)
	return out, true, err
}

// addStack gives the first exception of a list the stack that the first of
// another has; frames that stood in for it go.
func addStack(mine, its json.RawMessage) (json.RawMessage, bool, error) {
	var a, b []map[string]json.RawMessage
	if err := json.Unmarshal(mine, &a); err != nil {
		return nil, false, err
	}
	if err := json.Unmarshal(its, &b); err != nil {
		return nil, false, err
	}
	if len(a) == 0 || len(b) == 0 || a[0] == nil || a[0]["stack"] != nil || b[0]["stack"] == nil {
		return mine, false, nil
	}
	a[0]["stack"] = b[0]["stack"]
	delete(a[0], "frames")
	out, err := json.Marshal(a)
	return out, true, err
}

// About is what surrounds a message of another kind than an event: when it was
// told, by whom and where. shared is the resource that its envelope gives it,
// which its own completes.
func About(time string, attributes, own Attributes, shared json.RawMessage) Event {
	resource := Attributes{}
	if len(shared) > 0 && json.Unmarshal(shared, &resource) != nil {
		resource = Attributes{} // intake refuses what cannot be read
	}
	maps.Copy(resource, own)
	return Event{Time: time, Attributes: attributes, Resource: resource}
}
