package intake

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"io"
	"strconv"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
)

// walker goes once over a body: it makes sure that all of it is JSON, finds its
// messages, and reads the heads of events on the way.
type walker struct {
	raw  []byte
	list string // that the messages have in an envelope
	d    *jsontext.Decoder
}

func decoder(raw []byte) *jsontext.Decoder {
	return jsontext.NewDecoder(bytes.NewBuffer(raw), jsontext.AllowDuplicateNames(true),
		jsontext.AllowInvalidUTF8(true))
}

// object reads an envelope, or one message.
func (w walker) object(o *opened) error {
	var env envelope
	var h head
	err := h.read(w.d, func(name string) (ok bool, err error) {
		switch name {
		case w.list:
			env.messages, err = w.elements()
			return true, err
		case "sent", "resource", "dropped":
			v, err := w.d.ReadValue()
			to := int(w.d.InputOffset())
			env.set(name, w.raw[to-len(v):to:to])
			return true, err
		}
		return false, nil
	})
	if err != nil {
		return err
	}
	if env.messages == nil {
		o.pieces = []piece{{raw: w.raw, head: &h}}
		return nil
	}
	return env.open(o)
}

// elements reads an array of messages; nil is null. It reads no further than one
// element over the bound.
func (w walker) elements() ([]piece, error) {
	switch t, err := w.d.ReadToken(); {
	case err != nil || t.Kind() == 'n':
		return nil, err
	case t.Kind() != '[':
		return nil, errNoArray
	}
	list := []piece{}
	for w.d.PeekKind() != ']' {
		p := piece{index: len(list)}
		var from, to int
		if w.list == "events" && w.d.PeekKind() == '{' {
			p.head = &head{}
			if err := p.head.read(w.d, nil); err != nil {
				return nil, err
			}
			from, to = p.head.from, int(w.d.InputOffset())
		} else {
			v, err := w.d.ReadValue()
			if err != nil {
				return nil, err
			}
			to = int(w.d.InputOffset())
			from = to - len(v)
		}
		if len(list) == maxElements {
			return nil, errManyElements
		}
		p.raw = w.raw[from:to:to]
		list = append(list, p)
	}
	_, err := w.d.ReadToken()
	return list, err
}

// end makes sure that nothing follows.
func (w walker) end() error {
	if _, err := w.d.ReadToken(); !errors.Is(err, io.EOF) {
		return cmp.Or(err, error(errNeither))
	}
	return nil
}

// envelope is a request that holds messages beside what they share.
type envelope struct {
	messages                []piece
	sent, resource, dropped json.RawMessage
}

func (e *envelope) set(name string, v json.RawMessage) {
	switch name {
	case "sent":
		e.sent = v
	case "resource":
		e.resource = v
	case "dropped":
		e.dropped = v
	}
}

// open hands over the messages, and what they share.
func (e *envelope) open(o *opened) error {
	sent := ""
	if err := fits("sent", e.sent, &sent); err != nil {
		return err
	}
	if err := fits("dropped", e.dropped, &o.dropped); err != nil {
		return err
	}
	o.sent, _ = time.Parse(time.RFC3339Nano, sent) // unreadable: the clock is not corrected
	o.pieces = e.messages
	if len(e.resource) > maxShared || len(e.resource)*len(o.pieces) > maxFound {
		return problem.New(problem.TooLarge, "the envelope's resource has %d bytes and counts for each of its %d elements; %d bytes are the most, and %d MiB for all together: send fewer attributes or fewer elements", len(e.resource), len(o.pieces), maxShared, maxFound>>20)
	}
	var shared event.Attributes
	if err := fits("resource", e.resource, &shared); err != nil {
		return err
	}
	if shared != nil {
		o.resource = e.resource
	}
	return nil
}

// fits reads a field of an envelope; absent it leaves to as it is.
func fits(name string, raw json.RawMessage, to any) error {
	if len(raw) == 0 {
		return nil
	}
	if err := json.Unmarshal(raw, to); err != nil {
		return problem.New(problem.BadInput, "the envelope's %s: %v", name, err)
	}
	return nil
}

// head is what intake looks at in an event.
type head struct {
	from                int // where the event begins in the body
	id                  string
	odd                 bool  // the id is no text
	message, exceptions bool  // there, and not blank
	standsFor           int64 // at least 1
	log                 bool  // it was found in a log
	severity            event.Severity
}

// errNoObject says that an event is no object, or its id no text.
var errNoObject = errors.New("an event is a JSON object whose id is a text")

// readHead walks over one event, which is all of raw.
func readHead(raw []byte) (*head, error) {
	w := walker{raw: raw, d: decoder(raw)}
	h := &head{}
	if k := w.d.PeekKind(); k != '{' && k != 0 {
		return nil, errNoObject
	}
	err := h.read(w.d, nil)
	if err == nil {
		err = w.end()
	}
	if errors.Is(err, errNeither) {
		err = errNoObject
	}
	return h, err
}

// read walks over the object that comes next. other, if any, is asked first for
// each name whether it reads the value.
func (h *head) read(d *jsontext.Decoder, other func(name string) (ok bool, err error)) error {
	if _, err := d.ReadToken(); err != nil {
		return err
	}
	h.standsFor, h.from = 1, int(d.InputOffset())-1
	for d.PeekKind() == '"' {
		t, err := d.ReadToken()
		if err != nil {
			return err
		}
		name := t.String()
		if other != nil {
			if ok, err := other(name); err != nil {
				return err
			} else if ok {
				continue
			}
		}
		if err := h.field(d, name); err != nil {
			return err
		}
	}
	_, err := d.ReadToken() // the closing brace
	return err
}

func (h *head) field(d *jsontext.Decoder, name string) error {
	switch name {
	case "id", "message", "exceptions", "log", "severity", "stands_for":
	default:
		_, err := d.ReadValue() // SkipValue goes token by token
		return err
	}
	v, err := d.ReadValue()
	if err != nil {
		return err
	}
	switch name {
	case "id":
		h.id = ""
		h.odd = json.Unmarshal(v, &h.id) != nil
	case "message":
		h.message = !blank(v)
	case "exceptions":
		h.exceptions = !blank(v)
	case "log":
		h.log = v.Kind() == '{'
	case "severity":
		_ = h.severity.UnmarshalJSON(v) // an odd one counts as none
	case "stands_for":
		if n, err := strconv.ParseFloat(string(v), 64); err == nil {
			h.standsFor = int64(max(1, min(n, event.MaxStandsFor)))
		}
	}
	return nil
}
