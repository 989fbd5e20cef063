// Package api is the HTTP API of the console and the command line: both use
// nothing else. Its OpenAPI 3.1 document is made from the code.
//
// Reading order: routes.go (the table of all calls, with their permissions),
// needs.go (what calls read and change), table.go (how a call gets its handler),
// auth.go (who asks), then one file a resource.
package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"
	"golang.org/x/sync/semaphore"

	"firethorn/internal/core/fault"
	"firethorn/internal/pipeline"
	"firethorn/internal/repository"
	"firethorn/internal/web"
)

// API serves /api.
type API struct {
	store   Stores
	code    *repository.Keeper
	units   *pipeline.Units
	log     *slog.Logger
	public  *url.URL // links are built from it, never from the Host header
	live    *hub
	wake    func(project int64)
	disk    func() (free int64, err error)
	trials  trials
	reviews reviews
	guesses *guesses
	watch   Observer            // nil: nobody measures
	memory  *semaphore.Weighted // bytes of bodies that are being read and worked on

	clients string // version of those that are handed out
}

// Observer is told what those who measure want to know.
type Observer interface {
	WrongSecret(what string)
}

// Options of New.
type Options struct {
	Store     Stores
	Code      *repository.Keeper // the history of projects' code
	Units     *pipeline.Units
	Log       *slog.Logger
	PublicURL *url.URL
	Wake      func(project int64)            // something was put into the inbox; nil: nobody files here
	DiskFree  func() (free int64, err error) // of the private database; nil: it runs elsewhere
	Clients   string                         // version of the clients that the service hands out
	Watch     Observer                       // nil: nobody measures
	Metrics   http.Handler                   // served at /metrics to those who may read; nil: not
}

// Version is the API's and the product's version.
const Version = "0.1.0"

// New makes the API and adds its routes to r. It fails where the table of calls, the
// handlers and the document do not fit together.
func New(r chi.Router, opt Options) (*API, error) {
	a := &API{trials: make(trials, tryAtOnce), store: opt.Store, code: opt.Code, units: opt.Units, log: opt.Log,
		public: opt.PublicURL, wake: opt.Wake, disk: opt.DiskFree, clients: opt.Clients,
		guesses: newGuesses(time.Now), watch: opt.Watch, memory: semaphore.NewWeighted(bodyMemory)}
	a.live = newHub(opt.Store, opt.Log)
	guard := http.NewCrossOriginProtection()
	var err error
	r.Group(func(r chi.Router) {
		r.Use(web.Secure, web.ETag, a.checkHost, guard.Handler, a.authenticate, a.boundBodies)
		_, err = a.register(r)
		a.streams(r, opt.Metrics)
	})
	return a, err
}

// streams adds the calls whose bodies are no JSON of a call: they stand beside the
// document.
func (a *API) streams(r chi.Router, metrics http.Handler) {
	r.Post("/api/projects/{project}/symbols/content", web.Handle(a.log, a.putSymbol))
	r.Post("/api/projects/{project}/repository/bundle", web.Handle(a.log, a.putBundle))
	r.Get("/api/live", web.Handle(a.log, a.serveLive))
	r.Get("/api/rules.schema.json", serveRulesSchema)
	if metrics != nil {
		r.Get("/metrics", web.Handle(a.log, func(w http.ResponseWriter, r *http.Request) error {
			if err := a.may(r.Context(), see, ""); err != nil {
				return err
			}
			metrics.ServeHTTP(w, r)
			return nil
		}))
	}
}

// Run feeds the live streams until ctx ends.
func (a *API) Run(ctx context.Context) error { return a.live.run(ctx) }

// ourErrors replaces the framework's error bodies, which it holds in one place
// for the whole process.
var ourErrors sync.Once

