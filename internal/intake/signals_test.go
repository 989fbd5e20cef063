package intake

import (
	"bytes"
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"google.golang.org/genproto/googleapis/rpc/code"
	"google.golang.org/genproto/googleapis/rpc/status"
	"google.golang.org/protobuf/proto"
)

// ask sends a body with a media type.
func ask(t *testing.T, srv http.Handler, path, media, key string, body []byte, header ...string) *httptest.ResponseRecorder {
	t.Helper()
	r := httptest.NewRequest(http.MethodPost, path, bytes.NewReader(body))
	r.Header.Set("Content-Type", media)
	if key != "" {
		r.Header.Set("Authorization", "Bearer "+key)
	}
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	w := httptest.NewRecorder()
	srv.ServeHTTP(w, r)
	return w
}

const oneRecord = `{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"severityNumber":9,"body":{"stringValue":"fine"}},{"timeUnixNano":"1764000000000000002","attributes":[{"key":"exception.type","value":{"stringValue":"E"}}]}]}]}]}`

func TestOTLP_AnswersByTheProtocol(t *testing.T) {
	m := &memory{}
	srv := intakeOver(m)
	for _, c := range []struct {
		name, path, media, key string
		body                   []byte
		status                 int
		answers, says          string
	}{
		{"a record", "/v1/logs", "application/json; charset=utf-8", "good", []byte(oneRecord), 200, "application/json", "{}"},
		{"nothing", "/v1/traces", "application/x-protobuf", "good", nil, 200, "application/x-protobuf", ""},
		{"metrics", "/v1/metrics", "application/x-protobuf", "good", []byte{1, 2, 3}, 200, "application/x-protobuf", ""},
		{"no key", "/v1/logs", "application/json", "", nil, 401, "application/json", `"code":16`},
		{"half a body", "/v1/logs", "application/json", "good", []byte(oneRecord[:60]), 400, "application/json", "ends in the middle"},
		{"another media type", "/v1/logs", "text/html", "good", nil, 415, "application/json", "is not read here"},
	} {
		w := ask(t, srv, c.path, c.media, c.key, c.body)
		if w.Code != c.status || w.Header().Get("Content-Type") != c.answers || !strings.Contains(strings.ReplaceAll(w.Body.String(), " ", ""), strings.ReplaceAll(c.says, " ", "")) || w.Header().Get("Access-Control-Allow-Origin") != "*" {
			t.Errorf("%s: %d %v %s", c.name, w.Code, w.Header(), w.Body)
		}
	}
	if list := m.events(); len(list) != 1 || !strings.Contains(list[0], `"log":{}`) && !strings.Contains(list[0], `"type":"E"`) {
		t.Errorf("stored %v", list)
	}
	w := ask(t, srv, "/v1/traces", "application/x-protobuf", "good", []byte{0x0a, 0x7f, 0x01})
	var st status.Status
	if err := proto.Unmarshal(w.Body.Bytes(), &st); err != nil || w.Code != 400 || st.Code != int32(code.Code_INVALID_ARGUMENT) || !strings.Contains(st.Message, "ends in the middle") || len(st.Details) != 1 {
		t.Errorf("%d %v %v", w.Code, &st, err)
	}
}

func TestOTLP_PartialSuccess(t *testing.T) {
	m := &memory{}
	srv := intakeOver(m)
	long := strings.Replace(oneRecord, `"stringValue":"E"}}]`, `"stringValue":"E"}},{"key":"exception.stacktrace","value":{"stringValue":"`+strings.Repeat("x", 3<<20)+`"}}]`, 1)
	if w := ask(t, srv, "/v1/logs", "application/json", "good", gzipped(long), "Content-Encoding", "gzip"); w.Code != 200 || !strings.Contains(w.Body.String(), `"rejectedLogRecords":"1"`) || len(m.events()) != 0 {
		t.Errorf("%d %s", w.Code, w.Body)
	}
	m.away = true
	if w := ask(t, srv, "/v1/logs", "application/json", "good", []byte(oneRecord)); w.Code != 503 || w.Header().Get("Retry-After") == "" {
		t.Errorf("the store is away: %d %s", w.Code, w.Body)
	}
}

// A resource that thousands of records share must not be written out for each
// of them without end.
func TestOTLP_WhatRecordsShareIsBounded(t *testing.T) {
	m := &memory{}
	srv := intakeOver(m)
	body := `{"resourceLogs":[{"resource":{"attributes":[{"key":"a","value":{"stringValue":"` + strings.Repeat("x", 60<<10) + `"}}]},"scopeLogs":[{"logRecords":[` +
		strings.TrimSuffix(strings.Repeat(`{"attributes":[{"key":"exception.type","value":{"stringValue":"E"}}]},`, 20_000), ",") + `]}]}]}`
	w := ask(t, srv, "/v1/logs", "application/json", "good", gzipped(body), "Content-Encoding", "gzip")
	if w.Code != 503 && w.Code != 413 || len(m.events()) != 0 {
		t.Errorf("%d %.200s, %d stored", w.Code, w.Body, len(m.events()))
	}
}

