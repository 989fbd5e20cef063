package otlp

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	commonpb "go.opentelemetry.io/proto/otlp/common/v1"
	logspb "go.opentelemetry.io/proto/otlp/logs/v1"
	resourcepb "go.opentelemetry.io/proto/otlp/resource/v1"

	"firethorn/internal/core/event"
)

// Found is what one log record or span event reports.
type Found struct {
	Index int // of the record, or of the span, in the request; from 0
	Event *event.Event
}

// Logs finds the events in log records: those that carry an exception, and of
// the others those of severity error and above, as messages. How many of these
// a project wants is its own affair.
func Logs(req *logspb.LogsData) []Found {
	var out []Found
	ids := ids{}
	index := -1
	for _, of := range req.GetResourceLogs() {
		resource := newResource(of.GetResource())
		for _, s := range of.GetScopeLogs() {
			for _, rec := range s.GetLogRecords() {
				index++
				if e := fromRecord(rec, s.GetScope()); e != nil {
					e.Resource = resource.attributes
					ids.give(e, resource, "log")
					out = append(out, Found{index, e})
				}
			}
		}
	}
	return out
}

func fromRecord(rec *logspb.LogRecord, scope *commonpb.InstrumentationScope) *event.Event {
	severity := severityOf(rec)
	exception := carries(rec.GetAttributes())
	if !exception && severity.Number() < 17 {
		return nil
	}
	a := attributes(rec.GetAttributes())
	e := &event.Event{Time: timeText(rec.GetTimeUnixNano()), Severity: severity, TraceID: idText(rec.GetTraceId()),
		SpanID: idText(rec.GetSpanId()), Attributes: a}
	if e.Time == "" {
		e.Time = timeText(rec.GetObservedTimeUnixNano())
	}
	e.Log = &event.Log{Body: bodyOf(rec.GetBody()), Name: rec.GetEventName(), SeverityText: rec.GetSeverityText()}
	if exception {
		describe(e, rec.GetAttributes())
	} else if e.Message = cut(firstOf(e.Log.Text(), rec.GetEventName(),
		rec.GetSeverityText()), longestText); e.Message == "" {
		return nil
	}
	if e.Severity == "" {
		e.Severity = "error"
	}
	if rec.GetSeverityNumber() >= logspb.SeverityNumber_SEVERITY_NUMBER_FATAL {
		e.Handled = no()
	}
	if n := rec.GetDroppedAttributesCount(); n > 0 {
		a["otel.dropped_attributes_count"] = n
	}
	inScope(e, scope)
	return e
}

// severityOf is a record's severity by its number, else by its text; "" when
// neither says one.
func severityOf(rec *logspb.LogRecord) event.Severity {
	if n := rec.GetSeverityNumber(); n > 0 {
		return event.SeverityOf(strconv.Itoa(int(n)))
	}
	return event.SeverityOf(rec.GetSeverityText())
}

// carries says whether attributes report an exception: by its type or
// message, whatever the record is called.
func carries(list []*commonpb.KeyValue) bool {
	for _, kv := range list {
		switch kv.GetKey() {
		case "exception.type", "exception.message", "exception.stacktrace":
			if kv.GetValue().GetStringValue() != "" {
				return true
			}
		}
	}
	return false
}

// describe moves what attributes say of an exception into the event's.
func describe(e *event.Event, sent []*commonpb.KeyValue) {
	x := event.Exception{Type: take(e.Attributes, "exception.type"), Message: take(e.Attributes, "exception.message"),
		Stack: takeText(sent, "exception.stacktrace")}
	delete(e.Attributes, "exception.stacktrace")
	if x.Stack == "" {
		x.Stack = takeText(sent, "code.stacktrace")
		delete(e.Attributes, "code.stacktrace")
	}
	if strings.EqualFold(take(e.Attributes, "exception.escaped"), "true") || strings.Contains(x.Stack, "\npanic(") {
		e.Handled = no()
	}
	e.Exceptions = []event.Exception{x}
}

func inScope(e *event.Event, scope *commonpb.InstrumentationScope) {
	e.Scope = scope.GetName()
	if v := scope.GetVersion(); v != "" {
		addTo(e.Attributes, "otel.scope.version", v)
	}
	addAll(e.Attributes, attributes(scope.GetAttributes()))
	if e.Scope == webException {
		e.Handled = no()
	}
}

// webException is the scope of what the browser's instrumentation reports: only
// errors that nobody caught.
const webException = "@opentelemetry/instrumentation-web-exception"

func bodyOf(v *commonpb.AnyValue) json.RawMessage {
	p := plain(v, 0)
	if p == nil {
		return nil
	}
	raw, err := json.Marshal(p)
	if err != nil {
		return nil
	}
	return raw
}

func timeText(nano uint64) string {
	if nano == 0 || nano > 1<<63-1 {
		return ""
	}
	return time.Unix(0, int64(nano)).UTC().Format(time.RFC3339Nano)
}

// idText is an id in hexadecimal; "" for an empty one and one of zeros.
func idText(b []byte) string {
	for _, c := range b {
		if c != 0 && len(b) <= 32 {
			return hex.EncodeToString(b)
		}
	}
	return ""
}

func firstOf(texts ...string) string {
	for _, t := range texts {
		if strings.TrimSpace(t) != "" {
			return t
		}
	}
	return ""
}

func no() *bool { b := false; return &b }

// resource is what several events share.
type resource struct {
	attributes event.Attributes
	hash       [32]byte
}

func newResource(r *resourcepb.Resource) resource {
	a := attributes(r.GetAttributes())
	raw, _ := json.Marshal(a) // values that JSON can say
	return resource{a, sha256.Sum256(raw)}
}

// ids gives events ids by what they say: a batch that is sent again gives the
// same. Reports that are alike in all are distinguished by their order.
type ids map[[32]byte]uint64

func (ids ids) give(e *event.Event, r resource, signal string) {
	h := sha256.New()
	part := func(s string) {
		h.Write(binary.AppendUvarint(nil, uint64(len(s))))
		h.Write([]byte(s))
	}
	h.Write(r.hash[:])
	for _, s := range []string{signal, e.TraceID, e.SpanID, e.Time, e.Scope, e.Message} {
		part(s)
	}
	for _, x := range e.Exceptions {
		part(x.Type)
		part(x.Message)
		part(x.Stack)
	}
	if e.Log != nil {
		part(string(e.Log.Body))
	}
	raw, _ := json.Marshal(e.Attributes) // values that JSON can say
	part(string(raw))
	key := [32]byte(h.Sum(nil))
	n := ids[key]
	ids[key]++
	sum := sha256.Sum256(binary.AppendUvarint(key[:], n))
	e.ID = NameUUID(sum).String()
}

// NameUUID makes a UUID of a digest (version 8 of RFC 9562, section 5.8).
func NameUUID(sum [32]byte) uuid.UUID {
	id := uuid.UUID(sum[:16])
	id[6] = id[6]&0x0f | 0x80
	id[8] = id[8]&0x3f | 0x80
	return id
}
