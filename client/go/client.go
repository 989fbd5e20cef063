package firethorn

import (
	"context"
	"encoding/json"
	"maps"
	"net/http"
	"os"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// Version of this client.
const Version = "0.1.0"

const (
	mostBreadcrumbs = 60
	mostState       = 64 << 10
)

// scope is what is known at one time in one flow: the process's, or a
// request's.
type scope struct {
	mu          sync.Mutex
	attributes  map[string]any
	breadcrumbs []Breadcrumb
	session     *session
}

func (s *scope) set(values map[string]any) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.attributes = sendable(s.attributes, values)
}

func (s *scope) read() (attributes map[string]any, crumbs []Breadcrumb, session *session) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return maps.Clone(s.attributes), slices.Clone(s.breadcrumbs), s.session
}

func (s *scope) add(b Breadcrumb) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.breadcrumbs) >= mostBreadcrumbs {
		s.breadcrumbs = slices.Delete(s.breadcrumbs, 0, len(s.breadcrumbs)-mostBreadcrumbs+1)
	}
	s.breadcrumbs = append(s.breadcrumbs, b)
}

type scopeKey struct{}

// With begins a flow of its own: a user, attributes and breadcrumbs that are
// set in the context it returns are seen in that flow alone.
func With(ctx context.Context) context.Context {
	c := std.Load()
	if c == nil {
		return ctx
	}
	attributes, crumbs, session := c.scopeOf(ctx).read()
	return context.WithValue(ctx, scopeKey{}, &scope{attributes: attributes, breadcrumbs: crumbs[max(0, len(crumbs)-10):], session: session})
}

// Client is what Start begins; a program needs one.
type Client struct {
	o        Options
	resource map[string]any
	whole    scope
	snapshot atomic.Pointer[func() any]
	kinds    kinds
	events   *outbox
	sessions *outbox
	traces   *traces
	end      chan struct{}
	once     sync.Once
}

// New makes a client that has not begun.
func New(o Options) *Client {
	if o.Client == nil {
		o.Client = &http.Client{Timeout: 10 * time.Second}
	}
	if o.Sessions == "" {
		o.Sessions = "process"
	}
	c := &Client{o: o, end: make(chan struct{})}
	host, _ := os.Hostname() // without one there is none
	c.resource = sendable(map[string]any{
		"telemetry.sdk.name": "firethorn", "telemetry.sdk.version": Version, "telemetry.sdk.language": "go",
		"process.runtime.name": "go", "process.runtime.version": runtime.Version(), "process.pid": os.Getpid(), "host.name": host, "host.arch": runtime.GOARCH, "os.type": runtime.GOOS,
		"service.name": o.Service, "service.version": o.Release, "deployment.environment.name": o.Environment, "service.instance.id": newID(),
	})
	c.traces = newTraces(o)
	c.kinds.share, c.kinds.send = o.Share, c.put
	c.events = newOutbox("events", 60, c, c.traces.dir)
	c.sessions = newOutbox("sessions", 1000, c, "")
	return c
}

func (c *Client) begin() {
	c.tellOfCrashes()
	if c.o.Sessions == "process" {
		c.whole.mu.Lock() // others may report already
		c.whole.session = newSession()
		c.whole.mu.Unlock()
		c.tell(c.whole.session, nil)
		go c.beat(c.whole.session)
	}
	c.traces.watch(c.resource, c.whole.session)
	c.events.run()
	c.sessions.run()
}

// abandon lets go of a client that never began.
func (c *Client) abandon() { c.traces.forget() }

// Close ends the session and waits until all is stored, five seconds at most.
func (c *Client) Close() {
	c.once.Do(func() {
		close(c.end)
		if s := c.whole.session; s != nil {
			s.raise(clean)
			attributes, _, _ := c.whole.read()
			c.tell(s, attributes)
		}
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		c.drain(ctx)
		c.traces.forget()
		c.events.close()
		c.sessions.close()
	})
}

func (c *Client) scopeOf(ctx context.Context) *scope {
	if ctx != nil {
		if s, ok := ctx.Value(scopeKey{}).(*scope); ok {
			return s
		}
	}
	return &c.whole
}

// quietly runs our own code so that nothing it panics with gets out.
func quietly(fn func()) {
	defer func() { _ = recover() }() // the program's own functions, or ours: the program goes on
	fn()
}

