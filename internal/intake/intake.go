// Package intake implements the endpoints that applications report to. It authenticates, limits,
// scrubs and stores events, and acknowledges them only once they are synced to disk. Slow work, such
// as decoding, symbols and grouping, is left to the worker.
package intake

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"mime"
	"net/http"
	"runtime"
	"slices"
	"sync/atomic"
	"time"

	"github.com/go-chi/chi/v5"
	"golang.org/x/sync/semaphore"

	"firethorn/internal/cache"
	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// Projects knows the ingest keys, and what each project may still report.
type Projects interface {
	GrantOfKey(ctx context.Context, key string) (*projects.KeyGrant, error)
	TakeAllowance(ctx context.Context, project int64, span projects.Span, start time.Time, events, limit int64) (bool,
		error)
}

// Router finds or makes the project of a service's name.
type Router interface {
	RouteProject(ctx context.Context, home *projects.Project, name string) (p *projects.Project, ok bool, err error)
}

// Inbox is where batches go.
type Inbox interface {
	CountReceived(ctx context.Context, project int64, t *inbox.Tally) error
	Append(ctx context.Context, project int64, b *pipeline.Batch) error
	CanAppend() error
	SawAway(err error)
	ClientDrops(ctx context.Context, project int64, drops map[string]int64) error
}

// Limits of requests and events, in bytes.
type Limits struct {
	Body   web.Limits
	Event  int
	Flight int64 // of bodies being read and stored at once, in bytes as inflated
	Inbox  int64 // events that may wait to be processed
}

// DefaultLimits are those of the event format.
var DefaultLimits = Limits{Body: web.Limits{Wire: 16 << 20, Plain: 16 << 20}, Event: 2 << 20, Flight: 96 << 20,
	Inbox: 1_000_000}

// Intake serves /v1.
type Intake struct {
	projects Projects
	inbox    Inbox
	router   Router

	wake  func(project int64)
	watch Observer
	log   *slog.Logger
	lim   Limits
	now   func() time.Time

	countries Countries // nil: nobody knows

	flight   *semaphore.Weighted
	logs     *semaphore.Weighted // logs that are read at the same time
	patience time.Duration       // how long a sender may stay silent in the middle of a body
	backlog  atomic.Pointer[Backlog]

	tallies   tallies
	allowance allowances

	keys  *cache.Cache[string, known[*projects.KeyGrant]]
	names *cache.Cache[string, known[*projects.Project]] // that routing keys led to
}

// Observer gets what was received, for metrics.
type Observer interface {
	Stored(events int)
	Refused(events int, cause string)
	Rejected(cause string)
}

// Options of New.
type Options struct {
	Projects Projects
	Inbox    Inbox
	Router   Router
	Wake     func(project int64) // called when something was stored
	Log      *slog.Logger
	Limits   Limits
	Watch    Observer
	Now      func() time.Time
	// Countries finds the country of an address, for projects that want it; nil: nobody
	// knows.
	Countries Countries
}

// Countries finds the country of an address; "" where it is not known.
type Countries interface{ Of(address string) string }

// New makes the intake.
func New(o Options) *Intake {
	in := &Intake{projects: o.Projects, inbox: o.Inbox, router: o.Router, wake: o.Wake, watch: o.Watch, log: o.Log,
		lim: o.Limits, now: o.Now, countries: o.Countries, flight: semaphore.NewWeighted(o.Limits.Flight),
		logs: semaphore.NewWeighted(int64(max(1, runtime.GOMAXPROCS(0)/2))), patience: 10 * time.Second,
		keys: newKnown[*projects.KeyGrant](), names: newKnown[*projects.Project]()}
	in.backlog.Store(&Backlog{})
	return in
}

// Routes adds the endpoints to r.
func (in *Intake) Routes(r chi.Router) {
	r.Options("/v1/*", in.preflight)
	r.With(web.Secure).Post("/v1/events", in.handle(in.events, web.WriteError))
	r.With(web.Secure).Post("/v1/sessions", in.handle(in.messages(sessions), web.WriteError))
	r.With(web.Secure).Post("/v1/feedback", in.handle(in.messages(feedbacks), web.WriteError))
	r.With(web.Secure).Post("/v1/log-lines", in.handle(in.logLines, web.WriteError))
	r.With(web.Secure).Post("/v1/logs", in.handle(in.otlp(logRecords), writeStatus))
	r.With(web.Secure).Post("/v1/traces", in.handle(in.otlp(spans), writeStatus))
	r.With(web.Secure).Post("/v1/metrics", in.handle(in.metrics, writeStatus))
}

