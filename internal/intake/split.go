package intake

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/scrub"
	"firethorn/internal/pipeline"
)

// parcel is a request taken apart.
type parcel struct {
	batch   batch
	refused []Refused
	dropped map[string]int64
}

type batch struct{ pipeline.Batch }

// chunkBytes bounds one row of the inbox.
const chunkBytes = 256 << 10

// chunks cuts a batch into parts for one inbox row each.
func (b *batch) chunks() iter.Seq[*pipeline.Batch] {
	return func(yield func(*pipeline.Batch) bool) {
		for from := 0; from < len(b.Events); {
			to, size := from, 0
			for to < len(b.Events) && (to == from || size+len(b.Events[to]) <= chunkBytes) && to-from < 200 {
				size += len(b.Events[to])
				to++
			}
			part := b.Batch
			part.Events, part.IDs = b.Events[from:to], b.IDs[from:to]
			if !yield(&part) {
				return
			}
			from = to
		}
	}
}

// envelope is a request that holds events beside what they share.
type envelope struct {
	Sent     string            `json:"sent"`
	Resource json.RawMessage   `json:"resource"`
	Events   []json.RawMessage `json:"events"`
	Dropped  map[string]int64  `json:"dropped"`
}

// split scrubs a body and takes it apart: one event, an array, an envelope,
// or one event a line.
func split(raw []byte, lines bool, mostEvent int) (*parcel, error) {
	if !utf8.Valid(raw) {
		raw = bytes.ToValidUTF8(raw, []byte("\uFFFD"))
	}
	raw = bytes.TrimSpace(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf")))
	if len(raw) == 0 {
		return nil, fault.New(fault.BadInput, "the body is empty; send an event, an array of events, or an envelope with \"events\"")
	}
	p := &parcel{refused: []Refused{}}
	if lines {
		i := 0
		for line := range bytes.Lines(raw) {
			if line = bytes.TrimSpace(line); len(line) > 0 {
				clean, err := scrub.JSON(line)
				if err != nil {
					p.refuse(i, "%v", err)
				} else {
					p.take(i, clean, mostEvent)
				}
				i++
			}
		}
		return p, nil
	}
	raw, err := scrub.JSON(raw)
	if err != nil {
		return nil, fault.New(fault.BadInput, "the body is %v", err)
	}
	var list []json.RawMessage
	switch raw[0] {
	case '[':
		if err := json.Unmarshal(raw, &list); err != nil {
			return nil, unreadable(raw, err)
		}
	case '{':
		var env envelope
		if err := json.Unmarshal(raw, &env); err != nil {
			if _, ok := errors.AsType[*json.SyntaxError](err); ok {
				return nil, unreadable(raw, err)
			}
			return nil, fault.New(fault.BadInput, "the envelope does not fit: %v", err)
		}
		if env.Events == nil {
			list = []json.RawMessage{raw}
			break
		}
		list, p.dropped = env.Events, env.Dropped
		p.batch.Sent, _ = time.Parse(time.RFC3339Nano, env.Sent) // unreadable: the clock is not corrected
		var shared event.Attributes
		if len(env.Resource) > 0 {
			if err := json.Unmarshal(env.Resource, &shared); err != nil {
				return nil, fault.New(fault.BadInput, "the envelope's resource: %v", err)
			}
			p.batch.Resource = env.Resource
		}
	default:
		return nil, unreadable(raw, json.Unmarshal(raw, &list))
	}
	for i, e := range list {
		p.take(i, e, mostEvent)
	}
	return p, nil
}

func unreadable(raw []byte, err error) error {
	if s, ok := errors.AsType[*json.SyntaxError](err); ok {
		return fault.New(fault.BadInput, "the body is no JSON: %v at byte %d of %d", s, s.Offset, len(raw))
	}
	return fault.New(fault.BadInput, "the body is neither an event nor an array of events nor an envelope with \"events\"")
}

func (p *parcel) refuse(i int, format string, args ...any) {
	p.refused = append(p.refused, Refused{i, fmt.Sprintf(format, args...)})
}

// head is what intake looks at in an event.
type head struct {
	id                  string
	idKind              jsontext.Kind // 0: absent
	message, exceptions bool          // there, and not blank
}

// errNoObject says that an event is no object, or its id no text.
var errNoObject = errors.New("an event is a JSON object whose id is a text")

// readHead walks over one event once: it finds the head and makes sure that
// all of it is JSON.
func readHead(raw []byte) (head, error) {
	var h head
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

// take checks the structure of one event and adds it to the batch.
func (p *parcel) take(i int, raw json.RawMessage, most int) {
	if len(raw) > most {
		p.refuse(i, "the event has %d bytes; %d are the most", len(raw), most)
		return
	}
	h, err := readHead(raw)
	switch s, ok := errors.AsType[*jsontext.SyntacticError](err); {
	case ok:
		p.refuse(i, "no JSON: %v at byte %d", s.Err, s.ByteOffset)
		return
	case errors.Is(err, io.ErrUnexpectedEOF):
		p.refuse(i, "no JSON: it ends in the middle")
		return
	case err != nil:
		p.refuse(i, "%v", errNoObject)
		return
	case !h.message && !h.exceptions:
		p.refuse(i, "%v", event.ErrEmpty)
		return
	}
	id := uuid.UUID{}
	if h.id == "" {
		id, err = uuid.NewV7()
	} else if id, err = uuid.Parse(h.id); err != nil || len(h.id) != 36 {
		err = fmt.Errorf("the id %.60q is no UUID (RFC 9562); leave it out and the service makes one", h.id)
	}
	if err != nil {
		p.refuse(i, "%v", err)
		return
	}
	p.batch.Events = append(p.batch.Events, raw)
	p.batch.IDs = append(p.batch.IDs, id)
}

func blank(raw []byte) bool {
	s := string(bytes.TrimSpace(raw))
	return s == "" || s == "null" || s == `""` || s == "[]"
}
