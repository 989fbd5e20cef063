package find

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"slices"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/core/query"
	"firethorn/internal/core/text"
	"firethorn/internal/store/projects"
)

// UsualWindow is the time that attributes are searched in where none is named.
const UsualWindow = 7 * 24 * time.Hour

// Ask is a search of a project.
type Ask struct {
	Project *projects.Project
	Text    string  // the search; "" asks for everything
	Issue   int64   // internal id of the only issue that is looked at; 0: all
	Window  *Window // nil: none was named
	Asker
}

// Completeness says how complete an answer is.
type Completeness struct {
	// CompleteFrom is the time from which on the index is whole; zero: it is. What
	// was thrown before may be missing.
	CompleteFrom time.Time
	Warnings     []string
}

// asked is a search that was read, with the view that it is answered from.
type asked struct {
	Ask
	*snapshot
	*compiler
	tree query.Node // normal
	done func()
}

// window is the time that is looked at: the one that was named, or the usual one.
func (a Ask) window() Window {
	if a.Window != nil {
		return *a.Window
	}
	return Window{From: a.Now.Add(-UsualWindow)}
}

// ask reads a search and opens a view; done must be called. Unknown names and values
// that make no sense are errors, with their column.
func (s *Service) ask(ctx context.Context, a Ask, w Window) (*asked, error) {
	tree, err := query.Parse(a.Text)
	if err != nil {
		return nil, searchError(err)
	}
	n, done, err := s.open(ctx, a.Project.ID, w)
	if err != nil {
		return nil, err
	}
	out := &asked{Ask: a, snapshot: n, done: done, compiler: n.compiler(a.Project, a.Asker)}
	if tree, err = s.expand(ctx, n, a, tree, 0); err == nil {
		err = n.check(tree)
	}
	if err != nil {
		done()
		return nil, err
	}
	out.tree = query.Normal(tree)
	return out, nil
}

// searchError is what Parse says as callers see it.
func searchError(err error) error {
	if e, ok := err.(*query.Error); ok {
		return badSearch(e)
	}
	return err
}

// check refuses names that nothing is known by, and values that make no sense.
func (n *snapshot) check(tree query.Node) error {
	for _, e := range query.Check(tree, append(n.attributes(), attributes.StandardNames()...)) {
		return badSearch(e)
	}
	return nil
}

// completeness is what the answer says of its view.
func (a *asked) completeness() Completeness {
	var out Completeness
	if a.complete.After(a.window().From) || a.window().From.IsZero() {
		out.CompleteFrom = a.complete
	}
	if a.damaged > 0 {
		out.Warnings = append(
			out.Warnings,
			fmt.Sprintf(
				"%s are left out: a part of the search index is damaged and is rebuilt in the background",
				text.Counted(a.damaged, "event"),
			),
		)
	}
	return out
}

// hit is a segment with the rows that fit.
type hit struct {
	*view
	rows  columns.Bits
	whole bool // all rows of a segment that no change touched
}

// everything says whether a test passes every row.
func everything(t test) bool {
	all, ok := t.(allOf)
	return ok && !slices.ContainsFunc(all, func(x test) bool { return !everything(x) })
}

// run gives the rows that fit, in the order of the segments; those without one are
// left out.
func (n *snapshot) run(ctx context.Context, t test) ([]hit, error) {
	for _, column := range t.needs() {
		if err := n.loadHeads(ctx, n.views, column); err != nil {
			return nil, err
		}
	}
	views := slices.DeleteFunc(slices.Clone(n.views), func(v *view) bool { return !t.may(v) })
	return n.runOn(ctx, t, views)
}

// runOn is run on some segments. The columns in with are read of them, too.
func (n *snapshot) runOn(ctx context.Context, t test, views []*view, with ...uint32) ([]hit, error) {
	if err := n.loadCores(ctx, views); err != nil {
		return nil, err
	}
	for _, column := range append(t.needs(), with...) {
		if err := n.loadColumn(ctx, views, column); err != nil {
			return nil, err
		}
	}
	views = slices.DeleteFunc(views, func(v *view) bool { return v.broken || v.core == nil })
	hits := make([]hit, len(views))
	all := everything(t)
	each(views, func(i int, v *view) {
		rows := t.rows(v)
		if v.MinTime < n.from || v.MaxTime >= n.to {
			rows.And(v.core.Between(n.from, n.to))
		}
		if v.gone != nil {
			rows.Minus(v.gone)
		}
		hits[i] = hit{v, rows, all && v.gone == nil && v.whole(n.from, n.to)}
	})
	return slices.DeleteFunc(hits, func(h hit) bool { return h.rows.Count() == 0 }), nil
}

// each calls work for every element, on all processors. A panic in work is the caller's:
// in a goroutine of its own it would end the process.
func each[T any](list []T, work func(i int, x T)) {
	var g errgroup.Group
	var panicked atomic.Pointer[string]
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, x := range list {
		g.Go(func() error {
			defer func() {
				if p := recover(); p != nil {
					said := fmt.Sprintf("%v\n%s", p, debug.Stack())
					panicked.CompareAndSwap(nil, &said)
				}
			}()
			work(i, x)
			return nil
		})
	}
	_ = g.Wait() // nothing fails
	if p := panicked.Load(); p != nil {
		panic(*p)
	}
}

// test makes the test of everything asked for: the search, and the issue.
func (a *asked) test(ctx context.Context) (test, error) {
	t, err := a.compiler.test(ctx, a.tree)
	if err != nil || a.Issue == 0 {
		return t, err
	}
	pass := make([]bool, len(a.members.Issue))
	for i, id := range a.members.Issue {
		pass[i] = id == a.Issue
	}
	return allOf{variantTest{a.members.Passing(pass)}, t}, nil
}