// preflight is answered for any origin, before any key is looked at: a
// preflight carries none. The project's origins are enforced on the POST.
func (in *Intake) preflight(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Access-Control-Allow-Origin", "*")
	h.Set("Access-Control-Allow-Methods", "POST")
	h.Set("Access-Control-Allow-Headers", "authorization, content-type, content-encoding, idempotency-key")
	h.Set("Access-Control-Max-Age", "7200")
	w.WriteHeader(http.StatusNoContent)
}

// handle makes a handler of a function; fail writes its errors in the form
// that the endpoint's senders read.
func (in *Intake) handle(fn func(http.ResponseWriter, *http.Request, *projects.KeyGrant) error,
	fail func(http.ResponseWriter, *http.Request, *slog.Logger, error)) http.HandlerFunc {
	run := func(w http.ResponseWriter, r *http.Request) error {
		h := w.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Access-Control-Expose-Headers", "Retry-After")
		if err := in.inbox.CanAppend(); err != nil {
			in.watch.Rejected("database_away")
			return err
		}
		g, err := in.grant(r)
		if err != nil {
			return err
		}
		err = in.admit(r, g.Project)
		if err == nil {
			err = fn(w, r, g)
		}
		if err != nil {
			in.countFailed(g.Project.ID, err)
		}
		return err
	}
	return func(w http.ResponseWriter, r *http.Request) {
		if err := run(w, r); err != nil {
			fail(w, r, in.log, err)
		}
	}
}

// admit says whether a project may send at all now, and from where it does.
func (in *Intake) admit(r *http.Request, p *projects.Project) error {
	if err := in.admits(p); err != nil {
		return err
	}
	return admitsOrigin(p, r.Header.Get("Origin"))
}

// admits says whether there is room for more events of a project.
func (in *Intake) admits(p *projects.Project) error {
	err := in.backlog.Load().admits(p.ID, in.lim.Inbox)
	if err != nil {
		in.watch.Rejected("inbox_long")
	}
	return err
}

// admitsOrigin says whether a project takes reports from pages of an origin;
// "" is a sender that is no page.
func admitsOrigin(p *projects.Project, origin string) error {
	if origin != "" && !slices.Contains(p.Origins, "*") && !slices.Contains(p.Origins, origin) {
		return problem.New(problem.Forbidden, "project %s takes no reports from the origin %.200s", p.Name, origin)
	}
	return nil
}

// Answer is what a sender is told.
type Answer struct {
	Stored      int       `json:"stored"`
	Refused     []Refused `json:"refused"`                // the first maxRefused of them
	RefusedMore int       `json:"refused_more,omitempty"` // refused beside those
	// Log records without an exception that the project does not want.
	LetGo int `json:"let_go,omitempty"`
}

// Limits of what an answer says about refused events.
const (
	maxRefused = 100 // listed in an answer
	maxDetail  = 300 // bytes of a reason
)

// refuse lists a refusal, or counts it where the list is full.
func (a *Answer) refuse(index int, detail string) {
	if len(a.Refused) >= maxRefused {
		a.RefusedMore++
		return
	}
	a.Refused = append(a.Refused, Refused{index, event.TrimText(detail, maxDetail)})
}

// add adds the answer about a further part of the same request.
func (a *Answer) add(b Answer) {
	a.Stored, a.LetGo, a.RefusedMore = a.Stored+b.Stored, a.LetGo+b.LetGo, a.RefusedMore+b.RefusedMore
	for _, r := range b.Refused {
		a.refuse(r.Index, r.Detail)
	}
}

// status is that of the answer to a sender that can be told what was refused.
func (a *Answer) status() int {
	if a.Stored == 0 && len(a.Refused) > 0 {
		return http.StatusBadRequest
	}
	return http.StatusAccepted
}

// Refused is an event that could not be stored.
type Refused struct {
	Index  int    `json:"index"` // counted from 0
	Detail string `json:"detail"`
}

func (in *Intake) events(w http.ResponseWriter, r *http.Request, g *projects.KeyGrant) error {
	lines, err := lineWise(r.Header.Get("Content-Type"))
	if err != nil {
		return err
	}
	raw, load, err := in.readTwice(w, r)
	defer load.release()
	if err != nil {
		return err
	}
	got, err := open(raw, lines, "events")
	if err != nil {
		return err
	}
	answer, err := in.accept(r, g, got)
	if err != nil {
		return err
	}
	return web.WriteJSON(w, answer.status(), answer)
}

