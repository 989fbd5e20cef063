package event

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"time"
	"unicode/utf8"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"firethorn/internal/core/text"
)

// Limits bound what one event may carry. What is over a limit is cut from the
// less useful end, and the event says so in its Notes.
type Limits struct {
	Attributes, Breadcrumbs, Frames, Exceptions, Threads int
	State                                                int // bytes
	Text                                                 int // bytes of one text value
	Stack                                                int // bytes of one stack text
}

// DefaultLimits are the limits of the event format.
var DefaultLimits = Limits{Attributes: 200, Breadcrumbs: 200, Frames: 500, Exceptions: 20, Threads: 512,
	State: 64 << 10, Text: 16 << 10, Stack: 1 << 20}

// MaxStandsFor is how many events one can represent.
const MaxStandsFor = 10_000

// ErrEmpty is the refusal of an event with neither message nor exception.
var ErrEmpty = errors.New("an event needs a message or an exception: give \"message\" or \"exceptions\"")

// knownFields are the names of the JSON fields of Event.
var knownFields = func() map[string]bool {
	m := map[string]bool{}
	t := reflect.TypeFor[Event]()
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		m[name] = true
	}
	delete(m, "notes")
	delete(m, "extra")
	return m
}()

// lenient lets pass what was always read: a name given twice, bytes that are
// no UTF-8 (intake has replaced those of the outside).
var lenient = jsonv2.JoinOptions(jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))

// kindWords name kinds of JSON values.
var kindWords = map[jsontext.Kind]string{'n': "null", 't': "true", 'f': "false", '"': "a text", '0': "a number",
	'{': "an object", '[': "an array"}

// Decode reads one event, fills what is absent, and cuts what is over the
// limits. It fails on what cannot be read at all, with the field's name.
func Decode(raw []byte, lim Limits) (*Event, error) {
	var e Event
	if err := jsonv2.Unmarshal(raw, &e, lenient); err != nil {
		if t, ok := errors.AsType[*jsonv2.SemanticError](err); ok {
			if t.Err != nil { // a type's own word
				if w := t.Err.Error(); strings.HasPrefix(w, "attributes must") {
					return nil, fmt.Errorf("not readable as an event: %s (byte %d)", w, t.ByteOffset)
				}
			}
			field := strings.ReplaceAll(strings.TrimPrefix(string(t.JSONPointer), "/"), "/", ".")
			return nil, fmt.Errorf("field %q holds %s, which does not fit (byte %d)", field, kindWords[t.JSONKind],
				t.ByteOffset)
		}
		return nil, fmt.Errorf("not readable as an event: %w", err)
	}
	e.Extra = unknownFields(raw)
	if err := e.complete(lim); err != nil {
		return nil, err
	}
	return &e, nil
}

// complete fills what is absent of an event that was read, and cuts what is over the limits.
func (e *Event) complete(lim Limits) error {
	e.Notes = nil
	if e.Message == "" && len(e.Exceptions) == 0 {
		return ErrEmpty
	}
	if e.Severity == "" {
		e.Severity = "info"
		if len(e.Exceptions) > 0 {
			e.Severity = "error"
		}
	}
	if e.StandsFor < 1 {
		e.StandsFor = 1
	}
	if e.StandsFor > MaxStandsFor {
		e.note("stands_for was %d; 10,000 is the maximum", e.StandsFor)
		e.StandsFor = MaxStandsFor
	}
	e.TraceID, e.SpanID = strings.ToLower(e.TraceID), strings.ToLower(e.SpanID) // some senders write upper case
	e.fixParents()
	e.cut(lim)
	return nil
}

// unknownFields finds the fields of an object that the format does not know.
// raw is valid JSON; the names are compared as they are written.
func unknownFields(raw []byte) map[string]json.RawMessage {
	var out map[string]json.RawMessage
	for f, ok := nextField(raw, 0); ok; f, ok = nextField(raw, f.end) {
		if knownFields[string(f.name)] {
			continue
		}
		if out == nil {
			out = map[string]json.RawMessage{}
		}
		out[string(f.name)] = f.value
	}
	return out
}

// field is a name and a value of an object, as they are written.
type field struct {
	name, value []byte
	start, end  int // of both, in the text of the object
}

// nextField finds the next name and value at the top of the object, from i on. raw is valid JSON.
func nextField(raw []byte, i int) (f field, ok bool) {
	open := bytes.IndexByte(raw[i:], '"')
	if open < 0 {
		return f, false
	}
	f.start = i + open
	i = text.JSONStringEnd(raw, f.start)
	f.name = raw[f.start+1 : i-1]
	for i < len(raw) && raw[i] != ':' {
		i++
	}
	from, depth := i+1, 0
	for i++; i < len(raw); i++ {
		switch raw[i] {
		case '"':
			i = text.JSONStringEnd(raw, i) - 1
		case '{', '[':
			depth++
		case '}', ']':
			if depth--; depth < 0 {
				f.value, f.end = bytes.TrimSpace(raw[from:i]), i
				return f, true
			}
		case ',':
			if depth == 0 {
				f.value, f.end = bytes.TrimSpace(raw[from:i]), i
				return f, true
			}
		}
	}
	return f, false
}

