package firethorn

import (
	"context"
	"encoding/json"
	"net/http"
	"os"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// Version of this client.
const Version = "0.1.0"

const maxState = 64 << 10

// Client reports the errors of a program. A nil Client reports nothing.
type Client struct {
	o        Options
	resource map[string]any
	whole    scope // the process's
	trail    trail // the last breadcrumbs of all flows, for a crash
	snapshot atomic.Pointer[func() any]
	kinds    kinds
	events   *outbox
	sessions *outbox
	counts   counts
	hangs    hangs
	run      *run // what a crash leaves to the next start; nil: nothing
	warned   sync.Map
	end      chan struct{}
	once     sync.Once
}

// New makes a client beside that of Start, and begins: for a library, for
// tests, or for a second project. It takes nothing that belongs to the whole
// process: no crash output, and no session and no directory unless Options say
// so. Close ends it.
func New(o Options) *Client {
	if o.Dir == "" {
		o.Dir = "-"
	}
	if o.Sessions == "" {
		o.Sessions = "off"
	}
	c := build(o)
	c.begin(false)
	return c
}

// build makes a client that has not begun: it has no goroutine and no file.
func build(o Options) *Client {
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
		"process.runtime.name": "go", "process.runtime.version": runtime.Version(), "process.pid": os.Getpid(),
		"host.name": host, "host.arch": runtime.GOARCH, "os.type": runtime.GOOS,
		"service.name": o.Service, "service.version": o.Release,
		"deployment.environment.name": o.Environment, "service.instance.id": newID(),
	})
	c.kinds.share, c.kinds.send = o.Share, c.put
	c.counts.init(c)
	c.hangs.c = c
	c.events = newOutbox("events", 60, c)
	c.sessions = newOutbox("sessions", 200, c)
	return c
}

// begin starts the goroutines. The client of the process also keeps what a
// crash leaves, and reports what earlier runs left.
func (c *Client) begin(process bool) {
	quietly(func() { c.openDisk(process) })
	if c.o.Sessions == "process" {
		c.whole.mu.Lock() // others may report already
		c.whole.session = newSession()
		c.whole.mu.Unlock()
		c.tell(c.whole.session, nil)
		go c.beat(c.whole.session)
	}
	if process {
		quietly(func() { c.watchForCrashes(c.whole.session) })
	}
	c.events.run()
	c.sessions.run()
}

// openDisk opens the client's places on disk, or says once why there are none.
func (c *Client) openDisk(process bool) {
	dir, err := placeOf(c.o)
	if err == nil && dir == "" {
		return
	}
	var p *place
	if err == nil {
		p, err = openPlace(dir)
	}
	if err != nil {
		c.warn(
			"disk",
			"nothing is kept on disk, so a crash cannot be told and a restart loses what waits: "+err.Error()+
				" (set Options.Dir to a directory of this program's own, or to \"-\")",
		)
		return
	}
	c.events.open(p.events)
	c.sessions.open(p.sessions)
	if process {
		c.tellOfCrashes(p.runs)
		c.run = newRun(p.runs)
	}
}

// warn logs, once for each cause, what keeps the client from working.
func (c *Client) warn(cause, text string) {
	if _, told := c.warned.LoadOrStore(cause, true); told {
		return
	}
	if c.o.Warn != nil {
		quietly(func() { c.o.Warn(text) })
		return
	}
	_, _ = os.Stderr.WriteString("firethorn: " + text + "\n") // nowhere else to say it
}

// Close ends the session and sends waiting reports. It returns at once when the
// service is away and everything is on disk, after a second when the service
// is slow and everything is on disk, and after five seconds in any case.
func (c *Client) Close() {
	if c == nil {
		return
	}
	c.once.Do(func() {
		close(c.end)
		c.counts.flush()
		if s := c.whole.session; s != nil {
			s.raise(clean)
			c.tell(s, c.whole.read().attributes)
		}
		c.kinds.release(false)
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		var both sync.WaitGroup
		for _, b := range []*outbox{c.sessions, c.events} {
			both.Add(1)
			go func() {
				defer both.Done()
				b.leave(ctx)
			}()
		}
		both.Wait()
		c.run.forget()
		c.events.close()
		c.sessions.close()
	})
}

// quietly runs our own code so that nothing it panics with gets out.
func quietly(fn func()) {
	defer func() { _ = recover() }() // the program's own functions, or ours: the program goes on
	fn()
}

// Report reports an error. It returns the event's id, or "" when nothing is
// reported.
func (c *Client) Report(ctx context.Context, err error, d ...Details) string {
	return c.report(ctx, err, first(d, Details{Handled: True}), 1)
}

func (c *Client) report(ctx context.Context, err error, d Details, skip int) (id string) {
	if c == nil || err == nil {
		return ""
	}
	quietly(func() {
		stack := callers(skip + 4)
		id = c.throw(ctx, d, kindOf(err, stack), func(e *Event) { e.Exceptions = exceptionsOf(err, numbered(stack)) })
	})
	return id
}

