package api

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// table gives the rows of routes their handlers.
type table struct {
	h    huma.API
	a    *API
	rows map[string]route
}

func newTable(h huma.API, a *API) *table {
	t := &table{h: h, a: a, rows: map[string]route{}}
	for _, r := range routes() {
		t.rows[r.id] = r
	}
	return t
}

// call gives a call its handler, which runs for those who have the permission that
// the table names. The project that the path names, if any, counts for tokens that
// are good for one project.
func call[I, O any](t *table, id string, fn func(context.Context, *I) (*O, error)) {
	r, ok := t.rows[id]
	if !ok {
		panic("no route is called " + id) // a slip of the code, found by its first start
	}
	op := huma.Operation{OperationID: r.id, Method: r.method, Path: r.path, Summary: r.summary,
		MaxBodyBytes: maxBody(r.need), BodyReadTimeout: bodyTime,
		Extensions: map[string]any{"x-permission": string(r.need)}}
	huma.Register(t.h, op, func(ctx context.Context, in *I) (*O, error) {
		project := ""
		if p, ok := any(in).(interface{ projectName() string }); ok {
			project = p.projectName()
		}
		if err := t.a.may(ctx, r.need, project); err != nil {
			return nil, t.a.failed(r.method, r.path, err)
		}
		out, err := fn(ctx, in)
		if err != nil {
			return nil, t.a.failed(r.method, r.path, err)
		}
		return out, nil
	})
}

// ofProject is the input of a call about a project.
type ofProject[I any] interface {
	*I
	projectName() string
}

// onProject gives a call about a project its handler: the project is looked up.
func onProject[I, O any, P ofProject[I]](t *table, id string,
	fn func(ctx context.Context, p *projects.Project, in *I) (*O, error)) {
	call(t, id, func(ctx context.Context, in *I) (*O, error) {
		p, err := t.a.store.Projects.Project(ctx, P(in).projectName())
		if err != nil {
			return nil, err
		}
		return fn(ctx, p, in)
	})
}

// ofIssue is the input of a call about an issue.
type ofIssue[I any] interface {
	ofProject[I]
	issueNumber() int64
}

// onIssue gives a call about an issue its handler: project and issue are looked up.
func onIssue[I, O any, P ofIssue[I]](t *table, id string,
	fn func(ctx context.Context, p *projects.Project, is *issues.Issue, in *I) (*O, error)) {
	onProject[I, O, P](t, id, func(ctx context.Context, p *projects.Project, in *I) (*O, error) {
		is, err := t.a.store.Issues.Issue(ctx, p, P(in).issueNumber())
		if err != nil {
			return nil, err
		}
		return fn(ctx, p, is, in)
	})
}

// check compares the table with what was registered and with the document that is
// made of it: every row has a handler, and every call of the document a row with
// the same permission.
func (t *table) check() error {
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
			if r.method != method || r.path != path || op.Extensions["x-permission"] != string(r.need) {
				wrong = append(wrong, fmt.Errorf("%s %s is in no row of the table with its permission", method, path))
			}
		}
	}
	for id, r := range t.rows {
		if !done[id] {
			wrong = append(wrong, fmt.Errorf("%s %s (%s) has no handler", r.method, r.path, id))
		}
	}
	slices.SortFunc(wrong, func(a, b error) int { return cmp.Compare(a.Error(), b.Error()) })
	return errors.Join(wrong...)
}
