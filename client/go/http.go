package firethorn

import (
	"context"
	"net"
	"net/http"
	"strconv"
	"time"
)

// Handler gives each request a flow of its own: its user, attributes and
// breadcrumbs are seen in the request's context alone. A panic is reported
// with the request's facts and goes on. Where Options say so, each request is
// a session, and one that takes too long is reported as a hang.
func (c *Client) Handler(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { c.serve(next, w, r) })
}

func (c *Client) serve(next http.Handler, w http.ResponseWriter, r *http.Request) {
	if c == nil {
		next.ServeHTTP(w, r)
		return
	}
	ctx := c.With(r.Context())
	s := c.scopeOf(ctx)
	quietly(func() {
		s.set(requestFacts(r))
		if c.o.Sessions == "request" {
			s.session = newSession()
		}
	})
	// The writer stays what it was where nothing needs to be seen of it.
	seen := &statusWriter{ResponseWriter: w}
	if c.o.Hangs > 0 {
		seen.watched = c.Watch(ctx, "the request", c.o.Hangs)
		defer seen.watched.Done()
	}
	if c.o.Hangs > 0 || c.o.Sessions == "request" {
		w = seen.like(w)
	}
	req := r.WithContext(ctx)
	defer func() {
		v := recover()
		quietly(func() { c.served(ctx, req.Pattern, seen.status, v) })
		if v != nil {
			panic(v)
		}
	}()
	next.ServeHTTP(w, req)
}

// served reports how a request ended; v is the value it panicked with.
func (c *Client) served(ctx context.Context, pattern string, status int, v any) {
	s := c.scopeOf(ctx)
	if pattern != "" {
		s.set(map[string]any{"http.route": pattern})
	}
	panicked := v != nil && v != http.ErrAbortHandler
	if panicked {
		c.reportPanic(ctx, v, Details{Handled: False, Attributes: map[string]any{"http.response.status_code": 500}})
	}
	if c.o.Sessions != "request" {
		return
	}
	end := clean
	if panicked {
		end = crashed
	} else if status >= 500 {
		end = faulty
	}
	now := s.read()
	now.session.raise(end)
	c.counts.add(now.session, now.attributes)
}

func requestFacts(r *http.Request) map[string]any {
	out := map[string]any{
		"http.request.method": r.Method, "url.path": r.URL.Path, "url.query": r.URL.RawQuery,
		"user_agent.original": r.UserAgent(),
	}
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

// Transport leaves a breadcrumb for each request that an HTTP client makes.
func (c *Client) Transport(next http.RoundTripper) http.RoundTripper {
	return transport{next: next, client: func() *Client { return c }}
}

type transport struct {
	next   http.RoundTripper
	client func() *Client
}

// RoundTrip implements http.RoundTripper.
func (t transport) RoundTrip(r *http.Request) (*http.Response, error) {
	next := t.next
	if next == nil {
		next = http.DefaultTransport
	}
	c := t.client()
	if c == nil || r.Context().Value(ownRequest{}) != nil {
		return next.RoundTrip(r)
	}
	began := time.Now()
	res, err := next.RoundTrip(r)
	quietly(func() {
		severity, text, status := "info", "", 0
		if err != nil {
			severity, text = "warn", err.Error()
		} else {
			status = res.StatusCode
			if text = strconv.Itoa(status); status >= 400 {
				severity = "warn"
			}
		}
		c.note(r.Context(), "call", r.Method+" "+r.URL.Redacted()+" → "+text, severity, map[string]any{
			"http.request.method": r.Method, "url.full": r.URL.Redacted(),
			"http.response.status_code": status, "duration_ms": time.Since(began).Milliseconds(),
		})
	})
	return res, err
}
