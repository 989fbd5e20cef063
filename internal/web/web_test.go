package web

import (
	"bytes"
	"compress/gzip"
	"compress/zlib"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"

	"firethorn/internal/core/problem"
)

// answered is what a handler that fails with err answers, and what is logged.
func answered(t *testing.T, err error) (*httptest.ResponseRecorder, map[string]any, string) {
	t.Helper()
	var log bytes.Buffer
	w := httptest.NewRecorder()
	h := Handle(slog.New(slog.NewTextHandler(&log, nil)), func(http.ResponseWriter, *http.Request) error { return err })
	h(w, httptest.NewRequest(http.MethodGet, "/api/tides", nil))
	var body map[string]any
	if err != nil {
		if err := json.Unmarshal(w.Body.Bytes(), &body); err != nil {
			t.Fatalf("%v: %s", err, w.Body)
		}
	}
	return w, body, log.String()
}

// Every error is a problem (RFC 9457). What is ours to mend is logged and not told.
func TestHandle_AnswersEveryErrorAsAProblem(t *testing.T) {
	for name, c := range map[string]struct {
		err           error
		status        int
		code, detail  string
		retry, logged string
	}{
		"what may be told":          {problem.New(problem.NotFound, "there is no project tide"), 404, "not_found", "there is no project tide", "", ""},
		"wrapped":                   {fmt.Errorf("reading: %w", problem.New(problem.Conflict, "taken")), 409, "conflict", "taken", "", ""},
		"come again":                {&problem.Error{Code: problem.Unavailable, Pub: "full", Retry: 1500 * time.Millisecond}, 503, "unavailable", "full", "2", "full"},
		"a problem":                 {&Problem{Type: "about:blank", Title: "Gone", Status: 410, Detail: "it left"}, 410, "", "it left", "", ""},
		"too large":                 {&http.MaxBytesError{Limit: 4 << 20}, 413, "too_large", "larger than 4 MiB", "", ""},
		"the database":              {context.DeadlineExceeded, 503, "unavailable", "the database is away", "5", "deadline"},
		"a secret of the inside":    {errors.New("password=tide"), 500, "internal", "something went wrong inside", "", "password=tide"},
		"nobody waits for the rest": {context.Canceled, 500, "internal", "something went wrong", "", ""},
	} {
		w, p, log := answered(t, c.err)
		detail, _ := p["detail"].(string)
		code, _ := p["code"].(string)
		if w.Code != c.status || code != c.code || !strings.Contains(detail, c.detail) || w.Header().Get("Retry-After") != c.retry ||
			w.Header().Get("Content-Type") != "application/problem+json" || p["status"] != float64(c.status) {
			t.Errorf("%s: %d %v, Retry-After %q", name, w.Code, p, w.Header().Get("Retry-After"))
		}
		if (c.logged == "") != (log == "") || !strings.Contains(log, c.logged) || strings.Contains(detail, "password") {
			t.Errorf("%s is logged as %q and told as %q", name, log, detail)
		}
	}
}

func TestWriteJSON(t *testing.T) {
	w := httptest.NewRecorder()
	if err := WriteJSON(w, http.StatusCreated, map[string]int{"tide": 3}); err != nil {
		t.Fatal(err)
	}
	if w.Code != 201 || w.Header().Get("Content-Type") != "application/json" || w.Body.String() != "{\"tide\":3}\n" {
		t.Errorf("%d %v %s", w.Code, w.Header(), w.Body)
	}
}

// packed is a text in an encoding.
func packed(t *testing.T, encoding, text string) []byte {
	t.Helper()
	var out bytes.Buffer
	var w io.WriteCloser
	switch encoding {
	case "gzip":
		w = gzip.NewWriter(&out)
	case "deflate":
		w = zlib.NewWriter(&out)
	case "zstd":
		z, err := zstd.NewWriter(&out)
		if err != nil {
			t.Fatal(err)
		}
		w = z
	default:
		return []byte(text)
	}
	if _, err := io.WriteString(w, text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func read(body []byte, encoding string, lim Limits) ([]byte, error) {
	r := httptest.NewRequest(http.MethodPost, "/v1/events", bytes.NewReader(body))
	r.Header.Set("Content-Encoding", encoding)
	return ReadBody(httptest.NewRecorder(), r, lim)
}

// A body is read in each encoding; one that is too large on the wire or unpacked, cut
// off, or in another encoding is refused with what is wrong.
func TestReadBody(t *testing.T) {
	text := strings.Repeat("no tide table for day 366. ", 400)
	for _, encoding := range []string{"", "identity", "gzip", "deflate", "zstd", " GZIP "} {
		plain := strings.ToLower(strings.TrimSpace(encoding))
		body := packed(t, plain, text)
		counted := 0
		lim := Limits{Wire: 1 << 20, Plain: 1 << 20, Count: func(n int) error { counted += n; return nil }}
		if got, err := read(body, encoding, lim); err != nil || string(got) != text || counted < len(text) {
			t.Errorf("%q: %d bytes, %d counted, %v", encoding, len(got), counted, err)
		}
		lim.Plain = int64(len(text) - 1)
		if _, err := read(body, encoding, lim); tooLarge(err) != lim.Plain {
			t.Errorf("%q, too large once unpacked: %v", encoding, err)
		}
		lim = Limits{Wire: int64(len(body) - 1), Plain: 1 << 20}
		if _, err := read(body, encoding, lim); err == nil {
			t.Errorf("%q, too large on the wire, is read", encoding)
		}
		full := problem.New(problem.Unavailable, "full")
		if _, err := read(body, encoding, Limits{Wire: 1 << 20, Plain: 1 << 20, Count: func(int) error { return full }}); !errors.Is(err, full) {
			t.Errorf("%q, without memory: %v", encoding, err)
		}
		if plain == "" || plain == "identity" {
			continue
		}
		for what, broken := range map[string][]byte{"cut off": body[:len(body)/2], "something else": []byte("plain text, not packed"), "nothing": nil} {
			_, err := read(broken, encoding, Limits{Wire: 1 << 20, Plain: 1 << 20})
			if f, ok := errors.AsType[*problem.Error](err); what == "nothing" && plain == "zstd" {
				continue // no frame is no byte (RFC 8878, section 3)
			} else if !ok || f.Code != problem.BadInput || !strings.Contains(f.Pub, "cannot be read") {
				t.Errorf("%q, %s: %v", encoding, what, err)
			}
		}
	}
	_, err := read([]byte("x"), "br", Limits{Wire: 10, Plain: 10})
	if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.BadMediaType || !strings.Contains(f.Pub, "gzip, deflate and zstd") {
		t.Errorf("another encoding: %v", err)
	}
}

// tooLarge is the limit that an error says was passed; 0: it says something else.
func tooLarge(err error) int64 {
	if e, ok := errors.AsType[*http.MaxBytesError](err); ok {
		return e.Limit
	}
	return 0
}
