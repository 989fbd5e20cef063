package web

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

func TestETag_AnswersWithoutABodyToWhoHasIt(t *testing.T) {
	text, kind, status := `{"issues":[]}`, "application/json", 200
	s := httptest.NewServer(ETag(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if kind != "" {
			w.Header().Set("Content-Type", kind)
		}
		if status != 200 {
			w.WriteHeader(status)
		}
		io.WriteString(w, text)
	})))
	defer s.Close()
	ask := func(method, known string) (int, string, string) {
		t.Helper()
		req, err := http.NewRequest(method, s.URL, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("If-None-Match", known)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		raw, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, string(raw), res.Header.Get("ETag")
	}
	code, body, tag := ask("GET", "")
	if code != 200 || body != text || tag == "" {
		t.Errorf("%d %q %q", code, body, tag)
	}
	if code, body, again := ask("GET", tag); code != 304 || body != "" || again != tag {
		t.Errorf("the same: %d %q %q", code, body, again)
	}
	text = `{"issues":[1]}`
	if code, body, now := ask("GET", tag); code != 200 || body != text || now == tag {
		t.Errorf("changed: %d %q %q", code, body, now)
	}
	if _, _, tag := ask("POST", ""); tag != "" {
		t.Error("an answer to POST has a tag")
	}
	status = 404
	if code, body, tag := ask("GET", ""); code != 404 || body != text || tag != "" {
		t.Errorf("an error: %d %q %q", code, body, tag)
	}
	status, text = 200, strings.Repeat("x", maxTagged+1)
	if code, body, tag := ask("GET", ""); code != 200 || len(body) != len(text) || tag != "" {
		t.Errorf("a long one: %d, %d bytes, %q", code, len(body), tag)
	}
	kind, text = "text/event-stream", "data: 1\n\n"
	if code, body, tag := ask("GET", ""); code != 200 || body != text || tag != "" {
		t.Errorf("a stream: %d %q %q", code, body, tag)
	}
}
