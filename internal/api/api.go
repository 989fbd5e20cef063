// Package api is the HTTP API of the console and the command line: both use
// nothing else. Its OpenAPI 3.1 document is made from the code.
//
// Reading order: calls/routes.go (the table of all calls, with their permissions),
// calls/needs.go (what calls read and change), calls/table.go (how a call gets its
// handler), calls/auth.go (who asks), then a folder a noun, with a file a resource.
package api

import (
	"context"
	"log/slog"
	"net/http"
	"net/url"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"

	"firethorn/internal/api/alerts"
	"firethorn/internal/api/calls"
	"firethorn/internal/api/issues"
	"firethorn/internal/api/live"
	"firethorn/internal/api/operations"
	"firethorn/internal/api/people"
	"firethorn/internal/api/projects"
	"firethorn/internal/api/releases"
	"firethorn/internal/api/search"
	"firethorn/internal/api/symbols"
	"firethorn/internal/core/problem"
	"firethorn/internal/pipeline"
	"firethorn/internal/repository"
	"firethorn/internal/web"
)

// Options of New.
type Options struct {
	Store     calls.Stores
	Code      *repository.Keeper // the history of projects' code
	Units     *pipeline.Units
	Log       *slog.Logger
	PublicURL *url.URL
	Wake      func(project int64)            // something was put into the inbox; nil: nobody files here
	DiskFree  func() (free int64, err error) // of the private database; nil: it runs elsewhere
	Clients   string                         // version of the clients that the service hands out
	Watch     calls.Observer                 // nil: nobody measures
	Metrics   http.Handler                   // served at /metrics to those who may read; nil: not
}

// Version is the API's and the product's version.
const Version = "0.1.0"

// API serves /api.
type API struct{ live *live.Hub }

// New makes the API and adds its routes to r. It fails where the table of calls, the
// handlers and the document do not fit together.
func New(r chi.Router, opt Options) (*API, error) {
	f := calls.NewFrame(calls.Frame{Store: opt.Store, Code: opt.Code, Units: opt.Units, Log: opt.Log,
		Public: opt.PublicURL, Wake: opt.Wake, Disk: opt.DiskFree, Clients: opt.Clients, Watch: opt.Watch})
	a := &API{live: live.NewHub(f)}
	guard := http.NewCrossOriginProtection()
	var err error
	r.Group(func(r chi.Router) {
		r.Use(web.Secure, web.ETag, f.CheckHost, guard.Handler, f.Authenticate, f.BoundBodies)
		_, err = a.register(r, f, opt.Metrics)
	})
	return a, err
}

// Run feeds the live streams until ctx ends.
func (a *API) Run(ctx context.Context) error { return a.live.Run(ctx) }

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
			return newProblem(status, msg, errs)
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

// newProblem makes validation failures look like every other error.
func newProblem(status int, msg string, errs []error) *web.Problem {
	if status == http.StatusUnprocessableEntity {
		status = http.StatusBadRequest
	}
	p := &web.Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: msg,
		Code: string(problem.BadInput)}
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

// register adds all calls to r, and describes them.
func (a *API) register(r chi.Router, f *calls.Frame, metrics http.Handler) (huma.API, error) {
	h := describe(r)
	t := calls.NewTable(r, h, f)
	for _, add := range []func(*calls.Table, *calls.Frame){people.Add, projects.Add, issues.Add, search.Add,
		releases.Add, alerts.Add,
		symbols.Add, operations.Add} {
		add(t, f)
	}
	t.Stream("live", a.live.Serve)
	t.Stream("metrics", func(w http.ResponseWriter, r *http.Request) error {
		if metrics == nil {
			return problem.New(problem.NotFound, "this process does not measure itself")
		}
		metrics.ServeHTTP(w, r)
		return nil
	})
	return h, t.Check()
}

// Document is the OpenAPI document as JSON, without a running service.
func Document() ([]byte, error) {
	f := &calls.Frame{Log: slog.New(slog.DiscardHandler)}
	h, err := (&API{live: live.NewHub(f)}).register(chi.NewRouter(), f, nil)
	if err != nil {
		return nil, err
	}
	return h.OpenAPI().MarshalJSON()
}
