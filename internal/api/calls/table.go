package calls

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"firethorn/internal/core/problem"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// Table gives the rows of routes their handlers.
type Table struct {
	router  chi.Router
	h       huma.API
	a       *Frame
	rows    map[string]Route
	streams map[string]Route // those that have no handler yet
}

// NewTable is the table of all calls, without handlers. h describes
// what is served by r.
func NewTable(r chi.Router, h huma.API, a *Frame) *Table {
	t := &Table{router: r, h: h, a: a, rows: map[string]Route{}, streams: map[string]Route{}}
	for _, r := range Routes() {
		t.rows[r.ID] = r
	}
	for _, r := range Streams() {
		t.streams[r.ID] = r
	}
	return t
}

// Stream gives a call that is in no document its handler, which runs for those who
// have the permission that the table names.
func (t *Table) Stream(id string, fn func(w http.ResponseWriter, r *http.Request) error) {
	row, ok := t.streams[id]
	if !ok {
		panic("no stream is called " + id) // a slip of the code, found by its first start
	}
	delete(t.streams, id)
	t.router.Method(row.Method, row.Path, web.Handle(t.a.Log, func(w http.ResponseWriter, r *http.Request) error {
		ctx, err := t.a.enter(r.Context(), row, chi.URLParam(r, "project"))
		if err != nil {
			return err
		}
		return fn(w, r.WithContext(ctx))
	}))
}

// Call gives a call its handler, which runs for those who have the permission that
// the table names, in the project that the path names, if any.
func Call[I, O any](t *Table, id string, fn func(context.Context, *I) (*O, error)) {
	r, ok := t.rows[id]
	if !ok {
		panic("no route is called " + id) // a slip of the code, found by its first start
	}
	op := huma.Operation{OperationID: r.ID, Method: r.Method, Path: r.Path, Summary: r.summary,
		MaxBodyBytes: maxBody(r.Need), BodyReadTimeout: bodyTime,
		Extensions: map[string]any{"x-permission": string(r.Need)}}
	if r.Fresh() {
		op.Extensions["x-fresh-sign-in"] = true
	}
	huma.Register(t.h, op, func(ctx context.Context, in *I) (*O, error) {
		project := ""
		if p, ok := any(in).(interface{ ProjectName() string }); ok {
			project = p.ProjectName()
		}
		ctx, err := t.a.enter(ctx, r, project)
		if err != nil {
			return nil, t.a.failed(r.Method, r.Path, err)
		}
		out, err := fn(ctx, in)
		if err != nil {
			return nil, t.a.failed(r.Method, r.Path, err)
		}
		return out, nil
	})
}

// projectKey is the place in a call's context of the project that it is about.
type projectKey struct{}

// enter looks up the project that a call is about, if any, and checks that who asks
// may make the call.
func (a *Frame) enter(ctx context.Context, r Route, project string) (context.Context, error) {
	var p *projects.Project
	if project != "" {
		var err error
		if p, err = a.Store.Projects.Project(ctx, project); err != nil {
			return ctx, err
		}
		ctx = context.WithValue(ctx, projectKey{}, p)
	}
	if err := named(a.May(ctx, r.Need, p), project); err != nil {
		return ctx, err
	}
	return ctx, a.freshEnough(ctx, r)
}

// ProjectIn is the project that a call is about; nil: none.
func ProjectIn(ctx context.Context) *projects.Project {
	p, _ := ctx.Value(projectKey{}).(*projects.Project)
	return p
}

// Named is the project that a body or a query names: who asks must have a permission
// there.
func (a *Frame) Named(ctx context.Context, name string, need Action) (*projects.Project, error) {
	p, err := a.Store.Projects.Project(ctx, name)
	if err != nil {
		return nil, err
	}
	return p, named(a.May(ctx, need, p), name)
}

// named says of a project that may not be told of what is said of one that is not
// there: with the name that was asked for, not the one it has by now.
func named(err error, name string) error {
	if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
		return projects.NotThere(name)
	}
	return err
}

// ofProject is the input of a call about a project.
type ofProject[I any] interface {
	*I
	ProjectName() string
}

// OnProject gives a call about a project its handler.
func OnProject[I, O any, P ofProject[I]](t *Table, id string,
	fn func(ctx context.Context, p *projects.Project, in *I) (*O, error)) {
	Call(t, id, func(ctx context.Context, in *I) (*O, error) {
		return fn(ctx, ProjectIn(ctx), in)
	})
}

// ofIssue is the input of a call about an issue.
type ofIssue[I any] interface {
	ofProject[I]
	IssueNumber() int64
}

// OnIssue gives a call about an issue its handler: the issue is looked up.
func OnIssue[I, O any, P ofIssue[I]](t *Table, id string,
	fn func(ctx context.Context, p *projects.Project, is *issues.Issue, in *I) (*O, error)) {
	OnProject[I, O, P](t, id, func(ctx context.Context, p *projects.Project, in *I) (*O, error) {
		is, err := t.a.Store.Issues.Issue(ctx, p, P(in).IssueNumber())
		if err != nil {
			return nil, err
		}
		return fn(ctx, p, is, in)
	})
}

// Check compares the table with the registered handlers and with the document that is
// made of it: every row has a handler, and every call of the document a row with
// the same permission.
func (t *Table) Check() error {
	var wrong []error
	done := map[string]bool{}
	for path, item := range t.h.OpenAPI().Paths {
		for method, op := range map[string]*huma.Operation{http.MethodGet: item.Get, http.MethodPost: item.Post,
			http.MethodPut: item.Put, http.MethodPatch: item.Patch, http.MethodDelete: item.Delete} {
			if op == nil {
				continue
			}
			done[op.OperationID] = true
			r := t.rows[op.OperationID]
			if r.Method != method || r.Path != path || op.Extensions["x-permission"] != string(r.Need) {
				wrong = append(wrong, fmt.Errorf("%s %s is in no row of the table with its permission", method, path))
			}
		}
	}
	for id, r := range t.rows {
		if !done[id] {
			wrong = append(wrong, fmt.Errorf("%s %s (%s) has no handler", r.Method, r.Path, id))
		}
	}
	for id, r := range t.streams {
		wrong = append(wrong, fmt.Errorf("%s %s (%s) has no handler", r.Method, r.Path, id))
	}
	slices.SortFunc(wrong, func(a, b error) int { return cmp.Compare(a.Error(), b.Error()) })
	return errors.Join(wrong...)
}
