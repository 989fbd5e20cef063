package web

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"strings"
)

// maxTagged is how long an answer may be that gets an entity tag: it is held in
// memory until it is whole.
const maxTagged = 4 << 20

// ETag gives JSON answers to GET an entity tag (RFC 9110, section 8.8.3), and
// answers 304 without a body to who has the same already.
func ETag(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet {
			next.ServeHTTP(w, r)
			return
		}
		t := &tagged{ResponseWriter: w}
		next.ServeHTTP(t, r)
		t.finish(r.Header.Get("If-None-Match"))
	})
}

// tagged holds an answer back until it is whole, unless it is no JSON or long.
type tagged struct {
	http.ResponseWriter
	status int
	held   bytes.Buffer
	passed bool // it goes through as it comes
}

// WriteHeader implements http.ResponseWriter.
func (t *tagged) WriteHeader(status int) {
	if t.passed {
		t.ResponseWriter.WriteHeader(status)
		return
	}
	if t.status == 0 {
		t.status = status
	}
	if status != http.StatusOK || !strings.HasPrefix(t.Header().Get("Content-Type"), "application/json") {
		t.pass()
	}
}

// Write implements http.ResponseWriter.
func (t *tagged) Write(b []byte) (int, error) {
	if t.status == 0 {
		t.WriteHeader(http.StatusOK)
	}
	if !t.passed && t.held.Len()+len(b) > maxTagged {
		t.pass()
	}
	if t.passed {
		return t.ResponseWriter.Write(b)
	}
	return t.held.Write(b)
}

// Flush implements http.Flusher: an answer that must leave at once is not held.
func (t *tagged) Flush() {
	t.pass()
	_ = http.NewResponseController(t.ResponseWriter).Flush() // it cannot, and never could
}

// Unwrap implements what http.ResponseController asks for.
func (t *tagged) Unwrap() http.ResponseWriter { return t.ResponseWriter }

func (t *tagged) pass() {
	if t.passed {
		return
	}
	t.passed = true
	if t.status != 0 {
		t.ResponseWriter.WriteHeader(t.status)
	}
	_, _ = t.ResponseWriter.Write(t.held.Bytes()) // the next write tells
	t.held.Reset()
}

func (t *tagged) finish(known string) {
	if t.passed || t.status == 0 {
		return
	}
	sum := sha256.Sum256(t.held.Bytes())
	tag := `"` + hex.EncodeToString(sum[:12]) + `"`
	t.Header().Set("ETag", tag)
	if known == tag {
		t.Header().Del("Content-Type")
		t.ResponseWriter.WriteHeader(http.StatusNotModified)
		return
	}
	t.ResponseWriter.WriteHeader(http.StatusOK)
	_, _ = t.ResponseWriter.Write(t.held.Bytes()) // the caller is gone
}