func (e *Event) note(format string, args ...any) {
	e.Notes = append(e.Notes, fmt.Sprintf(format, args...))
}

// fixParents gives every exception but the first a parent before it; without
// one it is the cause of the exception before.
func (e *Event) fixParents() {
	for i := range e.Exceptions {
		x := &e.Exceptions[i]
		if i == 0 {
			x.Parent, x.Relation = nil, ""
			continue
		}
		if x.Parent == nil || *x.Parent < 0 || *x.Parent >= i {
			p := i - 1
			x.Parent = &p
		}
		if x.Relation != "suppressed" && x.Relation != "member" && x.Relation != "context" {
			x.Relation = "cause"
		}
	}
}

func (e *Event) cut(lim Limits) {
	e.Exceptions = cutList(e, "exceptions", e.Exceptions, lim.Exceptions)
	for i := range e.Exceptions {
		x := &e.Exceptions[i]
		x.Frames = cutList(e, "frames", x.Frames, lim.Frames)
		x.Message = e.cutText("exception message", x.Message, lim.Text)
		x.Type = e.cutText("exception type", x.Type, 512)
		x.Stack = e.cutText("stack", x.Stack, lim.Stack)
	}
	if n := len(e.Breadcrumbs) - lim.Breadcrumbs; n > 0 {
		e.note("%d of %d breadcrumbs were cut, the oldest", n, len(e.Breadcrumbs))
		e.Breadcrumbs = e.Breadcrumbs[n:]
	}
	e.Threads = cutList(e, "threads", e.Threads, lim.Threads)
	e.Message = e.cutText("message", e.Message, lim.Text)
	e.cutAttributes("attributes", e.Attributes, lim)
	e.cutAttributes("resource attributes", e.Resource, lim)
	if len(e.State) > lim.State {
		e.note("the state snapshot of %d bytes was left out: %d are the most", len(e.State), lim.State)
		e.State = nil
	}
}

func cutList[T any](e *Event, what string, list []T, limit int) []T {
	if len(list) <= limit {
		return list
	}
	e.note("%d of %d %s were cut, the last ones", len(list)-limit, len(list), what)
	return list[:limit]
}

func (e *Event) cutText(what, s string, limit int) string {
	if len(s) <= limit {
		return s
	}
	e.note("%s was cut from %d to %d bytes", what, len(s), limit)
	return TrimText(s, limit)
}

func (e *Event) cutAttributes(what string, a Attributes, lim Limits) {
	names := a.Names()
	if len(names) > lim.Attributes {
		e.note("%d of %d %s were cut, the last by name", len(names)-lim.Attributes, len(names), what)
		for _, n := range names[lim.Attributes:] {
			delete(a, n)
		}
	}
	for k, v := range a {
		if s, ok := v.(string); ok && len(s) > lim.Text {
			a[k] = e.cutText(k, s, lim.Text)
		}
	}
}

// TrimText cuts s to at most most bytes without breaking a character.
func TrimText(s string, limit int) string {
	if len(s) <= limit {
		return s
	}
	for limit > 0 && !utf8.RuneStart(s[limit]) {
		limit--
	}
	return s[:limit]
}

// When is the time that counts for an event, and why it differs from the one
// sent; Reason is "" when it does not.
type When struct {
	Thrown time.Time // corrected
	Sent   time.Time // as sent; zero when absent or unreadable
	// Odd says that the time as sent cannot say where the event is kept: it is
	// absent, unreadable, or outside the days that are kept. The day of
	// receipt does.
	Odd    bool
	Reason string
}

// Clock corrects an event's time. sent is the envelope's own time (zero when
// absent): the difference between it and received is the sender's clock error.
// keep is how long events are kept.
func (e *Event) Clock(sent, received time.Time, keep time.Duration) When {
	t, err := time.Parse(time.RFC3339Nano, e.Time)
	if e.Time == "" {
		return When{Thrown: received, Odd: true, Reason: "no time was sent; the time of receipt counts"}
	}
	if err != nil {
		return When{Thrown: received, Odd: true,
			Reason: fmt.Sprintf("the time %q is not RFC 3339; the time of receipt counts", TrimText(e.Time, 40))}
	}
	oldest, latest := received.Add(-keep), received.Add(24*time.Hour)
	w := When{Thrown: t.UTC(), Sent: t.UTC(), Odd: t.Before(oldest) || t.After(latest)}
	if !sent.IsZero() {
		if off := received.Sub(sent); off > time.Minute || off < -time.Minute {
			w.Thrown = w.Thrown.Add(off)
			w.Reason = fmt.Sprintf("the sender's clock was off by %s; corrected", off.Round(time.Second))
		}
	}
	switch {
	case w.Thrown.After(latest):
		w.Thrown, w.Reason = received, "the time sent lies more than 24 h ahead; the time of receipt counts"
	case w.Thrown.Before(oldest):
		w.Thrown, w.Reason = received, "the time sent is older than events are kept; the time of receipt counts"
	}
	return w
}
