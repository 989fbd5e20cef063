package intake

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"io"
	"strconv"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
)

// piece is one event of a request, as it was sent.
type piece struct {
	index int // in the request, from 0
	raw   json.RawMessage
}

// opened is a request taken apart, not yet looked into.
type opened struct {
	sent     time.Time
	resource json.RawMessage
	pieces   []piece
	dropped  map[string]int64
}

// Bounds of what one request may hold.
const (
	maxElements = 10_000   // events, sessions or feedback
	maxShared   = 64 << 10 // bytes of an envelope's resource, which counts for each element
	maxFound    = 48 << 20 // bytes of all elements, each with what it shares with the others
)

// elements are the messages of an array. They share its memory.
type elements []json.RawMessage

var (
	errNoArray      = errors.New("it is no array")
	errManyElements = problem.New(problem.TooLarge, "the request has more than %d elements; nothing was stored, send several requests", maxElements)
)

// UnmarshalJSON reads an array, and no further than one element over the bound.
func (e *elements) UnmarshalJSON(raw []byte) error {
	d := jsontext.NewDecoder(bytes.NewBuffer(raw), jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	if t, err := d.ReadToken(); err != nil || t.Kind() == 'n' {
		return err
	} else if t.Kind() != '[' {
		return errNoArray
	}
	*e = elements{}
	for d.PeekKind() != ']' {
		v, err := d.ReadValue()
		if err != nil {
			return err
		}
		if len(*e) == maxElements {
			return errManyElements
		}
		end := int(d.InputOffset())
		*e = append(*e, raw[end-len(v):end:end])
	}
	return nil
}

// envelope is a request that holds messages beside what they share.
type envelope struct {
	Sent     string           `json:"sent"`
	Resource json.RawMessage  `json:"resource"`
	Events   elements         `json:"events"`
	Sessions elements         `json:"sessions"`
	Feedback elements         `json:"feedback"`
	Dropped  map[string]int64 `json:"dropped"`
}

func (e *envelope) messages(list string) elements {
	switch list {
	case "sessions":
		return e.Sessions
	case "feedback":
		return e.Feedback
	}
	return e.Events
}

// open takes a body apart: one message, an array, an envelope that names its
// list, or one message a line.
func open(raw []byte, lines bool, list string) (*opened, error) {
	if !utf8.Valid(raw) {
		raw = bytes.ToValidUTF8(raw, []byte("\uFFFD"))
	}
	raw = bytes.TrimSpace(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf")))
	if len(raw) == 0 {
		return nil, problem.New(problem.BadInput, "the body is empty; send one object, an array, or an envelope with %q", list)
	}
	o := &opened{}
	if lines {
		for line := range bytes.Lines(raw) {
			if line = bytes.TrimSpace(line); len(line) > 0 {
				if len(o.pieces) == maxElements {
					return nil, errManyElements
				}
				o.pieces = append(o.pieces, piece{len(o.pieces), line})
			}
		}
		return o, nil
	}
	var messages elements
	switch raw[0] {
	case '[':
		if err := json.Unmarshal(raw, &messages); err != nil {
			return nil, unreadable(raw, err)
		}
	case '{':
		var env envelope
		if err := json.Unmarshal(raw, &env); err != nil {
			if _, ok := errors.AsType[*json.SyntaxError](err); ok || errors.Is(err, errManyElements) {
				return nil, unreadable(raw, err)
			}
			return nil, problem.New(problem.BadInput, "the envelope does not fit: %v", err)
		}
		if messages = env.messages(list); messages == nil {
			messages = []json.RawMessage{raw}
			break
		}
		o.dropped = env.Dropped
		o.sent, _ = time.Parse(time.RFC3339Nano, env.Sent) // unreadable: the clock is not corrected
		var shared event.Attributes
		if len(env.Resource) > maxShared || len(env.Resource)*len(messages) > maxFound {
			return nil, problem.New(problem.TooLarge, "the envelope's resource has %d bytes and counts for each of its %d elements; %d bytes are the most, and %d MiB for all together: send fewer attributes or fewer elements", len(env.Resource), len(messages), maxShared, maxFound>>20)
		}
		if len(env.Resource) > 0 {
			if err := json.Unmarshal(env.Resource, &shared); err != nil {
				return nil, problem.New(problem.BadInput, "the envelope's resource: %v", err)
			}
			o.resource = env.Resource
		}
	default:
		return nil, unreadable(raw, json.Unmarshal(raw, &messages))
	}
	for i, e := range messages {
		o.pieces = append(o.pieces, piece{i, e})
	}
	return o, nil
}

func unreadable(raw []byte, err error) error {
	if errors.Is(err, errManyElements) {
		return errManyElements
	}
	if s, ok := errors.AsType[*json.SyntaxError](err); ok {
		return problem.New(problem.BadInput, "the body is no JSON: %v at byte %d of %d", s, s.Offset, len(raw))
	}
	return problem.New(problem.BadInput, "the body is neither an event nor an array of events nor an envelope with \"events\"")
}

// head is what intake looks at in an event.
type head struct {
	id                  string
	idKind              jsontext.Kind // 0: absent
	message, exceptions bool          // there, and not blank
	standsFor           int64         // at least 1
	log                 bool          // it was found in a log
	severity            event.Severity
}

// errNoObject says that an event is no object, or its id no text.
var errNoObject = errors.New("an event is a JSON object whose id is a text")

// readHead walks over one event once: it finds the head and makes sure that
// all of it is JSON.
func readHead(raw []byte) (head, error) {
	h := head{standsFor: 1}
	d := jsontext.NewDecoder(bytes.NewBuffer(raw), jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	if t, err := d.ReadToken(); err != nil || t.Kind() != '{' {
		return h, cmp.Or(err, errNoObject)
	}
	for d.PeekKind() == '"' {
		name, err := d.ReadToken()
		if err != nil {
			return h, err
		}
		switch name.String() {
		case "id":
			t, err := d.ReadToken()
			if err != nil {
				return h, err
			}
			if h.idKind = t.Kind(); h.idKind == '"' {
				h.id = t.String()
			} else if h.idKind != 'n' {
				return h, errNoObject
			}
		case "message":
			v, err := d.ReadValue()
			if err != nil {
				return h, err
			}
			h.message = !blank(v)
		case "exceptions":
			v, err := d.ReadValue()
			if err != nil {
				return h, err
			}
			h.exceptions = !blank(v)
		case "log":
			v, err := d.ReadValue()
			if err != nil {
				return h, err
			}
			h.log = v.Kind() == '{'
		case "severity":
			v, err := d.ReadValue()
			if err != nil {
				return h, err
			}
			_ = h.severity.UnmarshalJSON(v) // an odd one counts as none
		case "stands_for":
			v, err := d.ReadValue()
			if err != nil {
				return h, err
			}
			if n, err := strconv.ParseFloat(string(v), 64); err == nil {
				h.standsFor = int64(max(1, min(n, event.MaxStandsFor)))
			}
		default:
			if err := d.SkipValue(); err != nil {
				return h, err
			}
		}
	}
	if _, err := d.ReadToken(); err != nil { // the closing brace
		return h, err
	}
	if _, err := d.ReadToken(); !errors.Is(err, io.EOF) {
		return h, cmp.Or(err, errNoObject)
	}
	return h, nil
}

// serviceName is the service.name of a resource, "" when it has none.
func serviceName(resource json.RawMessage) string {
	var r struct {
		Name string `json:"service.name"`
	}
	if len(resource) == 0 || json.Unmarshal(resource, &r) != nil {
		return ""
	}
	return r.Name
}

func blank(raw []byte) bool {
	s := string(bytes.TrimSpace(raw))
	return s == "" || s == "null" || s == `""` || s == "[]"
}
