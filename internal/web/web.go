// Package web holds what all HTTP handlers share: handlers that return errors, problem details (RFC
// 9457), body limits, and common headers.
package web

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"compress/zlib"
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/klauspost/compress/zstd"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// Problem is an error body (RFC 9457).
type Problem struct {
	Type   string `json:"type" doc:"about:blank, or a reference to docs/errors.md"`
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail,omitempty" doc:"what happened and what to do"`
	Code   string `json:"code,omitempty" doc:"the published code of the kind of error"`
	Errors []any  `json:"errors,omitempty"`

	Column  int    `json:"column,omitempty" doc:"of a search: where it goes wrong, in characters from 1"`
	Nearest string `json:"nearest,omitempty" doc:"of a search: the known name or value that is likest to the unknown one"`
}

func (p *Problem) Error() string { return p.Detail }

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is the media type of problems.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// ProblemOf makes the public face of an error: what a *problem.Error allows to
// be said, "the database is away" for that, and nothing for all else.
func ProblemOf(err error) (p *Problem, retryAfter int) {
	if e, ok := errors.AsType[*Problem](err); ok {
		return e, 0
	}
	if e, ok := errors.AsType[*problem.Error](err); ok {
		return &Problem{Type: "about:blank", Title: http.StatusText(e.Status()), Status: e.Status(), Detail: e.Pub,
				Code: string(e.Code), Column: e.Column, Nearest: e.Nearest},
			int(math.Ceil(e.Retry.Seconds()))
	}
	if e, ok := errors.AsType[*http.MaxBytesError](err); ok {
		return newProblem(413, problem.TooLarge,
			"the body is larger than "+strconv.FormatInt(e.Limit>>20, 10)+" MiB; send less at a time"), 0
	}
	if db.Away(err) || errors.Is(err, context.DeadlineExceeded) {
		return newProblem(503, problem.Unavailable,
			"the database is away; nothing was stored of this request, send it again later"), 5
	}
	return newProblem(500, problem.Internal, "something went wrong inside; the service's log says what"), 0
}

func newProblem(status int, code problem.Code, detail string) *Problem {
	return &Problem{
		Type:   "about:blank",
		Title:  http.StatusText(status),
		Status: status,
		Detail: detail,
		Code:   string(code),
	}
}

// WriteError answers with a problem, and logs errors of the service itself.
func WriteError(w http.ResponseWriter, r *http.Request, log *slog.Logger, err error) {
	p, after := ProblemOf(err)
	if p.Status >= 500 && !errors.Is(err, context.Canceled) { // nobody waits for the answer any more
		log.Error("request failed", "method", r.Method, "path", r.URL.Path, "status", p.Status, "err", err)
	}
	if after > 0 {
		w.Header().Set("Retry-After", strconv.Itoa(after))
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p) // the client may have gone
}

// Handle makes a handler of a function that returns an error.
func Handle(log *slog.Logger, fn func(http.ResponseWriter, *http.Request) error) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if err := fn(w, r); err != nil {
			WriteError(w, r, log, err)
		}
	}
}

// WriteJSON answers with a value.
func WriteJSON(w http.ResponseWriter, status int, v any) error {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	return json.NewEncoder(w).Encode(v)
}

// Secure sets the headers that every machine-read answer carries.
func Secure(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// Limits bound a request's body in bytes.
type Limits struct {
	Wire, Plain int64
	// Count gets the bytes of memory that each read takes, and may refuse;
	// nil counts nothing.
	Count func(bytes int) error
}

// counted reports what it reads to Limits.Count.
type counted struct {
	from  io.Reader
	count func(int) error
}

func (c *counted) Read(p []byte) (int, error) {
	n, err := c.from.Read(p)
	if n > 0 {
		if refused := c.count(n); refused != nil {
			return 0, refused
		}
	}
	return n, err
}

// maxWindow is the largest window of zstd that is read: what RFC 8878 asks
// decoders to support.
const maxWindow = 8 << 20

// zstdReader reads a zstd body; the window that its first frame asks for is
// counted before it is made.
func zstdReader(wire io.Reader, lim Limits) (*zstd.Decoder, error) {
	peek := bufio.NewReader(wire)
	var head zstd.Header
	if first, _ := peek.Peek(zstd.HeaderMaxSize); head.Decode(first) == nil && lim.Count != nil {
		if err := lim.Count(int(min(head.WindowSize, maxWindow))); err != nil {
			return nil, err
		}
	}
	return zstd.NewReader(peek, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(maxWindow),
		zstd.WithDecoderLowmem(true))
}

// firstRead is how many bytes of memory are made at once for a body of a declared length. Beyond
// it memory grows with what has arrived, since a length is easily claimed.
const firstRead = 64 << 10

// ReadBody reads a body, inflating what Content-Encoding names; either limit
// exceeded gives 413.
func ReadBody(w http.ResponseWriter, r *http.Request, lim Limits) ([]byte, error) {
	wire := http.MaxBytesReader(w, r.Body, lim.Wire)
	var plain io.Reader
	switch enc := strings.ToLower(strings.TrimSpace(r.Header.Get("Content-Encoding"))); enc {
	case "", "identity":
		plain = wire
	case "gzip":
		z, err := gzip.NewReader(wire)
		if err != nil {
			return nil, unreadable(err)
		}
		defer z.Close()
		plain = z
	case "deflate":
		z, err := zlib.NewReader(wire)
		if err != nil {
			return nil, unreadable(err)
		}
		defer z.Close()
		plain = z
	case "zstd":
		z, err := zstdReader(wire, lim)
		if err != nil {
			return nil, unreadable(err)
		}
		defer z.Close()
		plain = z
	default:
		return nil, problem.New(
			problem.BadMediaType,
			"Content-Encoding %q is not read here: none, gzip, deflate and zstd are",
			enc,
		)
	}
	if lim.Count != nil {
		plain = &counted{plain, lim.Count}
	}
	var raw bytes.Buffer
	raw.Grow(int(min(max(r.ContentLength, 0), firstRead)) + bytes.MinRead)
	if _, err := raw.ReadFrom(http.MaxBytesReader(w, io.NopCloser(plain), lim.Plain)); err != nil {
		return nil, unreadable(err)
	}
	return raw.Bytes(), nil
}

func unreadable(err error) error {
	if _, ok := errors.AsType[*http.MaxBytesError](err); ok {
		return err
	}
	if f, ok := errors.AsType[*problem.Error](err); ok { // the body's own word
		return f
	}
	return problem.Wrap("web.ReadBody", problem.BadInput, err, "the body cannot be read: %v", err)
}