func (c *Client) report(ctx context.Context, err error, d Details, skip int) (id string) {
	quietly(func() {
		stack := callers(skip + 4)
		id = c.throw(ctx, d, kindOf(err, stack), func() []Exception { return exceptionsOf(err, stack) })
	})
	return id
}

// throw reports exceptions of a kind.
func (c *Client) throw(ctx context.Context, d Details, kind string, exceptions func() []Exception, threads ...Thread) string {
	d.Severity = or(d.Severity, "error")
	s := c.scopeOf(ctx)
	attributes, _, session := s.read()
	if session != nil && (d.Severity == "error" || d.Severity == "fatal") {
		session.raise(faulty)
	}
	return c.kinds.take(printed(attributes["user.id"])+" "+kind, func() *Event {
		e := c.event(ctx, d)
		if e.Exceptions = exceptions(); len(threads) > 0 {
			e.Threads = threads
		}
		return e
	})
}

func (c *Client) message(ctx context.Context, words string, d Details) (id string) {
	quietly(func() {
		d.Severity = or(d.Severity, "info")
		attributes, _, _ := c.scopeOf(ctx).read()
		id = c.kinds.take(printed(attributes["user.id"])+" "+words, func() *Event {
			e := c.event(ctx, d)
			e.Message = words
			return e
		})
	})
	return id
}

// event is one that says nothing yet but what surrounds it.
func (c *Client) event(ctx context.Context, d Details) *Event {
	attributes, crumbs, session := c.scopeOf(ctx).read()
	e := &Event{ID: newID(), Time: time.Now().UTC(), Severity: d.Severity, Message: d.Message, Breadcrumbs: crumbs, Attributes: sendable(c.o.Attributes, attributes, d.Attributes), State: c.state()}
	if session != nil {
		e.Attributes["session.id"] = session.id
	}
	if d.Handled != Unknown {
		handled := d.Handled == True
		e.Handled = &handled
	}
	if d.Extend != nil || d.Replace != nil {
		e.Grouping = &Grouping{d.Extend, d.Replace}
	}
	if d.Goroutines {
		e.Threads = goroutines("")
	}
	return e
}

func (c *Client) state() (state any) {
	fn := c.snapshot.Load()
	if fn == nil || *fn == nil {
		return nil
	}
	quietly(func() { // the program's own function may fail; the report is worth more
		raw, err := json.Marshal((*fn)())
		if err == nil && len(raw) <= mostState {
			state = json.RawMessage(raw)
		}
	})
	return state
}

// put edits an event, takes secrets out and hands it to the outbox.
func (c *Client) put(e *Event) {
	quietly(func() {
		edited, failed := e, ""
		if c.o.Edit != nil {
			func() {
				defer func() {
					if r := recover(); r != nil {
						failed = printed(r)
					}
				}()
				edited = c.o.Edit(e)
			}()
		}
		if failed != "" { // what surrounds it might be what Edit would have hidden: what happened leaves alone
			edited = &Event{ID: e.ID, Time: e.Time, Severity: e.Severity, Handled: e.Handled, Exceptions: e.Exceptions, Message: e.Message, StandsFor: e.StandsFor, Breadcrumbs: []Breadcrumb{}, Attributes: map[string]any{"firethorn.edit_failed": failed}}
		}
		if edited == nil {
			return
		}
		if edited.Breadcrumbs == nil {
			edited.Breadcrumbs = []Breadcrumb{}
		}
		raw, err := json.Marshal(edited)
		if err != nil { // what Edit put in
			edited.Attributes, edited.State, edited.Breadcrumbs = map[string]any{"firethorn.edit_failed": err.Error()}, nil, []Breadcrumb{}
			if raw, err = json.Marshal(edited); err != nil {
				return
			}
		}
		c.events.add(edited.ID, scrub(raw))
	})
}

func (c *Client) note(ctx context.Context, kind, words, severity string, attributes map[string]any) {
	quietly(func() {
		b := Breadcrumb{Time: time.Now().UTC(), Kind: kind, Message: words[:min(len(words), 500)], Severity: severity}
		if len(attributes) > 0 {
			b.Attributes = sendable(attributes)
		}
		c.scopeOf(ctx).add(b)
		c.traces.crumb(b)
	})
}

func (c *Client) drain(ctx context.Context) bool {
	c.kinds.release(false)
	return c.sessions.drain(ctx) && c.events.drain(ctx)
}

func or(s, other string) string {
	if s != "" {
		return s
	}
	return other
}
