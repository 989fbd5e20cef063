package firethorn

import (
	"bufio"
	"net"
	"net/http"
	"strconv"
	"time"
)

// Handler gives each request a flow of its own: its user, attributes and
// breadcrumbs are seen in the request's context alone. A panic is reported
// with the request's facts and goes on as before. Where Options say so, each
// request is a session, and one that takes too long is reported as a hang.
func Handler(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c := std.Load()
		if c == nil {
			next.ServeHTTP(w, r)
			return
		}
		ctx := With(r.Context())
		s := c.scopeOf(ctx)
		quietly(func() {
			s.set(requestFacts(r))
			if c.o.Sessions == "request" {
				s.session = newSession()
			}
		})
		if c.o.Hangs > 0 {
			defer Watch(ctx, "the request", c.o.Hangs).Done()
		}
		seen := &statusWriter{ResponseWriter: w}
		req := r.WithContext(ctx)
		defer func() {
			v := recover()
			quietly(func() {
				if pattern := req.Pattern; pattern != "" {
					s.set(map[string]any{"http.route": pattern})
				}
				if v != nil && v != http.ErrAbortHandler {
					reportPanic(ctx, v, Details{Handled: False, Attributes: map[string]any{"http.response.status_code": 500}})
				}
				if c.o.Sessions == "request" {
					end := clean
					if v != nil && v != http.ErrAbortHandler {
						end = crashed
					} else if seen.status >= 500 {
						end = faulty
					}
					s.session.raise(end)
					attributes, _, session := s.read()
					c.tell(session, attributes)
				}
			})
			if v != nil {
				panic(v)
			}
		}()
		next.ServeHTTP(seen, req)
	})
}

// statusWriter sees the status of an answer; http.ResponseController finds
// what lies under it.
type statusWriter struct {
	http.ResponseWriter
	status int
}

// WriteHeader implements http.ResponseWriter.
func (w *statusWriter) WriteHeader(status int) {
	w.status = status
	w.ResponseWriter.WriteHeader(status)
}

// Unwrap implements what http.ResponseController asks for.
func (w *statusWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// Flush implements http.Flusher, as far as what lies under it does.
func (w *statusWriter) Flush() {
	_ = http.NewResponseController(w.ResponseWriter).Flush() // it cannot, and never could
}

// Hijack implements http.Hijacker, as far as what lies under it does.
func (w *statusWriter) Hijack() (net.Conn, *bufio.ReadWriter, error) {
	return http.NewResponseController(w.ResponseWriter).Hijack()
}

func requestFacts(r *http.Request) map[string]any {
	out := map[string]any{"http.request.method": r.Method, "url.path": r.URL.Path, "url.query": r.URL.RawQuery, "user_agent.original": r.UserAgent()}
	if host, port, err := net.SplitHostPort(r.Host); err == nil {
		out["server.address"] = host
		if n, err := strconv.Atoi(port); err == nil {
			out["server.port"] = n
		}
	} else {
		out["server.address"] = r.Host
	}
	if host, _, err := net.SplitHostPort(r.RemoteAddr); err == nil {
		out["client.address"] = host
	}
	return out
}

// Transport leaves a breadcrumb for each request that a client makes.
func Transport(next http.RoundTripper) http.RoundTripper {
	if next == nil {
		next = http.DefaultTransport
	}
	return roundTripper(func(r *http.Request) (*http.Response, error) {
		began := time.Now()
		res, err := next.RoundTrip(r)
		if c := std.Load(); c != nil {
			severity, words, status := "info", "", 0
			switch {
			case err != nil:
				severity, words = "warn", err.Error()
			default:
				status = res.StatusCode
				if words = strconv.Itoa(status); status >= 400 {
					severity = "warn"
				}
			}
			c.note(r.Context(), "call", r.Method+" "+r.URL.Redacted()+" → "+words, severity, map[string]any{"http.request.method": r.Method, "url.full": r.URL.Redacted(), "http.response.status_code": status, "duration_ms": time.Since(began).Milliseconds()})
		}
		return res, err
	})
}

type roundTripper func(*http.Request) (*http.Response, error)

// RoundTrip implements http.RoundTripper.
func (f roundTripper) RoundTrip(r *http.Request) (*http.Response, error) { return f(r) }