// Exporters drop what is refused: a batch of many records is taken in parts.
func TestOTLP_TakesLargeBatchesInParts(t *testing.T) {
	m := &memory{}
	in := New(Options{Projects: m, Inbox: m, Router: m, Wake: func(int64) {}, Log: slog.New(slog.DiscardHandler), Limits: DefaultLimits, Watch: &watched{}, Now: time.Now})
	body := `{"resourceLogs":[{"scopeLogs":[{"logRecords":[` +
		strings.TrimSuffix(strings.Repeat(`{"attributes":[{"key":"exception.type","value":{"stringValue":"E"}}]},`, maxElements+500), ",") + `]}]}]}`
	w := ask(t, serving(in), "/v1/logs", "application/json", "good", gzipped(body), "Content-Encoding", "gzip")
	if w.Code != 200 || len(m.events()) != maxElements+500 {
		t.Errorf("%d %.200s, %d of %d stored", w.Code, w.Body, len(m.events()), maxElements+500)
	}
}

// Nobody waits for the answer any more: reading stops.
func TestLogLines_StopWithTheRequest(t *testing.T) {
	in, _ := newIntake(&memory{})
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if list, err := in.readLog(ctx, &load{flight: in.flight}, []byte(strings.Repeat("ERROR no tide\n", 1000))); err == nil || len(list) > 1 {
		t.Errorf("%d found, %v", len(list), err)
	}
}

func TestLogLines_BoundWhatIsFound(t *testing.T) {
	m := &memory{messages: "error"}
	in := New(Options{Projects: m, Inbox: m, Router: m, Wake: func(int64) {}, Log: slog.New(slog.DiscardHandler), Limits: DefaultLimits, Watch: &watched{}, Now: time.Now})
	srv := serving(in)
	if w := ask(t, srv, "/v1/log-lines", "text/plain", "good", []byte(strings.Repeat("ERROR no tide\n", maxElements+1))); w.Code != 413 || !strings.Contains(w.Body.String(), "fewer lines") || len(m.events()) != 0 {
		t.Errorf("too many errors: %d %s", w.Code, w.Body)
	}
	if w := ask(t, srv, "/v1/log-lines", "text/plain", "good", []byte(strings.Repeat("ERROR no tide\n", 500))); w.Code != 202 || len(m.events()) != 500 {
		t.Errorf("500 errors: %d %s, %d stored", w.Code, w.Body, len(m.events()))
	}
	if !in.flight.TryAcquire(DefaultLimits.Flight) {
		t.Error("memory is held after the requests have ended")
	}
}

func TestLogLines(t *testing.T) {
	m := &memory{}
	srv := intakeOver(m)
	log := []byte("2026-11-23T04:39:02Z ERROR no crew\nTypeError: no tide\n    at f (a.js:1:2)\n2026-11-23T04:39:03Z ERROR late\n")
	for range 2 {
		if w := ask(t, srv, "/v1/log-lines?service.name=gangway&key=good", "text/plain", "", log, "Idempotency-Key", "k-1"); w.Code != 202 || !strings.Contains(w.Body.String(), `"stored":1`) || !strings.Contains(w.Body.String(), `"let_go":1`) {
			t.Fatalf("%d %s", w.Code, w.Body)
		}
	}
	if list := m.events(); len(list) != 2 || list[0] != list[1] || !strings.Contains(list[0], `"service.name":"gangway"`) || strings.Contains(list[0], "good") {
		t.Errorf("stored %v", list)
	}
	if a, b := m.batches[0].IDs[0], m.batches[1].IDs[0]; a != b {
		t.Errorf("sent again it has another id: %s, %s", a, b)
	}
	if w := ask(t, srv, "/v1/log-lines", "image/png", "good", log); w.Code != 415 {
		t.Errorf("a picture: %d", w.Code)
	}
	for _, odd := range []string{"", "\x00\xff", strings.Repeat("x", 900<<10), "{\"a\":"} {
		if w := ask(t, srv, "/v1/log-lines", "text/plain", "good", []byte(odd)); w.Code != 202 {
			t.Errorf("%.20q: %d %s", odd, w.Code, w.Body)
		}
	}
}

func TestMessagesOfLogs_AsTheProjectWants(t *testing.T) {
	m := &memory{}
	srv := intakeOver(m)
	m.messages = "fatal"
	for _, body := range []string{`{"message":"late","severity":"error","log":{"body":"late"}}`, `{"message":"sunk","severity":"fatal","log":{"body":"sunk"}}`, `{"message":"native","severity":"info"}`, `{"message":"m","log":{},"exceptions":[{"type":"E"}]}`} {
		ask(t, srv, "/v1/events", "application/json", "good", []byte(body))
	}
	if list := m.events(); len(list) != 3 || !strings.Contains(list[0], "sunk") || !strings.Contains(list[1], "native") {
		t.Errorf("stored %v", list)
	}
}
