package otlp

import (
	"bytes"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"

	"github.com/go-json-experiment/json/jsontext"
	commonpb "go.opentelemetry.io/proto/otlp/common/v1"
	logspb "go.opentelemetry.io/proto/otlp/logs/v1"
	resourcepb "go.opentelemetry.io/proto/otlp/resource/v1"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
)

// OTLP's JSON is not the JSON of protobuf: ids are hexadecimal, enumerations
// numbers. Exporters also write 64-bit numbers as numbers, some that are no
// integers, and null for what JSON cannot say. A generic decoder misreads the
// first and refuses a batch for the others. So this reads token by token and
// makes the protobuf types: what the structure is must be right, what a leaf
// holds need not be.

// reader reads a request's JSON.
type reader struct{ d *jsontext.Decoder }

func newReader(raw []byte, hold func(int) error) (*reader, error) {
	count := bytes.Count(raw, []byte{'{'})
	if count > maxMessages {
		return nil, errTooMany
	}
	if err := hold(count * messageBytes); err != nil {
		return nil, err
	}
	return &reader{jsontext.NewDecoder(bytes.NewBuffer(raw), jsontext.AllowDuplicateNames(true),
		jsontext.AllowInvalidUTF8(true))}, nil
}

// whole reads the request: one object and nothing behind it. An empty body is
// an empty request.
func (r *reader) whole(each func(name string) error) error {
	if r.d.PeekKind() == 0 {
		if _, err := r.d.ReadToken(); errors.Is(err, io.EOF) {
			return nil
		}
	}
	err := r.object(each)
	if err == nil {
		if _, err = r.d.ReadToken(); errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = errors.New("something follows the request")
		}
	}
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return errors.New("the body is no JSON: it ends in the middle")
	}
	if syntax, ok := errors.AsType[*jsontext.SyntacticError](err); ok {
		return fmt.Errorf("the body is no JSON: %v at byte %d", syntax.Err, syntax.ByteOffset)
	}
	return err
}

// object reads an object member by member; null is an empty one.
func (r *reader) object(each func(name string) error) error {
	return r.nest('{', func() error {
		name, err := r.d.ReadToken()
		if err != nil {
			return err
		}
		return each(name.String())
	})
}

// list reads a list element by element; null is an empty one.
func (r *reader) list(each func() error) error { return r.nest('[', each) }

func (r *reader) nest(open jsontext.Kind, each func() error) error {
	switch k := r.d.PeekKind(); k {
	case 'n':
		return r.d.SkipValue()
	case open:
	default:
		if _, err := r.d.ReadToken(); err != nil {
			return err
		}
		return fmt.Errorf("%s must be %s (byte %d)", r.d.StackPointer(),
			map[jsontext.Kind]string{'{': "an object", '[': "a list"}[open], r.d.InputOffset())
	}
	if _, err := r.d.ReadToken(); err != nil {
		return err
	}
	for k := r.d.PeekKind(); k != '}' && k != ']'; k = r.d.PeekKind() {
		if k == 0 {
			_, err := r.d.ReadToken()
			return err
		}
		if err := each(); err != nil {
			return err
		}
	}
	_, err := r.d.ReadToken()
	return err
}

// leaf reads a value as text; "" for null and for what has parts.
func (r *reader) leaf() (string, error) {
	switch r.d.PeekKind() {
	case '{', '[', 'n':
		return "", r.d.SkipValue()
	}
	t, err := r.d.ReadToken()
	if err != nil {
		return "", err
	}
	return t.String(), nil
}

// text reads a text.
func (r *reader) text(into *string) (err error) {
	*into, err = r.leaf()
	return err
}

// id reads a trace or span id in hexadecimal of any case; what is none counts
// as absent.
func (r *reader) id(into *[]byte) error {
	text, err := r.leaf()
	if b, bad := hex.DecodeString(text); bad == nil {
		*into = b
	}
	return err
}

// number reads a number as text or number; what is none counts as 0.
func number[T uint32 | uint64 | logspb.SeverityNumber | tracepb.Span_SpanKind](r *reader, into *T) error {
	text, err := r.leaf()
	if n, bad := strconv.ParseUint(text, 10, 64); bad == nil {
		*into = T(n)
	} else if f, bad := strconv.ParseFloat(text, 64); bad == nil && f > 0 && f < math.MaxInt64 {
		*into = T(f)
	}
	return err
}

func (r *reader) attributes(into *[]*commonpb.KeyValue) error {
	return r.list(func() error { return r.pair(into, 0) })
}

func (r *reader) resource(into **resourcepb.Resource) error {
	*into = &resourcepb.Resource{}
	return r.object(func(name string) error {
		if name == "attributes" {
			return r.attributes(&(*into).Attributes)
		}
		return r.d.SkipValue()
	})
}