// jsonOnce is JSON as the framework reads it, save that no object may name a field
// twice: which of two values is meant nobody can know (RFC 8259, section 4).
var jsonOnce = huma.Format{Marshal: huma.DefaultJSONFormat.Marshal, Unmarshal: func(raw []byte, v any) error {
	return json.Unmarshal(raw, v, jsonv1.DefaultOptionsV1(), jsontext.AllowDuplicateNames(false))
}}

// describe is the API's own description of itself.
func describe(r chi.Router) huma.API {
	ourErrors.Do(func() {
		huma.NewError = func(status int, msg string, errs ...error) huma.StatusError {
			return problem(status, msg, errs)
		}
	})
	cfg := huma.DefaultConfig("Firethorn", Version)
	cfg.Info.Description = "Exceptions of applications, grouped into issues. Errors are problem details (RFC 9457); lists are pages with a cursor in \"next\"."
	cfg.OpenAPIPath, cfg.DocsPath, cfg.SchemasPath = "/api/openapi", "", ""
	cfg.CreateHooks = nil
	cfg.Formats = map[string]huma.Format{"application/json": jsonOnce, "json": jsonOnce}
	cfg.Components.SecuritySchemes = map[string]*huma.SecurityScheme{"token": {Type: "http", Scheme: "bearer"}}
	cfg.Security = []map[string][]string{{"token": {}}}
	return humachi.New(r, cfg)
}

// problem makes validation failures look like every other error.
func problem(status int, msg string, errs []error) *web.Problem {
	if status == http.StatusUnprocessableEntity {
		status = http.StatusBadRequest
	}
	p := &web.Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: msg,
		Code: string(fault.BadInput)}
	for _, e := range errs {
		if e == nil {
			continue
		}
		if d, ok := e.(huma.ErrorDetailer); ok {
			detail := d.ErrorDetail()
			p.Errors = append(p.Errors, map[string]any{"pointer": detail.Location, "detail": detail.Message})
			p.Detail = detail.Location + ": " + detail.Message
			continue
		}
		p.Detail = e.Error()
	}
	return p
}

func (a *API) failed(method, path string, err error) error {
	p, after := web.ProblemOf(err)
	if p.Status >= 500 && !errors.Is(err, context.Canceled) { // nobody waits for the answer any more
		a.log.Error("request failed", "method", method, "path", path, "status", p.Status, "err", err)
	}
	if after > 0 {
		return huma.ErrorWithHeaders(p, http.Header{"Retry-After": {strconv.Itoa(after)}})
	}
	return p
}

// body wraps an answer.
type body[T any] struct{ Body T }

// noInput is an operation without parameters.
type noInput struct{}

// ProjectPath is the path of what belongs to a project.
type ProjectPath struct {
	Project string `path:"project" doc:"the project's name"`
}

func (p *ProjectPath) projectName() string { return p.Project }

// IssuePath is the path of an issue.
type IssuePath struct {
	ProjectPath
	Number int64 `path:"number" minimum:"1" doc:"the issue's number in its project"`
}

func (p *IssuePath) issueNumber() int64 { return p.Number }

// register adds all calls to r.
func (a *API) register(r chi.Router) (huma.API, error) {
	t := newTable(describe(r), a)
	for _, group := range []func(*table){a.people, a.projects, a.keys, a.overview, a.briefs, a.setUp, a.issues,
		a.events,
		a.traces, a.sessions, a.feedback, a.grouping, a.symbols, a.operations, a.queue, a.users, a.rules, a.trial,
		a.regroupings, a.review, a.beside, a.releases, a.repository, a.likely, a.owners, a.teamsAndLeaving, a.round,
		a.scoring, a.comments, a.life, a.received} {
		group(t)
	}
	return t.h, t.check()
}

// Document is the OpenAPI document as JSON, without a running service.
func Document() ([]byte, error) {
	a := &API{log: slog.New(slog.DiscardHandler)}
	h, err := a.register(chi.NewRouter())
	if err != nil {
		return nil, err
	}
	return h.OpenAPI().MarshalJSON()
}
