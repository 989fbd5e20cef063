// Package intake is the endpoint that applications report to. It
// authenticates, bounds, scrubs and stores, and answers only when what it
// acknowledges is synced. It does nothing that can be slow: decoding,
// symbols and grouping are the worker's.
package intake

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"mime"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-chi/chi/v5"
	"golang.org/x/sync/semaphore"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/mariadb"
	"firethorn/internal/pipeline"
	"firethorn/internal/web"
)

// Store is where batches go.
type Store interface {
	GrantOfKey(ctx context.Context, key string) (*mariadb.KeyGrant, error)
	RouteProject(ctx context.Context, home *mariadb.Project, name string) (p *mariadb.Project, ok bool, err error)
	TakeAllowance(ctx context.Context, project int64, span mariadb.Span, start time.Time, events, most int64) (bool, error)
	CountReceived(ctx context.Context, project int64, t *mariadb.Tally) error
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
	Inbox  int64 // events that may wait to be filed
}

// DefaultLimits are those of the event format.
var DefaultLimits = Limits{Body: web.Limits{Wire: 16 << 20, Plain: 16 << 20}, Event: 2 << 20, Flight: 96 << 20, Inbox: 1_000_000}

// Intake serves /v1.
type Intake struct {
	store Store
	wake  func(project int64)
	watch Observer
	log   *slog.Logger
	lim   Limits
	now   func() time.Time

	flight   *semaphore.Weighted
	patience time.Duration // how long a sender may stay silent in the middle of a body
	backlog  atomic.Pointer[Backlog]

	tallies   tallies
	allowance allowances

	mu    sync.Mutex
	keys  map[string]known[*mariadb.KeyGrant]
	names map[string]known[*mariadb.Project] // that routing keys led to
}

// Observer is told what came in, for those who measure.
type Observer interface {
	Stored(events int)
	Refused(events int, cause string)
	TurnedAway(cause string)
}

// New makes the intake; wake is called when something was stored.
func New(store Store, wake func(project int64), log *slog.Logger, lim Limits, watch Observer, now func() time.Time) *Intake {
	in := &Intake{store: store, wake: wake, watch: watch, log: log, lim: lim, now: now, flight: semaphore.NewWeighted(lim.Flight), patience: 10 * time.Second,
		keys: map[string]known[*mariadb.KeyGrant]{}, names: map[string]known[*mariadb.Project]{}}
	in.backlog.Store(&Backlog{})
	return in
}

