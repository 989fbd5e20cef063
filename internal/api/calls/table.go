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

// NewTable is the table of all calls, none of which has its handler yet. h describes
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
		if err := t.a.May(r.Context(), row.Need, chi.URLParam(r, "project")); err != nil {
			return err
		}
		return fn(w, r)
	}))
}

// Call gives a call its handler, which runs for those who have the permission that
// the table names. The project that the path names, if any, counts for tokens that
// are good for one project.
func Call[I, O any](t *Table, id string, fn func(context.Context, *I) (*O, error)) {
	r, ok := t.rows[id]
	if !ok {
		panic("no route is called " + id) // a slip of the code, found by its first start
	}
	op := huma.Operation{OperationID: r.ID, Method: r.Method, Path: r.Path, Summary: r.summary,
		MaxBodyBytes: maxBody(r.Need), BodyReadTimeout: bodyTime,
		Extensions: map[string]any{"x-permission": string(r.Need)}}
	huma.Register(t.h, op, func(ctx context.Context, in *I) (*O, error) {
		project := ""
		if p, ok := any(in).(interface{ ProjectName() string }); ok {
			project = p.ProjectName()
		}
		if err := t.a.May(ctx, r.Need, project); err != nil {
			return nil, t.a.failed(r.Method, r.Path, err)
		}
		out, err := fn(ctx, in)
		if err != nil {
			return nil, t.a.failed(r.Method, r.Path, err)
		}
		return out, nil
	})
}

// ofProject is the input of a call about a project.
type ofProject[I any] interface {
	*I
	ProjectName() string
}

// OnProject gives a call about a project its handler: the project is looked up.
func OnProject[I, O any, P ofProject[I]](t *Table, id string,
	fn func(ctx context.Context, p *projects.Project, in *I) (*O, error)) {
	Call(t, id, func(ctx context.Context, in *I) (*O, error) {
		p, err := t.a.Store.Projects.Project(ctx, P(in).ProjectName())
		if err != nil {
			return nil, err
		}
		return fn(ctx, p, in)
	})
}

// ofIssue is the input of a call about an issue.
type ofIssue[I any] interface {
	ofProject[I]
	IssueNumber() int64
}

// OnIssue gives a call about an issue its handler: project and issue are looked up.
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

// Check compares the table with what was registered and with the document that is
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
