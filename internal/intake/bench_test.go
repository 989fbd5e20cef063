package intake

import (
	"encoding/json"
	"fmt"
	"net/http/httptest"
	"strings"
	"testing"

	commonpb "go.opentelemetry.io/proto/otlp/common/v1"
	logspb "go.opentelemetry.io/proto/otlp/logs/v1"
	"google.golang.org/protobuf/proto"
)

// BenchmarkReports takes in the same fifty exceptions as native events and as
// log records, down to the batch that is stored.
func BenchmarkReports(b *testing.B) {
	stack := "TypeError: no tide\n" + strings.Repeat("    at tideAt (https://quayside.example/assets/app-3f2a.js:1:48211)\n", 30)
	pair := func(name, v string) *commonpb.KeyValue {
		return &commonpb.KeyValue{Key: name, Value: &commonpb.AnyValue{Value: &commonpb.AnyValue_StringValue{StringValue: v}}}
	}
	var native []any
	scope := &logspb.ScopeLogs{}
	for i := range 50 {
		attributes := map[string]any{"exception.type": "TypeError", "exception.message": "no tide", "exception.stacktrace": stack}
		rec := &logspb.LogRecord{TimeUnixNano: uint64(1764000000000000000 + i), SeverityNumber: 17, TraceId: []byte(fmt.Sprintf("%016d", i)), SpanId: []byte("12345678")}
		own := map[string]any{}
		for n := range 12 {
			own[fmt.Sprintf("attribute.%d", n)] = "a value of some length"
		}
		for name, v := range own {
			rec.Attributes = append(rec.Attributes, pair(name, fmt.Sprint(v)))
		}
		for name, v := range attributes {
			rec.Attributes = append(rec.Attributes, pair(name, fmt.Sprint(v)))
		}
		scope.LogRecords = append(scope.LogRecords, rec)
		native = append(native, map[string]any{"id": fmt.Sprintf("0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e%02x", i), "time": "2025-11-24T16:00:00Z", "trace_id": "ab", "exceptions": []any{map[string]any{"type": "TypeError", "message": "no tide", "stack": stack}}, "attributes": own})
	}
	logs := &logspb.LogsData{ResourceLogs: []*logspb.ResourceLogs{{ScopeLogs: []*logspb.ScopeLogs{scope}}}}
	asProto, err := proto.Marshal(logs)
	if err != nil {
		b.Fatal(err)
	}
	asNative, err := json.Marshal(native)
	if err != nil {
		b.Fatal(err)
	}
	asJSON := `{"resourceLogs":[{"scopeLogs":[{"logRecords":[`
	for i, rec := range scope.LogRecords {
		var list []any
		for _, kv := range rec.Attributes {
			list = append(list, map[string]any{"key": kv.Key, "value": map[string]any{"stringValue": kv.Value.GetStringValue()}})
		}
		raw, err := json.Marshal(map[string]any{"timeUnixNano": fmt.Sprint(rec.TimeUnixNano), "severityNumber": 17, "traceId": fmt.Sprintf("%x", rec.TraceId), "spanId": "b7ad6b7169203331", "attributes": list})
		if err != nil {
			b.Fatal(err)
		}
		if i > 0 {
			asJSON += ","
		}
		asJSON += string(raw)
	}
	asJSON += "]}]}]}"
	for _, c := range []struct {
		name, path, media string
		body              []byte
	}{{"native", "/v1/events", "application/json", asNative}, {"protobuf", "/v1/logs", "application/x-protobuf", asProto}, {"json", "/v1/logs", "application/json", []byte(asJSON)}} {
		b.Run(c.name, func(b *testing.B) {
			m := &memory{}
			srv := intakeOver(m)
			b.SetBytes(int64(len(c.body)))
			for b.Loop() {
				r := httptest.NewRequest("POST", c.path, strings.NewReader(string(c.body)))
				r.Header.Set("Content-Type", c.media)
				r.Header.Set("Authorization", "Bearer good")
				w := httptest.NewRecorder()
				if srv.ServeHTTP(w, r); w.Code >= 300 {
					b.Fatal(w.Code, w.Body)
				}
				m.batches = m.batches[:0]
			}
			b.ReportMetric(float64(50*b.N)/b.Elapsed().Seconds(), "events/s")
		})
	}
}