func (r *reader) scope(into **commonpb.InstrumentationScope) error {
	*into = &commonpb.InstrumentationScope{}
	return r.object(func(name string) error {
		switch name {
		case "name":
			return r.text(&(*into).Name)
		case "version":
			return r.text(&(*into).Version)
		case "attributes":
			return r.attributes(&(*into).Attributes)
		}
		return r.d.SkipValue()
	})
}

func logsFromJSON(raw []byte, hold func(int) error) (*logspb.LogsData, error) {
	r, err := newReader(raw, hold)
	if err != nil {
		return nil, err
	}
	req := &logspb.LogsData{}
	return req, r.whole(func(name string) error {
		if name != "resourceLogs" {
			return r.d.SkipValue()
		}
		return r.list(func() error {
			of := &logspb.ResourceLogs{}
			req.ResourceLogs = append(req.ResourceLogs, of)
			return r.object(func(name string) error {
				switch name {
				case "resource":
					return r.resource(&of.Resource)
				case "scopeLogs":
					return r.list(func() error {
						s := &logspb.ScopeLogs{}
						of.ScopeLogs = append(of.ScopeLogs, s)
						return r.scopeLogs(s)
					})
				}
				return r.d.SkipValue()
			})
		})
	})
}

func (r *reader) scopeLogs(s *logspb.ScopeLogs) error {
	return r.object(func(name string) error {
		switch name {
		case "scope":
			return r.scope(&s.Scope)
		case "logRecords":
			return r.list(func() error {
				rec := &logspb.LogRecord{}
				s.LogRecords = append(s.LogRecords, rec)
				return r.object(func(name string) error { return r.record(rec, name) })
			})
		}
		return r.d.SkipValue()
	})
}

func (r *reader) record(rec *logspb.LogRecord, name string) (err error) {
	switch name {
	case "timeUnixNano":
		return number(r, &rec.TimeUnixNano)
	case "observedTimeUnixNano":
		return number(r, &rec.ObservedTimeUnixNano)
	case "severityNumber":
		return number(r, &rec.SeverityNumber)
	case "severityText":
		return r.text(&rec.SeverityText)
	case "eventName":
		return r.text(&rec.EventName)
	case "body":
		rec.Body, err = r.value(0)
		return err
	case "attributes":
		return r.attributes(&rec.Attributes)
	case "droppedAttributesCount":
		return number(r, &rec.DroppedAttributesCount)
	case "traceId":
		return r.id(&rec.TraceId)
	case "spanId":
		return r.id(&rec.SpanId)
	}
	return r.d.SkipValue()
}

func tracesFromJSON(raw []byte, hold func(int) error) (*tracepb.TracesData, error) {
	r, err := newReader(raw, hold)
	if err != nil {
		return nil, err
	}
	req := &tracepb.TracesData{}
	return req, r.whole(func(name string) error {
		if name != "resourceSpans" {
			return r.d.SkipValue()
		}
		return r.list(func() error {
			of := &tracepb.ResourceSpans{}
			req.ResourceSpans = append(req.ResourceSpans, of)
			return r.object(func(name string) error {
				switch name {
				case "resource":
					return r.resource(&of.Resource)
				case "scopeSpans":
					return r.list(func() error {
						s := &tracepb.ScopeSpans{}
						of.ScopeSpans = append(of.ScopeSpans, s)
						return r.scopeSpans(s)
					})
				}
				return r.d.SkipValue()
			})
		})
	})
}

func (r *reader) scopeSpans(s *tracepb.ScopeSpans) error {
	return r.object(func(name string) error {
		switch name {
		case "scope":
			return r.scope(&s.Scope)
		case "spans":
			return r.list(func() error {
				span := &tracepb.Span{}
				s.Spans = append(s.Spans, span)
				return r.object(func(name string) error { return r.span(span, name) })
			})
		}
		return r.d.SkipValue()
	})
}

func (r *reader) span(s *tracepb.Span, name string) error {
	switch name {
	case "traceId":
		return r.id(&s.TraceId)
	case "spanId":
		return r.id(&s.SpanId)
	case "parentSpanId":
		return r.id(&s.ParentSpanId)
	case "name":
		return r.text(&s.Name)
	case "kind":
		return number(r, &s.Kind)
	case "attributes":
		return r.attributes(&s.Attributes)
	case "events":
		return r.list(func() error {
			e := &tracepb.Span_Event{}
			s.Events = append(s.Events, e)
			return r.object(func(name string) error {
				switch name {
				case "timeUnixNano":
					return number(r, &e.TimeUnixNano)
				case "name":
					return r.text(&e.Name)
				case "attributes":
					return r.attributes(&e.Attributes)
				case "droppedAttributesCount":
					return number(r, &e.DroppedAttributesCount)
				}
				return r.d.SkipValue()
			})
		})
	}
	return r.d.SkipValue()
}
