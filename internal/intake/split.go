package intake

import (
	"bytes"
	"encoding/json"
	"errors"
	"time"
	"unicode/utf8"

	"firethorn/internal/core/problem"
)

// piece is one event of a request, as it was sent.
type piece struct {
	index int // in the request, from 0
	raw   json.RawMessage
	head  *head // nil: not read yet
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

var (
	errNoArray      = problem.New(problem.BadInput, "the envelope's messages are no array")
	errManyElements = problem.New(problem.TooLarge, "the request has more than %d elements; nothing was stored, send several requests", maxElements)
)

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
				o.pieces = append(o.pieces, piece{index: len(o.pieces), raw: line})
			}
		}
		return o, nil
	}
	w := walker{raw: raw, list: list, d: decoder(raw)}
	var err error
	switch raw[0] {
	case '[':
		o.pieces, err = w.elements()
	case '{':
		err = w.object(o)
	default:
		err = errNeither
	}
	if err == nil {
		err = w.end()
	}
	if err != nil {
		return nil, unreadable(raw, err)
	}
	return o, nil
}

// errNeither says that a body is neither an object nor an array.
var errNeither = problem.New(problem.BadInput, "the body is neither an event nor an array of events nor an envelope with \"events\"")

// unreadable is the answer to a body that cannot be taken apart. One that is no
// JSON is read again, since its sender is told where it ceases to be.
func unreadable(raw []byte, err error) error {
	var whole json.RawMessage
	if s, ok := errors.AsType[*json.SyntaxError](json.Unmarshal(raw, &whole)); ok && !errors.Is(err, errManyElements) {
		return problem.New(problem.BadInput, "the body is no JSON: %v at byte %d of %d", s, s.Offset, len(raw))
	}
	if _, ok := errors.AsType[*problem.Error](err); ok {
		return err
	}
	return problem.New(problem.BadInput, "the body is no JSON: %v", err)
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
