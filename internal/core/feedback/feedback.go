// Package feedback reads the feedback of users who were hit by an error.
package feedback

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"unicode"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
)

// Limits of what is kept, in bytes: of a novel the beginning.
const (
	LongestText    = 8 << 10
	longestContact = 200
)

// Feedback is what one person said.
type Feedback struct {
	ID          uuid.UUID // uuid.Nil: the sender gave none
	Event       uuid.UUID // what it is about; uuid.Nil: nothing in particular
	Text        string
	Cut         bool // the text was longer
	Name, Email string
	About       event.Event // its time, attributes and resource
}

// ErrNoText refuses feedback that says nothing.
var ErrNoText = errors.New("feedback needs a text: what the person says")

// Decode reads feedback; resource is what its envelope gives it. The text is
// kept as it was written, without control characters: it is never markup.
func Decode(raw, resource json.RawMessage) (*Feedback, error) {
	var in struct {
		ID         string           `json:"id"`
		Time       any              `json:"time"`
		Event      string           `json:"event"`
		Text       string           `json:"text"`
		Name       any              `json:"user.name"`
		Email      any              `json:"user.email"`
		Attributes event.Attributes `json:"attributes"`
		Resource   event.Attributes `json:"resource"`
	}
	if err := json.Unmarshal(raw, &in); err != nil {
		if t, ok := errors.AsType[*json.UnmarshalTypeError](err); ok {
			return nil, fmt.Errorf("%q holds a %s, which does not fit", t.Field, t.Value)
		}
		return nil, fmt.Errorf("no feedback: %w", err)
	}
	f := &Feedback{Text: strings.TrimSpace(plain(in.Text))}
	if f.Text == "" {
		return nil, ErrNoText
	}
	if len(f.Text) > LongestText {
		f.Text, f.Cut = event.TrimText(f.Text, LongestText), true
	}
	for _, id := range []struct {
		what, text string
		into       *uuid.UUID
	}{{"id", in.ID, &f.ID}, {"event", in.Event, &f.Event}} {
		if id.text == "" {
			continue
		}
		var err error
		if *id.into, err = uuid.Parse(id.text); err != nil || len(id.text) != 36 {
			return nil, fmt.Errorf("the %s %.60q is no UUID (RFC 9562)", id.what, id.text)
		}
	}
	name, _ := in.Name.(string)
	email, _ := in.Email.(string)
	f.Name, f.Email = line(name), line(email)
	t, _ := in.Time.(string)
	f.About = event.About(t, in.Attributes, in.Resource, resource)
	return f, nil
}

// plain takes out what no person types: control characters, and those that
// turn the direction of the text around them.
func plain(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\n' || r == '\t':
			return r
		case r == '\r', unicode.IsControl(r), r >= 0x202a && r <= 0x202e, r >= 0x2066 &&
			r <= 0x2069, r == 0x200e, r == 0x200f, r == 0x061c:
			return -1
		}
		return r
	}, s)
}

func line(s string) string {
	return event.TrimText(strings.Join(strings.Fields(plain(s)), " "), longestContact)
}