// throw reports exceptions of a kind; fill adds them to the event.
func (c *Client) throw(ctx context.Context, d Details, kind string, fill func(e *Event)) string {
	d.Severity = or(d.Severity, "error")
	user, session := c.scopeOf(ctx).whose()
	if session != nil && (d.Severity == "error" || d.Severity == "fatal") {
		session.raise(faulty)
	}
	return c.kinds.take(user+" "+kind, func() *Event {
		e := c.event(ctx, d)
		fill(e)
		return e
	})
}

// Message reports a plain message and returns the event's id.
func (c *Client) Message(ctx context.Context, text string, d ...Details) (id string) {
	if c == nil {
		return ""
	}
	details := first(d, Details{})
	quietly(func() {
		details.Severity = or(details.Severity, "info")
		user, _ := c.scopeOf(ctx).whose()
		id = c.kinds.take(user+" "+text, func() *Event {
			e := c.event(ctx, details)
			e.Message = text
			return e
		})
	})
	return id
}

// event is an event with nothing but its surroundings.
func (c *Client) event(ctx context.Context, d Details) *Event {
	now := c.scopeOf(ctx).read()
	e := &Event{
		ID: newID(), Time: time.Now().UTC(), Severity: d.Severity, Message: d.Message,
		Breadcrumbs: now.breadcrumbs, Attributes: sendable(c.o.Attributes, now.attributes, d.Attributes),
		State: c.state(),
	}
	if now.session != nil {
		e.Attributes["session.id"] = now.session.id
		now.session.mention()
	}
	if d.Handled != Unknown {
		handled := d.Handled == True
		e.Handled = &handled
	}
	if d.Extend != nil || d.Replace != nil {
		e.Grouping = &Grouping{d.Extend, d.Replace}
	}
	if d.Goroutines {
		e.Threads = fitting(goroutines(""), "")
	}
	c.traced(ctx, e)
	return e
}

// traced adds the ids of the trace and span that the program's hook reads.
func (c *Client) traced(ctx context.Context, e *Event) {
	if c.o.Trace == nil || ctx == nil {
		return
	}
	quietly(func() {
		trace, span := c.o.Trace(ctx)
		if isHex(trace, 32) {
			e.TraceID = trace
		}
		if isHex(span, 16) {
			e.SpanID = span
		}
	})
}

// isHex says whether s is so many hexadecimal digits and not all zeros, as
// W3C Trace Context wants them (section 3.2.2).
func isHex(s string, n int) bool {
	return len(s) == n && strings.Trim(s, "0123456789abcdef") == "" && strings.Trim(s, "0") != ""
}

// Snapshot sets the function that returns the program's state.
func (c *Client) Snapshot(fn func() any) {
	if c != nil {
		c.snapshot.Store(&fn)
	}
}

func (c *Client) state() (state any) {
	fn := c.snapshot.Load()
	if fn == nil || *fn == nil {
		return nil
	}
	quietly(func() { // the program's own function may fail; the report is worth more
		raw, err := json.Marshal((*fn)())
		if err == nil && len(raw) <= maxState {
			state = json.RawMessage(raw)
		}
	})
	return state
}

// put edits an event, takes secrets out and hands it to the outbox.
func (c *Client) put(e *Event) {
	quietly(func() {
		edited := c.edited(e)
		if edited == nil {
			return
		}
		if edited.Breadcrumbs == nil {
			edited.Breadcrumbs = []Breadcrumb{}
		}
		raw, err := json.Marshal(edited)
		if err != nil { // something that Edit put in
			edited.Attributes = map[string]any{"firethorn.edit_failed": err.Error()}
			edited.State, edited.Breadcrumbs = nil, []Breadcrumb{}
			if raw, err = json.Marshal(edited); err != nil {
				return
			}
		}
		c.events.add(waiting{id: edited.ID, raw: scrub(raw)})
	})
}

// edited is the event as the program's Edit leaves it; nil drops it.
func (c *Client) edited(e *Event) (edited *Event) {
	if c.o.Edit == nil {
		return e
	}
	defer func() {
		if r := recover(); r != nil {
			// Edit might have hidden something of what surrounds the error: only
			// the error itself leaves.
			edited = &Event{
				ID: e.ID, Time: e.Time, Severity: e.Severity, Handled: e.Handled, Exceptions: e.Exceptions,
				Message:   e.Message,
				StandsFor: e.StandsFor, Attributes: map[string]any{"firethorn.edit_failed": printed(r)},
			}
		}
	}()
	return c.o.Edit(e)
}

// Drain waits until every report is stored. It returns false when ctx ends
// before that.
func (c *Client) Drain(ctx context.Context) bool {
	if c == nil {
		return true
	}
	c.counts.flush()
	c.kinds.release(false)
	return c.sessions.drain(ctx) && c.events.drain(ctx)
}

func or(s, other string) string {
	if s != "" {
		return s
	}
	return other
}
