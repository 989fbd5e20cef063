package find

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// Asker is who searches, and how times are read.
type Asker struct {
	Person int64 // 0: a token that is nobody's
	Now    time.Time
	Zone   *time.Location // of dates; nil: UTC
}

// compiler makes tests of a search. Facts that several terms need are read once.
type compiler struct {
	n      *snapshot
	p      *projects.Project
	asker  Asker
	people []person
	rels   []releaseID
	newest int64
	read   map[string]bool
}

func (n *snapshot) compiler(p *projects.Project, asker Asker) *compiler {
	if asker.Zone == nil {
		asker.Zone = time.UTC
	}
	return &compiler{n: n, p: p, asker: asker, read: map[string]bool{}}
}

// once says whether something is to be read now.
func (c *compiler) once(what string) bool {
	again := c.read[what]
	c.read[what] = true
	return !again
}

// test makes a test of a normal search.
func (c *compiler) test(ctx context.Context, n query.Node) (test, error) {
	switch n := n.(type) {
	case query.And:
		list, err := c.tests(ctx, n.All)
		return allOf(list), err
	case query.Or:
		list, err := c.tests(ctx, n.Any)
		return anyOf(list), err
	case query.Not:
		return c.leaf(ctx, n.Of, true)
	}
	return c.leaf(ctx, n, false)
}

func (c *compiler) tests(ctx context.Context, list []query.Node) ([]test, error) {
	var out []test
	for _, n := range list {
		t, err := c.test(ctx, n)
		if err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, nil
}

// leaf makes a test of a word, a term or a range.
func (c *compiler) leaf(ctx context.Context, n query.Node, negated bool) (test, error) {
	name := nameOf(n)
	switch {
	case name == "user":
		return c.user(ctx, n, negated)
	case name == "session" || name == "trace":
		return c.occurrences(ctx, n, negated)
	case name == "release" || name == "environment":
		ids, err := c.interned(ctx, n)
		return valueTest{
			column:  c.n.names[name],
			negated: negated,
			holds:   func(v columns.Value) bool { return ids[int64(v.Number)] },
		}, err
	case name == "severity":
		return valueTest{column: columns.Severity, negated: negated, holds: severityTest(n)}, nil
	case name == "handled":
		t, _ := n.(query.Term)
		return valueTest{column: columns.Handled, negated: negated, holds: t.Holds}, nil
	}
	if _, field := query.FieldOf(name); field || name == "" {
		pass, err := c.variants(ctx, n, negated)
		return variantTest{c.n.members.Passing(pass)}, err
	}
	out := valueTest{column: c.n.names[name], negated: negated}
	switch n := n.(type) {
	case query.Term:
		out.holds = n.Holds
		if exact, ok := n.Exact(); ok {
			out.exact = exact
		}
	case query.Range:
		out.holds = n.Holds
	}
	return out, nil
}

// nameOf is what a leaf asks for; "" for a word.
func nameOf(n query.Node) string {
	switch n := n.(type) {
	case query.Term:
		return n.Name
	case query.Range:
		return n.Name
	}
	return ""
}

// severityTest holds for the severities that a term or range asks for.
func severityTest(n query.Node) func(columns.Value) bool {
	return func(v columns.Value) bool { return holdsSeverity(n, v.Text) }
}

func holdsSeverity(n query.Node, text string) bool {
	if r, ok := n.(query.Range); ok {
		return r.HoldsSeverity(text)
	}
	have, ok := query.SeverityOf(text)
	t, _ := n.(query.Term)
	return slices.ContainsFunc(t.Values, func(v query.Value) bool {
		if v.Present() {
			return ok
		}
		whole, _ := v.Text()
		want, known := query.SeverityOf(whole)
		return ok && known && have == want
	})
}

// user asks for people by any name that their events call them by.
func (c *compiler) user(ctx context.Context, n query.Node, negated bool) (test, error) {
	t, ok := n.(query.Term)
	if !ok {
		return nil, badTerm(n, "users are not compared by size; write user:NAME")
	}
	out := userTest{users: map[uint32]bool{}, negated: negated}
	for _, v := range t.Values {
		whole, exact := v.Text()
		if v.Present() {
			out.any = true
			continue
		}
		if !exact {
			return nil, badTerm(
				n,
				"user: only whole names find a user; write user.email:*@quay.example for a part of one",
			)
		}
		users, err := segments.UsersNamed(ctx, c.n.tx, c.p.ID, pipeline.UserHash(c.p.UserSecret, whole))
		if err != nil {
			return nil, err
		}
		numbers, err := segments.UserNumbers(ctx, c.n.tx, c.p.ID, users)
		if err != nil {
			return nil, err
		}
		for _, number := range numbers {
			out.users[number] = true
		}
	}
	if out.any || negated {
		return out, nil
	}
	views, err := c.n.mayHave(ctx, c.n.views, out.users)
	out.inViews = map[*view]bool{}
	for _, v := range views {
		out.inViews[v] = true
	}
	return out, err
}

// maxPositions is how many events of sessions or traces are looked at.
const maxPositions = 100_000

// occurrences asks for the events of sessions or traces.
func (c *compiler) occurrences(ctx context.Context, n query.Node, negated bool) (test, error) {
	t, ok := n.(query.Term)
	if !ok {
		return nil, badTerm(n, nameOf(n)+" is not compared by size; write "+nameOf(n)+":ID")
	}
	out := positionTest{positions: map[int64]bool{}, negated: negated}
	for _, v := range t.Values {
		whole, exact := v.Text()
		var list []int64
		var err error
		switch {
		case !exact:
			return nil, badTerm(n, t.Name+" is found by its whole id")
		case t.Name == "session":
			list, err = db.Numbers(
				ctx,
				c.n.tx,
				"SELECT filing FROM event WHERE project=? AND session=? LIMIT ?",
				c.p.ID,
				db.Hash16(whole),
				maxPositions,
			)
		default:
			list, err = db.Numbers(
				ctx,
				c.n.tx,
				"SELECT filing FROM event WHERE trace=? AND project=? LIMIT ?",
				db.Hash16(strings.ToLower(whole)),
				c.p.ID,
				maxPositions,
			)
		}
		if err != nil {
			return nil, err
		}
		for _, p := range list {
			out.positions[p] = true
		}
	}
	return out, nil
}

// badTerm is an error about a term, with its column.
func badTerm(n query.Node, message string) error {
	column := 0
	switch n := n.(type) {
	case query.Term:
		column = n.Column
	case query.Range:
		column = n.Column
	}
	return badSearch(&query.Error{Column: column, Message: message})
}

// badSearch is an error of a search as a caller sees it.
func badSearch(e *query.Error) error {
	f := problem.New(problem.BadSearch, "%s", e.Message)
	f.Column, f.Nearest = e.Column, e.Nearest
	return f
}

// releaseID is an id of a release with its name.
type releaseID struct {
	id   int64
	name string
}

// interned gives the ids of the releases or environments that a leaf asks for.
func (c *compiler) interned(ctx context.Context, n query.Node) (map[int64]bool, error) {
	if nameOf(n) != "environment" {
		return c.releases(ctx, n)
	}
	t, ok := n.(query.Term)
	if !ok {
		return nil, badTerm(n, "environments are not compared by size")
	}
	out := map[int64]bool{}
	return out, db.Each(ctx, c.n.tx, func(r *sql.Rows) error {
		var id int64
		var name string
		err := r.Scan(&id, &name)
		if t.Holds(columns.TextValue(name)) {
			out[id] = true
		}
		return err
	}, "SELECT id, name FROM environment WHERE project=?", c.p.ID)
}
