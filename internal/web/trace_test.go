package web

import (
	"bytes"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

func TestTrace_HasTheOutcomeWithoutNames(t *testing.T) {
	for level, want := range map[slog.Level]bool{slog.LevelDebug: true, slog.LevelInfo: false} {
		var out bytes.Buffer
		h := Trace(slog.New(slog.NewTextHandler(&out, &slog.HandlerOptions{Level: level})))(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if err := http.NewResponseController(w).SetWriteDeadline(time.Now().Add(time.Minute)); err != nil {
				t.Error("a handler cannot reach the connection:", err)
			}
			w.WriteHeader(http.StatusConflict)
			io.WriteString(w, "twelve bytes")
		}))
		s := httptest.NewServer(h)
		res, err := http.Get(s.URL + "/api/projects/quayside/issues?text=holt")
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		s.Close() // waits until the handler has ended
		line := out.String()
		if !want {
			if line != "" {
				t.Errorf("at %s it says %s", level, line)
			}
			continue
		}
		for _, part := range []string{"msg=answered", "method=GET", "path=/api/projects/quayside/issues", "status=409", "bytes=12", "took="} {
			if !strings.Contains(line, part) {
				t.Errorf("%q lacks %s", line, part)
			}
		}
		if strings.Contains(line, "holt") {
			t.Errorf("%q names whom somebody looked for", line)
		}
	}
}