// read reads a request's body. What it takes in memory is counted by the load,
// which must be released, also after an error.
func (in *Intake) read(w http.ResponseWriter, r *http.Request) ([]byte, *load, error) {
	l := &load{flight: in.flight, from: r.Body, conn: http.NewResponseController(w), patience: in.patience}
	r.Body = l
	lim := in.lim.Body
	lim.Count = l.hold
	raw, err := web.ReadBody(w, r, lim)
	return raw, l, in.full(err)
}

// readTwice is read for bodies that stand in memory twice: as they were sent,
// and as they are decoded and scrubbed.
func (in *Intake) readTwice(w http.ResponseWriter, r *http.Request) ([]byte, *load, error) {
	raw, l, err := in.read(w, r)
	if err == nil {
		err = in.full(l.hold(len(raw)))
	}
	return raw, l, err
}

// full counts a request that is refused because memory is full.
func (in *Intake) full(err error) error {
	if errors.Is(err, errFull) {
		in.watch.Rejected("memory_full")
		return errFull
	}
	return err
}

// found is an event that was found in a request.
type found struct {
	index int // of what it was found in
	event *event.Event
}

// acceptFound takes in events that were found in a request as if they had been
// sent, in several parts where they are too many for one. Sending the request
// again after an error repeats no event as long as the events carry ids.
func (in *Intake) acceptFound(r *http.Request, l *load, g *projects.KeyGrant, list []found) (Answer, error) {
	pieces, size := make([]piece, 0, len(list)), 0
	for _, f := range list {
		raw, err := json.Marshal(f.event)
		if err != nil {
			return Answer{}, err
		}
		if size += len(raw); size > maxFound {
			return Answer{}, problem.New(problem.TooLarge, "the events in the request have more than %d MiB, each with its resource; send fewer at a time", maxFound>>20)
		}
		if err := in.full(l.hold(len(raw))); err != nil {
			return Answer{}, err
		}
		pieces = append(pieces, piece{index: f.index, raw: raw})
	}
	all := Answer{Refused: []Refused{}}
	for part := range slices.Chunk(pieces, maxElements) {
		answer, err := in.accept(r, g, &opened{pieces: part})
		if err != nil {
			return Answer{}, err
		}
		all.add(answer)
	}
	return all, nil
}

// accept scrubs and stores what a request holds, and says what became of it.
func (in *Intake) accept(r *http.Request, g *projects.KeyGrant, got *opened) (Answer, error) {
	ctx, from := r.Context(), web.Sender(r)
	if err := in.allowance.usedUp(g.Project, in.now()); err != nil { // no more work than counting
		return Answer{}, in.over(g.Project, len(got.pieces), err)
	}
	sorted := &sorter{in: in, grant: g, origin: r.Header.Get("Origin"), from: from, opened: got,
		answer: Answer{Refused: []Refused{}}}
	if err := sorted.run(ctx); err != nil {
		return Answer{}, err
	}
	if len(got.dropped) > 0 {
		err := in.ask(ctx, func(ctx context.Context) error {
			return in.inbox.ClientDrops(ctx, g.Project.ID, got.dropped)
		})
		if err != nil {
			return Answer{}, err
		}
	}
	in.countRefused(g.Project.ID, &sorted.answer)
	taken := taking{in: in, ctx: ctx, from: from}
	defer taken.giveBack()
	for _, p := range sorted.parcels {
		if err := taken.take(p.project, int64(len(p.batch.Events)), p.weight); err != nil {
			return Answer{}, err
		}
	}
	for _, p := range sorted.parcels {
		for b := range p.chunks() {
			if err := in.inbox.Append(ctx, p.project.ID, b); err != nil {
				return Answer{}, err
			}
		}
		taken.keep(p.project)
		sorted.answer.Stored += len(p.batch.Events)
		in.wake(p.project.ID)
	}
	in.watch.Stored(sorted.answer.Stored)
	return sorted.answer, nil
}

// lineWise says whether a media type holds one event a line.
func lineWise(contentType string) (bool, error) {
	media := "application/json"
	if contentType != "" {
		var err error
		if media, _, err = mime.ParseMediaType(contentType); err != nil {
			return false, problem.New(problem.BadMediaType, "the Content-Type %q cannot be read", contentType)
		}
	}
	switch media {
	case "application/x-ndjson", "application/jsonl":
		return true, nil
	case "application/json", "text/plain":
		return false, nil
	}
	return false, problem.New(problem.BadMediaType, "Content-Type %s is not read here: application/json, text/plain and application/x-ndjson are", media)
}
