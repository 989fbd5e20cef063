// Package api is the HTTP API that the console and the command line use, and
// nothing else does they use. Its OpenAPI 3.1 document is made from the code.
//
// Reading order: New (routes), auth.go (who may do what), then one file a
// resource.
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
	"golang.org/x/sync/semaphore"

	"firethorn/internal/core/fault"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/repository"
	"firethorn/internal/web"
)

// API serves /api.
type API struct {
	store   *records.Records
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
	Store     *records.Records
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

// New makes the API and adds its routes to r.
func New(r chi.Router, opt Options) *API {
	a := &API{trials: make(trials, tryAtOnce), store: opt.Store, code: opt.Code, units: opt.Units, log: opt.Log,
		public: opt.PublicURL, wake: opt.Wake, disk: opt.DiskFree, clients: opt.Clients,
		guesses: newGuesses(time.Now), watch: opt.Watch, memory: semaphore.NewWeighted(bodyMemory)}
	a.live = newHub(opt.Store, opt.Log)
	guard := http.NewCrossOriginProtection()
	r.Group(func(r chi.Router) {
		r.Use(web.Secure, web.ETag, a.checkHost, guard.Handler, a.authenticate, a.boundBodies)
		a.register(r)
		r.Post("/api/projects/{project}/symbols/content", web.Handle(a.log, a.putSymbol))
		r.Post("/api/projects/{project}/repository/bundle", web.Handle(a.log, a.putBundle))
		r.Get("/api/live", web.Handle(a.log, a.serveLive))
		r.Get("/api/rules.schema.json", serveRulesSchema)
		if opt.Metrics != nil {
			r.Get("/metrics", web.Handle(a.log, func(w http.ResponseWriter, r *http.Request) error {
				if err := a.may(r.Context(), see, ""); err != nil {
					return err
				}
				opt.Metrics.ServeHTTP(w, r)
				return nil
			}))
		}
	})
	return a
}

// Run feeds the live streams until ctx ends.
func (a *API) Run(ctx context.Context) error { return a.live.run(ctx) }

// ourErrors replaces the framework's error bodies, which it holds in one place
// for the whole process.
var ourErrors sync.Once

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

// op registers an operation that needs an action's right.
func op[I, O any](h huma.API, a *API, method, path, id, summary string, need action,
	fn func(context.Context, *I) (*O, error)) {
	huma.Register(h, huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary,
		MaxBodyBytes: maxBody(need), BodyReadTimeout: bodyTime,
		Extensions: map[string]any{"x-permission": string(need)}}, func(ctx context.Context, in *I) (*O, error) {
		project := ""
		if p, ok := any(in).(interface{ projectName() string }); ok {
			project = p.projectName()
		}
		if err := a.may(ctx, need, project); err != nil {
			return nil, a.failed(method, path, err)
		}
		out, err := fn(ctx, in)
		if err != nil {
			return nil, a.failed(method, path, err)
		}
		return out, nil
	})
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

func (a *API) register(r chi.Router) huma.API {
	h := describe(r)
	a.people(h)
	a.projects(h)
	a.overview(h)
	a.briefs(h)
	a.setUp(h)
	a.issues(h)
	a.events(h)
	a.traces(h)
	a.sessions(h)
	a.feedback(h)
	a.grouping(h)
	a.symbols(h)
	a.operations(h)
	a.queue(h)
	a.users(h)
	a.rules(h)
	a.trial(h)
	a.regroupings(h)
	a.review(h)
	a.beside(h)
	a.releases(h)
	a.repository(h)
	a.likely(h)
	a.owners(h)
	a.teamsAndLeaving(h)
	a.round(h)
	a.scoring(h)
	a.comments(h)
	a.life(h)
	a.received(h)
	return h
}

// Document is the OpenAPI document as JSON, without a running service.
func Document() ([]byte, error) {
	a := &API{store: &records.Records{}, log: slog.New(slog.DiscardHandler)}
	return a.register(chi.NewRouter()).OpenAPI().MarshalJSON()
}
