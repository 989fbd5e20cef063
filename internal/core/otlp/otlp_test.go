package otlp

import (
	"bytes"
	"encoding/hex"
	"errors"
	"math"
	"strings"
	"testing"

	commonpb "go.opentelemetry.io/proto/otlp/common/v1"
	logspb "go.opentelemetry.io/proto/otlp/logs/v1"
	resourcepb "go.opentelemetry.io/proto/otlp/resource/v1"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/encoding/protowire"
	"google.golang.org/protobuf/proto"
)

func anyHold(int) error { return nil }

func text(key, value string) *commonpb.KeyValue {
	return &commonpb.KeyValue{Key: key, Value: &commonpb.AnyValue{Value: &commonpb.AnyValue_StringValue{StringValue: value}}}
}

func whole(key string, value int64) *commonpb.KeyValue {
	return &commonpb.KeyValue{Key: key, Value: &commonpb.AnyValue{Value: &commonpb.AnyValue_IntValue{IntValue: value}}}
}

func logsOf(t *testing.T, raw string) []Found {
	t.Helper()
	req, err := DecodeLogs([]byte(raw), JSON, anyHold)
	if err != nil {
		t.Fatal(err)
	}
	return Logs(req)
}

const gateLog = `{"resourceLogs":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"gangway"}},{"key":"deployment.environment","value":{"stringValue":"staging"}}]},
 "scopeLogs":[{"scope":{"name":"gates","version":"1.2"},"logRecords":[
 {"timeUnixNano":"1764000000000000001","severityNumber":9,"body":{"stringValue":"gate open"}},
 {"timeUnixNano":1764000000000000002,"severityNumber":17,"severityText":"ERROR","body":{"stringValue":"scan failed"},"traceId":"0AF7651916CD43DD8448EB211C80319C","spanId":"B7AD6B7169203331","flags":1,
  "attributes":[{"key":"exception.type","value":{"stringValue":"ScanError"}},{"key":"exception.message","value":{"stringValue":"no such ticket"}},{"key":"exception.stacktrace","value":{}},
   {"key":"lane","value":{"intValue":3}},{"key":"tries","value":{"intValue":"4"}},{"key":"far","value":{"intValue":1e+21}},{"key":"odd","value":{"doubleValue":null}},{"key":"nan","value":{"doubleValue":"NaN"}},
   {"key":"half","value":{"doubleValue":0.5}},{"key":"list","value":{"arrayValue":{"values":[{"stringValue":"a"},{"intValue":2}]}}},{"key":"tree","value":{"kvlistValue":{"values":[{"key":"leaf","value":{"boolValue":true}}]}}},
   {"key":"bytes","value":{"bytesValue":"AQI="}},{"key":"wrong","value":{"boolValue":"perhaps"}},{"key":"none","value":{}},{"key":"scalar","value":7},42,
   {"key":"http.method","value":{"stringValue":"GET"}},{"key":"http.target","value":{"stringValue":"/scan?ticket=1"}}],"unknown":{"x":[1]}}]}]}],"more":1}`

