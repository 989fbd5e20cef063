package intake

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"iter"
	"time"
	"unicode/utf8"

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
	ID         *string         `json:"id"`
	Message    json.RawMessage `json:"message"`
	Exceptions json.RawMessage `json:"exceptions"`
}

// take checks the structure of one event and adds it to the batch.
func (p *parcel) take(i int, raw json.RawMessage, most int) {
	if len(raw) > most {
		p.refuse(i, "the event has %d bytes; %d are the most", len(raw), most)
		return
	}
	var h head
	if err := json.Unmarshal(raw, &h); err != nil {
		if s, ok := errors.AsType[*json.SyntaxError](err); ok {
			p.refuse(i, "no JSON: %v at byte %d", s, s.Offset)
		} else {
			p.refuse(i, "an event is a JSON object whose id is a text")
		}
		return
	}
	if blank(h.Message) && blank(h.Exceptions) {
		p.refuse(i, "%v", event.ErrEmpty)
		return
	}
	id := uuid.UUID{}
	var err error
	if h.ID == nil || *h.ID == "" {
		id, err = uuid.NewV7()
	} else if id, err = uuid.Parse(*h.ID); err != nil || len(*h.ID) != 36 {
		err = fmt.Errorf("the id %.60q is no UUID (RFC 9562); leave it out and the service makes one", *h.ID)
	}
	if err != nil {
		p.refuse(i, "%v", err)
		return
	}
	p.batch.Events = append(p.batch.Events, raw)
	p.batch.IDs = append(p.batch.IDs, id)
}

func blank(raw json.RawMessage) bool {
	s := string(bytes.TrimSpace(raw))
	return s == "" || s == "null" || s == `""` || s == "[]"
}
