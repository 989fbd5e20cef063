// Package otlp reads OTLP requests over HTTP and finds exceptions in log records and span events (OTLP
// 1.11, semantic conventions 1.45, including deprecated names).
//
// Reading order: DecodeLogs and DecodeTraces (bytes to the protobuf types,
// bounded before anything is allocated), Logs and Traces (the events in them),
// names.go (old names of attributes).
package otlp

import (
	"errors"
	"fmt"
	"unicode/utf8"

	logspb "go.opentelemetry.io/proto/otlp/logs/v1"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/encoding/protowire"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/reflect/protoreflect"
)

// Bounds of one request, beside its bytes.
const (
	maxMessages  = 1_000_000 // records, spans, attributes and values in all
	maxDepth     = 64        // of values in values
	messageBytes = 96        // of memory that one of them takes at least
)

// errTooMany and errTooDeep are refusals of a request whose form, not whose
// contents, would take the memory.
var (
	errTooMany = fmt.Errorf("the request holds more than %d records, attributes and values; send less at a time", maxMessages)
	errTooDeep = fmt.Errorf("values are nested more than %d deep", maxDepth)
)

// Encoding is how a request is written.
type Encoding int

// The encodings of OTLP/HTTP.
const (
	Protobuf Encoding = iota
	JSON
)

// DecodeLogs reads an ExportLogsServiceRequest, whose form LogsData shares
// without the packages of a remote call. hold is told how many bytes of
// memory it will take, and may refuse. Texts that are no UTF-8 are mended.
func DecodeLogs(raw []byte, enc Encoding, hold func(bytes int) error) (*logspb.LogsData, error) {
	if enc == JSON {
		return logsFromJSON(raw, hold)
	}
	req := &logspb.LogsData{}
	return req, decode(raw, req, hold)
}

// DecodeTraces reads an ExportTraceServiceRequest, as DecodeLogs does.
func DecodeTraces(raw []byte, enc Encoding, hold func(bytes int) error) (*tracepb.TracesData, error) {
	if enc == JSON {
		return tracesFromJSON(raw, hold)
	}
	req := &tracepb.TracesData{}
	return req, decode(raw, req, hold)
}

func decode(raw []byte, into proto.Message, hold func(int) error) error {
	count := 0
	if err := inspect(into.ProtoReflect().Descriptor(), raw, 0, &count); err != nil {
		return err
	}
	if err := hold(count * messageBytes); err != nil {
		return err
	}
	if err := proto.Unmarshal(raw, into); err != nil {
		return fmt.Errorf("the body is no OTLP request: %w", err)
	}
	return nil
}

// inspect walks over a message's bytes by its description before anything is
// made of them: it counts the messages within, bounds their depth, and puts
// question marks over bytes of texts that are no UTF-8, which would refuse
// the whole request.
func inspect(md protoreflect.MessageDescriptor, raw []byte, depth int, count *int) error {
	if *count++; *count > maxMessages {
		return errTooMany
	}
	if depth > 3*maxDepth { // a value in a list is three messages deeper
		return errTooDeep
	}
	fields := md.Fields()
	for len(raw) > 0 {
		number, typ, n := protowire.ConsumeTag(raw)
		if n < 0 {
			return broken(md, n)
		}
		raw = raw[n:]
		if typ != protowire.BytesType {
			if n = protowire.ConsumeFieldValue(number, typ, raw); n < 0 {
				return broken(md, n)
			}
			raw = raw[n:]
			continue
		}
		value, n := protowire.ConsumeBytes(raw)
		if n < 0 {
			return broken(md, n)
		}
		raw = raw[n:]
		switch f := fields.ByNumber(number); {
		case f == nil:
		case f.Kind() == protoreflect.MessageKind:
			if err := inspect(f.Message(), value, depth+1, count); err != nil {
				return err
			}
		case f.Kind() == protoreflect.StringKind && !utf8.Valid(value):
			mend(value)
		}
	}
	return nil
}

func broken(md protoreflect.MessageDescriptor, n int) error {
	err := protowire.ParseError(n)
	if errors.Is(err, errCutOff) {
		return fmt.Errorf("the body ends in the middle of a %s", md.Name())
	}
	return fmt.Errorf("a %s cannot be read: %w", md.Name(), err)
}

// errCutOff is what protowire says of bytes that end too early.
var errCutOff = protowire.ParseError(-1)

// mend replaces bytes that are no UTF-8, in place.
func mend(text []byte) {
	for len(text) > 0 {
		r, n := utf8.DecodeRune(text)
		if r == utf8.RuneError && n == 1 {
			text[0] = '?'
		}
		text = text[n:]
	}
}