// Routes adds the endpoints to r.
func (in *Intake) Routes(r chi.Router) {
	r.Options("/v1/*", in.preflight)
	r.With(web.Secure).Post("/v1/events", in.handle(in.events, web.WriteError))
	r.With(web.Secure).Post("/v1/sessions", in.handle(in.words(sessions), web.WriteError))
	r.With(web.Secure).Post("/v1/feedback", in.handle(in.words(feedbacks), web.WriteError))
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
func (in *Intake) handle(fn func(http.ResponseWriter, *http.Request, *mariadb.KeyGrant) error, fail func(http.ResponseWriter, *http.Request, *slog.Logger, error)) http.HandlerFunc {
	run := func(w http.ResponseWriter, r *http.Request) error {
		h := w.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Access-Control-Expose-Headers", "Retry-After")
		if err := in.store.CanAppend(); err != nil {
			in.watch.TurnedAway("database_away")
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
func (in *Intake) admit(r *http.Request, p *mariadb.Project) error {
	if err := in.backlog.Load().admits(p.ID, in.lim.Inbox); err != nil {
		in.watch.TurnedAway("inbox_long")
		return err
	}
	if origin := r.Header.Get("Origin"); origin != "" && !slices.Contains(p.Origins, "*") && !slices.Contains(p.Origins, origin) {
		return fault.New(fault.Forbidden, "project %s takes no reports from the origin %s", p.Name, origin)
	}
	return nil
}

// Answer is what a sender is told.
type Answer struct {
	Stored  int       `json:"stored"`
	Refused []Refused `json:"refused"`
	LetGo   int       `json:"let_go,omitempty"` // log records without an exception that the project does not want
}

// Refused is an event that could not be stored.
type Refused struct {
	Index  int    `json:"index"` // counted from 0
	Detail string `json:"detail"`
}

func (in *Intake) events(w http.ResponseWriter, r *http.Request, g *mariadb.KeyGrant) error {
	lines, err := lineWise(r.Header.Get("Content-Type"))
	if err != nil {
		return err
	}
	raw, load, err := in.read(w, r)
	defer load.release()
	if err != nil {
		return err
	}
	got, err := open(raw, lines, "events")
	if err != nil {
		return err
	}
	answer, err := in.accept(r.Context(), g, got)
	if err != nil {
		return err
	}
	status := http.StatusAccepted
	if answer.Stored == 0 && len(answer.Refused) > 0 {
		status = http.StatusBadRequest
	}
	return web.WriteJSON(w, status, answer)
}

// read reads a request's body. What it takes in memory is counted by the load,
// which must be released, also after an error.
func (in *Intake) read(w http.ResponseWriter, r *http.Request) ([]byte, *load, error) {
	l := &load{flight: in.flight, from: r.Body, conn: http.NewResponseController(w), patience: in.patience}
	r.Body = l
	lim := in.lim.Body
	lim.Count = l.hold
	raw, err := web.ReadBody(w, r, lim)
	if errors.Is(err, errFull) {
		in.watch.TurnedAway("memory_full")
		return nil, l, errFull
	}
	return raw, l, err
}

// foundMost is how many bytes the events found in one request may have, each
// with all that it shares with the others.
const foundMost = 48 << 20

// pieces writes events that were found in a request as if they had been sent.
func (in *Intake) pieces(l *load, n int, at func(i int) (index int, e *event.Event)) (*opened, error) {
	got, size := &opened{}, 0
	for i := range n {
		index, e := at(i)
		raw, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		if size += len(raw); size > foundMost {
			return nil, fault.New(fault.TooLarge, "the events in the request have more than %d MiB, each with its resource; send fewer at a time", foundMost>>20)
		}
		if err := l.hold(len(raw)); err != nil {
			in.watch.TurnedAway("memory_full")
			return nil, err
		}
		got.pieces = append(got.pieces, piece{index, raw})
	}
	return got, nil
}

// accept scrubs and stores what a request holds, and says what became of it.
func (in *Intake) accept(ctx context.Context, g *mariadb.KeyGrant, got *opened) (Answer, error) {
	if err := in.allowance.usedUp(g.Project, in.now()); err != nil { // no more work than counting
		return Answer{}, in.over(g.Project.ID, len(got.pieces), err)
	}
	sorted := &sorter{in: in, grant: g, opened: got, refused: []Refused{}}
	if err := sorted.run(ctx); err != nil {
		return Answer{}, err
	}
	if len(got.dropped) > 0 {
		if err := in.store.ClientDrops(ctx, g.Project.ID, got.dropped); err != nil {
			return Answer{}, err
		}
	}
	in.countRefused(g.Project.ID, sorted.refused)
	answer := Answer{Refused: sorted.refused, LetGo: sorted.letGo}
	for _, p := range sorted.parcels {
		answer.Stored += len(p.batch.Events)
	}
	for _, p := range sorted.parcels {
		if err := in.allowance.take(ctx, in.store, p.project, in.now(), p.weight); err != nil {
			return Answer{}, in.over(p.project.ID, len(p.batch.Events), err)
		}
	}
	for _, p := range sorted.parcels {
		for b := range p.chunks() {
			if err := in.store.Append(ctx, p.project.ID, b); err != nil {
				return Answer{}, err
			}
		}
		in.wake(p.project.ID)
	}
	in.watch.Stored(answer.Stored)
	return answer, nil
}

// lineWise says whether a media type holds one event a line.
func lineWise(contentType string) (bool, error) {
	media := "application/json"
	if contentType != "" {
		var err error
		if media, _, err = mime.ParseMediaType(contentType); err != nil {
			return false, fault.New(fault.BadMediaType, "the Content-Type %q cannot be read", contentType)
		}
	}
	switch media {
	case "application/x-ndjson", "application/jsonl":
		return true, nil
	case "application/json", "text/plain":
		return false, nil
	}
	return false, fault.New(fault.BadMediaType, "Content-Type %s is not read here: application/json, text/plain and application/x-ndjson are", media)
}