func TestLogs_FromJSONAsExportersWriteIt(t *testing.T) {
	found := logsOf(t, gateLog)
	if len(found) != 1 || found[0].Index != 1 {
		t.Fatalf("found %+v", found)
	}
	e := found[0].Event
	if e.TraceID != "0af7651916cd43dd8448eb211c80319c" || e.SpanID != "b7ad6b7169203331" || e.Time != "2025-11-24T16:00:00.000000002Z" || e.Severity != "error" || e.Scope != "gates" || e.Handled != nil {
		t.Errorf("event %+v", e)
	}
	if x := e.Exceptions[0]; x.Type != "ScanError" || x.Message != "no such ticket" || x.Stack != "" {
		t.Errorf("exception %+v", x)
	}
	if e.Log.Text() != "scan failed" || e.Log.SeverityText != "ERROR" {
		t.Errorf("log %+v", e.Log)
	}
	for name, want := range map[string]string{"lane": "3", "tries": "4", "far": "1e+21", "nan": "NaN", "half": "0.5", "bytes": "AQI=", "wrong": "perhaps", "http.request.method": "GET", "url.path": "/scan", "url.query": "ticket=1", "otel.scope.version": "1.2"} {
		if got := e.Attributes.Text(name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	for _, gone := range []string{"odd", "none", "scalar", "http.method", "http.target", "exception.type"} {
		if v, has := e.Attributes[gone]; has {
			t.Errorf("%s is still there: %v", gone, v)
		}
	}
	if e.Environment() != "staging" {
		t.Errorf("environment %q", e.Environment())
	}
}

func TestDecode_ProtobufAndJSONAgree(t *testing.T) {
	req, err := DecodeLogs([]byte(gateLog), JSON, anyHold)
	if err != nil {
		t.Fatal(err)
	}
	raw, err := proto.Marshal(req)
	if err != nil {
		t.Fatal(err)
	}
	again, err := DecodeLogs(raw, Protobuf, anyHold)
	if err != nil {
		t.Fatal(err)
	}
	a, b := Logs(req), Logs(again)
	if len(b) != 1 || a[0].Event.ID != b[0].Event.ID || len(a[0].Event.ID) != 36 {
		t.Errorf("ids %s and %s", a[0].Event.ID, b[0].Event.ID)
	}
}

func TestLogs_IDsTellRecordsApartAndRepeatsNot(t *testing.T) {
	twice := strings.Replace(gateLog, `{"timeUnixNano":"1764000000000000001","severityNumber":9,"body":{"stringValue":"gate open"}}`, strings.Split(strings.Split(gateLog, "\"gate open\"}},\n ")[1], `]}]}],"more"`)[0], 1)
	a, b := logsOf(t, twice), logsOf(t, twice)
	if len(a) != 2 || a[0].Event.ID == a[1].Event.ID {
		t.Fatalf("two records that are alike in all: %d, %v", len(a), a)
	}
	for i := range a {
		if a[i].Event.ID != b[i].Event.ID {
			t.Errorf("record %d has another id the second time", i)
		}
	}
	later := logsOf(t, strings.Replace(gateLog, "0000002,", "0000003,", 1))
	if later[0].Event.ID == a[0].Event.ID {
		t.Error("another time, the same id")
	}
}

func TestLogs_MessagesFromErrorOn(t *testing.T) {
	rec := func(severity logspb.SeverityNumber, text string, body *commonpb.AnyValue) *logspb.LogRecord {
		return &logspb.LogRecord{SeverityNumber: severity, SeverityText: text, Body: body, ObservedTimeUnixNano: 5e9}
	}
	said := &commonpb.AnyValue{Value: &commonpb.AnyValue_StringValue{StringValue: "no tide"}}
	found := Logs(&logspb.LogsData{ResourceLogs: []*logspb.ResourceLogs{{ScopeLogs: []*logspb.ScopeLogs{{LogRecords: []*logspb.LogRecord{
		rec(16, "", said), rec(17, "", said), rec(0, "FATAL", said), rec(0, "loud", said), rec(21, "", nil), nil, rec(21, "", &commonpb.AnyValue{Value: &commonpb.AnyValue_KvlistValue{KvlistValue: &commonpb.KeyValueList{Values: []*commonpb.KeyValue{whole("berth", 4)}}}}),
	}}}}}})
	if len(found) != 3 || found[0].Event.Message != "no tide" || found[0].Event.Severity != "error" || found[0].Event.Time != "1970-01-01T00:00:05Z" || found[1].Event.Severity != "fatal" {
		t.Fatalf("found %d: %+v", len(found), found)
	}
	if e := found[2].Event; e.Message != `{"berth":4}` || e.Handled == nil || *e.Handled {
		t.Errorf("a fatal record with a tree as its body: %+v", e)
	}
}

// request is a server span, a span within it that failed, and one below that
// of a call to another server.
func request() *tracepb.TracesData {
	trace := bytes.Repeat([]byte{0xab}, 16)
	span := func(id, parent byte, kind tracepb.Span_SpanKind, attributes []*commonpb.KeyValue, events ...*tracepb.Span_Event) *tracepb.Span {
		s := &tracepb.Span{TraceId: trace, SpanId: bytes.Repeat([]byte{id}, 8), Name: "span", Kind: kind, Attributes: attributes, Events: events}
		if parent != 0 {
			s.ParentSpanId = bytes.Repeat([]byte{parent}, 8)
		}
		return s
	}
	thrown := &tracepb.Span_Event{Name: "exception", TimeUnixNano: 7e9, Attributes: []*commonpb.KeyValue{text("exception.message", "berth 4 is taken"), text("exception.escaped", "True"), text("code.function", "assign"), text("code.namespace", "example.com/bosun/crew"), text("code.filepath", "/app/crew.go"), whole("code.lineno", 12)}}
	return &tracepb.TracesData{ResourceSpans: []*tracepb.ResourceSpans{{Resource: &resourcepb.Resource{Attributes: []*commonpb.KeyValue{text("service.name", "bosun")}}, ScopeSpans: []*tracepb.ScopeSpans{
		{Scope: &commonpb.InstrumentationScope{Name: "crew"}, Spans: []*tracepb.Span{
			span(3, 2, tracepb.Span_SPAN_KIND_CLIENT, []*commonpb.KeyValue{text("http.request.method", "POST"), text("url.full", "http://harbour.example/berths")}, thrown),
			span(2, 1, tracepb.Span_SPAN_KIND_INTERNAL, []*commonpb.KeyValue{text("crew.id", "c-7")}, &tracepb.Span_Event{Name: "retry"}, thrown)}},
		{Scope: &commonpb.InstrumentationScope{Name: "http"}, Spans: []*tracepb.Span{
			span(1, 1, tracepb.Span_SPAN_KIND_SERVER, []*commonpb.KeyValue{text("http.method", "PUT"), text("http.route", "/crew/{id}"), text("enduser.id", "p-12"), whole("http.status_code", 500), text("db.system", "none")})}},
	}}}}
}

func TestTraces_JoinTheRequestAround(t *testing.T) {
	found := Traces(request())
	if len(found) != 2 || found[0].Index != 0 || found[1].Index != 1 {
		t.Fatalf("found %+v", found)
	}
	call, inner := found[0].Event, found[1].Event
	if m := call.Attributes.Text("http.request.method"); m != "POST" || call.Attributes.Text("http.route") != "" {
		t.Errorf("the call's own request is mixed with the one around it: %v", call.Attributes)
	}
	if inner.Attributes.Text("http.request.method") != "PUT" || inner.Attributes.Text("http.response.status_code") != "500" || inner.Attributes.Text("crew.id") != "c-7" || inner.Attributes.Text("db.system") != "" {
		t.Errorf("attributes %v", inner.Attributes)
	}
	if name, value := inner.Identity(); name != "enduser.id" || value != "p-12" {
		t.Errorf("hit %s %s", name, value)
	}
	if inner.Handled == nil || *inner.Handled || inner.Scope != "crew" || inner.Span.Kind != "internal" || inner.Span.ParentID != strings.Repeat("01", 8) || inner.Severity != "error" {
		t.Errorf("event %+v span %+v", inner, inner.Span)
	}
	if f := inner.Attributes.Text("code.function.name") + " " + inner.Attributes.Text("code.file.path") + ":" + inner.Attributes.Text("code.line.number"); f != "example.com/bosun/crew.assign /app/crew.go:12" {
		t.Errorf("code %s", f)
	}
	if found[0].Event.ID == found[1].Event.ID {
		t.Error("two spans, one id")
	}
}

func TestTraces_JSONKeepsWhatProtobufSays(t *testing.T) {
	req, err := DecodeTraces([]byte(`{"resourceSpans":[{"scopeSpans":[{"spans":[{"traceId":"AB","spanId":"cd","parentSpanId":"","name":"n","kind":2,"events":[{"timeUnixNano":"9","name":"exception","droppedAttributesCount":2,"attributes":[{"key":"exception.type","value":{"stringValue":"E"}}]}]}]}]}]}`), JSON, anyHold)
	if err != nil {
		t.Fatal(err)
	}
	e := Traces(req)[0].Event
	if e.TraceID != "ab" || e.SpanID != "cd" || e.Span.Kind != "server" || e.Attributes["otel.dropped_attributes_count"] != uint32(2) {
		t.Errorf("event %+v, span %+v", e, e.Span)
	}
}

func TestDecode_RefusesWhatCannotBeRead(t *testing.T) {
	raw, err := proto.Marshal(request())
	if err != nil {
		t.Fatal(err)
	}
	for n := range raw {
		req, err := DecodeTraces(raw[:n], Protobuf, anyHold)
		if n > 0 && err == nil {
			t.Fatalf("the first %d bytes of %d pass: %v", n, len(raw), req)
		}
	}
	for body, want := range map[string]string{
		`{"resourceLogs":[{"scopeLogs"`: "ends in the middle", `[]`: "must be an object", `{"resourceLogs":5}`: "must be a list", `{"resourceLogs":[]} x`: "no JSON", `{"resourceLogs":[]}{}`: "something follows", "\x0a\x05": "no JSON",
	} {
		if _, err := DecodeLogs([]byte(body), JSON, anyHold); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", body, err, want)
		}
	}
	for _, body := range []string{"", "{}", `{"resourceLogs":null}`, " \n"} {
		if req, err := DecodeLogs([]byte(body), JSON, anyHold); err != nil || len(Logs(req)) != 0 {
			t.Errorf("%q: %v", body, err)
		}
	}
}

func TestDecode_BoundsWhatAFormCosts(t *testing.T) {
	empty := bytes.Repeat([]byte{0x0a, 0x00}, maxMessages+1) // resource_logs, each with nothing in it
	if _, err := DecodeLogs(empty, Protobuf, anyHold); !errors.Is(err, errTooMany) {
		t.Errorf("a million empty messages: %v", err)
	}
	if _, err := DecodeLogs([]byte(`{"resourceLogs":[`+strings.Repeat("{},", maxMessages)+`{}]}`), JSON, anyHold); !errors.Is(err, errTooMany) {
		t.Errorf("a million empty objects: %v", err)
	}
	full := errors.New("full")
	for _, enc := range []Encoding{Protobuf, JSON} {
		body := map[Encoding]string{Protobuf: "\x0a\x00\x0a\x00", JSON: `{"resourceLogs":[{}]}`}[enc]
		held := 0
		_, err := DecodeLogs([]byte(body), enc, func(n int) error { held = n; return full })
		if !errors.Is(err, full) || held < messageBytes {
			t.Errorf("encoding %d: %v, %d held", enc, err, held)
		}
	}
	deep := []byte{}
	for range 3 * maxDepth { // AnyValue{array_value{values}}
		deep = protowire.AppendBytes(protowire.AppendTag(nil, 1, protowire.BytesType), deep)
		deep = protowire.AppendBytes(protowire.AppendTag(nil, 5, protowire.BytesType), deep)
	}
	body := protowire.AppendBytes(protowire.AppendTag(nil, 5, protowire.BytesType), deep)
	for range 3 { // record in scope in resource
		body = protowire.AppendBytes(protowire.AppendTag(nil, 2, protowire.BytesType), body)
	}
	body[0] = 0x0a
	if _, err := DecodeLogs(body, Protobuf, anyHold); !errors.Is(err, errTooDeep) {
		t.Errorf("values in values: %v", err)
	}
	nested := strings.Repeat(`{"arrayValue":{"values":[`, 200) + strings.Repeat("]}}", 200)
	if _, err := DecodeLogs([]byte(`{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"body":`+nested+`}]}]}]}`), JSON, anyHold); !errors.Is(err, errTooDeep) {
		t.Errorf("values in values: %v", err)
	}
}

func TestDecode_MendsTextsThatAreNoUTF8(t *testing.T) {
	raw, err := proto.Marshal(&logspb.LogsData{ResourceLogs: []*logspb.ResourceLogs{{ScopeLogs: []*logspb.ScopeLogs{{LogRecords: []*logspb.LogRecord{{Attributes: []*commonpb.KeyValue{text("exception.message", "tide XX low")}}}}}}}})
	if err != nil {
		t.Fatal(err)
	}
	req, err := DecodeLogs(bytes.Replace(raw, []byte("XX"), []byte{0xed, 0xa0}, 1), Protobuf, anyHold)
	if err != nil {
		t.Fatal(err)
	}
	if m := Logs(req)[0].Event.Exceptions[0].Message; m != "tide ?? low" {
		t.Errorf("message %q", m)
	}
}

func TestAttributes_OfOddKinds(t *testing.T) {
	a := attributes([]*commonpb.KeyValue{text("long", strings.Repeat("x", 10<<20)), {Key: "inf", Value: &commonpb.AnyValue{Value: &commonpb.AnyValue_DoubleValue{DoubleValue: math.Inf(-1)}}},
		text("http.user_agent", "old"), text("user_agent.original", "new"), nil, text("", "nameless")})
	if s := a.Text("long"); len(s) > longestText+64 || !strings.HasSuffix(s, "… [cut: 10485760 bytes]") {
		t.Errorf("a long text: %d bytes, ends %q", len(s), s[len(s)-30:])
	}
	if a.Text("inf") != "-Inf" || a.Text("user_agent.original") != "new" || len(a) != 3 {
		t.Errorf("attributes %v", a.Names())
	}
	if id := idText(make([]byte, 16)); id != "" {
		t.Errorf("an id of zeros is %q", id)
	}
	if id := idText([]byte{1, 2}); id != hex.EncodeToString([]byte{1, 2}) {
		t.Errorf("id %q", id)
	}
}

// Several old names became one: a record that is sent again must give the same
// event.
func TestAttributes_OfSeveralOldNamesAreTheSameEachTime(t *testing.T) {
	for range 100 {
		a := attributes([]*commonpb.KeyValue{text("net.peer.name", "c"), text("net.host.name", "b"), text("http.host", "a")})
		if a.Text("server.address") != "a" || len(a) != 1 {
			t.Fatalf("attributes %v", a)
		}
	}
}

func FuzzDecode(f *testing.F) {
	raw, err := proto.Marshal(request())
	if err != nil {
		f.Fatal(err)
	}
	f.Add(raw)
	f.Add([]byte(gateLog))
	f.Fuzz(func(t *testing.T, raw []byte) {
		for _, enc := range []Encoding{Protobuf, JSON} {
			if req, err := DecodeLogs(bytes.Clone(raw), enc, anyHold); err == nil {
				Logs(req)
			}
			if req, err := DecodeTraces(bytes.Clone(raw), enc, anyHold); err == nil {
				Traces(req)
			}
		}
	})
}
