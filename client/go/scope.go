package firethorn

import (
	"context"
	"encoding/json"
	"maps"
	"strings"
	"sync"
	"time"
)

const (
	maxBreadcrumbs = 60
	maxInherited   = 10 // breadcrumbs that a new flow takes along
	maxCrumbText   = 500
	maxCrumbPairs  = 20
)

// scope is the context of one flow: the process's, or a
// request's.
type scope struct {
	mu         sync.Mutex
	attributes map[string]any
	crumbs     ring
	session    *session
}

// surroundings is a scope's contents at one moment.
type surroundings struct {
	attributes  map[string]any
	breadcrumbs []Breadcrumb // oldest first
	session     *session
}

// set adds attributes. The program's own methods that print a value run
// outside the lock: they may report something themselves.
func (s *scope) set(values map[string]any) {
	fit := sendable(values)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.attributes == nil {
		s.attributes = map[string]any{}
	}
	for k := range values {
		if v, ok := fit[k]; ok {
			s.attributes[k] = v
		} else {
			delete(s.attributes, k)
		}
	}
}

func (s *scope) read() surroundings {
	s.mu.Lock()
	defer s.mu.Unlock()
	return surroundings{maps.Clone(s.attributes), s.crumbs.list(), s.session}
}

// whose is the affected user's id and the session.
func (s *scope) whose() (user string, session *session) {
	s.mu.Lock()
	id := s.attributes["user.id"]
	session = s.session
	s.mu.Unlock()
	if id == nil {
		return "", session
	}
	return printed(id), session
}

// crumb is a breadcrumb as it is kept: making one allocates nothing once its
// place in the ring was used before.
type crumb struct {
	nanoseconds          int64 // since 1970
	kind, text, severity string
	pairs                []pair
}

// pair is an attribute: a string, a bool, an int, an int64, a float64, or JSON.
type pair struct {
	key   string
	value any
}

// fill sets a breadcrumb, whose pairs keep their memory.
func (b *crumb) fill(kind, text, severity string, attributes map[string]any) {
	if len(text) > maxCrumbText {
		text = strings.Clone(text[:maxCrumbText]) // the long text must not stay in memory
	}
	b.nanoseconds, b.kind, b.text, b.severity = time.Now().UnixNano(), kind, text, severity
	b.pairs = b.pairs[:0]
	if len(attributes) == 0 {
		return
	}
	for k, v := range attributes {
		if len(b.pairs) == maxCrumbPairs {
			return
		}
		switch v := v.(type) {
		case nil:
			continue
		case bool, int, int64, float64:
		case string:
			if len(v) > maxCrumbText {
				b.pairs = append(b.pairs, pair{k, strings.Clone(v[:maxCrumbText])})
				continue
			}
		}
		b.pairs = append(b.pairs, pair{k, v})
	}
}

// simple says whether every value of the attributes can be kept as it is.
func simple(attributes map[string]any) bool {
	for _, v := range attributes {
		switch v.(type) {
		case nil, bool, int, int64, float64, string:
		default:
			return false
		}
	}
	return true
}

func (b *crumb) breadcrumb() Breadcrumb {
	out := Breadcrumb{Time: time.Unix(0, b.nanoseconds).UTC(), Kind: b.kind, Message: b.text, Severity: b.severity}
	if len(b.pairs) > 0 {
		out.Attributes = make(map[string]any, len(b.pairs))
		for _, p := range b.pairs {
			out.Attributes[p.key] = finite(p.value)
		}
	}
	return out
}

// ring holds the last breadcrumbs of a flow.
type ring struct {
	slots []crumb
	next  int
}

// slot is the place of the next breadcrumb: a new one, or the oldest.
func (r *ring) slot() *crumb {
	if len(r.slots) < maxBreadcrumbs {
		r.slots = append(r.slots, crumb{})
		return &r.slots[len(r.slots)-1]
	}
	b := &r.slots[r.next]
	r.next = (r.next + 1) % maxBreadcrumbs
	return b
}

func (r *ring) list() []Breadcrumb {
	out := make([]Breadcrumb, 0, len(r.slots))
	for i := range r.slots {
		out = append(out, r.slots[(r.next+i)%len(r.slots)].breadcrumb())
	}
	return out
}

// last copies the newest breadcrumbs into a ring of their own.
func (r *ring) last(n int) (out ring) {
	n = min(n, len(r.slots))
	for i := len(r.slots) - n; i < len(r.slots); i++ {
		b := r.slots[(r.next+i)%len(r.slots)]
		b.pairs = append([]pair(nil), b.pairs...)
		out.slots = append(out.slots, b)
	}
	return out
}

// scopeKey finds a client's scope in a context.
type scopeKey struct{ c *Client }

// With begins a flow of its own: a user, attributes and breadcrumbs that are
// set in the returned context are seen in that flow alone.
func (c *Client) With(ctx context.Context) context.Context {
	if c == nil {
		return ctx
	}
	from := c.scopeOf(ctx)
	from.mu.Lock()
	own := &scope{
		attributes: maps.Clone(from.attributes),
		crumbs:     from.crumbs.last(maxInherited),
		session:    from.session,
	}
	from.mu.Unlock()
	return context.WithValue(ctx, scopeKey{c}, own)
}

func (c *Client) scopeOf(ctx context.Context) *scope {
	if ctx != nil {
		if s, ok := ctx.Value(scopeKey{c}).(*scope); ok {
			return s
		}
	}
	return &c.whole
}

// User names the affected user of every later event in the flow of ctx.
func (c *Client) User(ctx context.Context, id Identity) {
	c.Attributes(ctx, map[string]any{"user.id": id.ID, "user.email": id.Email, "user.name": id.Name})
}

// Attributes adds attributes to every later event in the flow of ctx.
func (c *Client) Attributes(ctx context.Context, values map[string]any) {
	if c != nil {
		quietly(func() { c.scopeOf(ctx).set(values) })
	}
}

// Note leaves a breadcrumb in the flow of ctx. It writes to memory alone;
// secrets are taken out when an event is made.
func (c *Client) Note(ctx context.Context, kind, text string, attributes ...map[string]any) {
	c.note(ctx, kind, text, "", first(attributes, nil))
}

func (c *Client) note(ctx context.Context, kind, text, severity string, attributes map[string]any) {
	if c == nil {
		return
	}
	if len(attributes) > 0 && !simple(attributes) {
		quietly(func() { attributes = copied(attributes) })
	}
	s := c.scopeOf(ctx)
	s.mu.Lock()
	b := s.crumbs.slot()
	b.fill(kind, text, severity, attributes)
	c.trail.add(b)
	s.mu.Unlock()
}

// copied prints the values that cannot be kept as they are. The program's own
// methods run here, outside any lock, and the program may go on changing what
// it gave.
func copied(attributes map[string]any) map[string]any {
	out := sendable(attributes)
	for k, v := range out {
		if raw, err := json.Marshal(v); err == nil && !simple(map[string]any{k: v}) {
			out[k] = json.RawMessage(raw)
		}
	}
	return out
}
