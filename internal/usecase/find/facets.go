package find

import (
	"context"
	"database/sql"
	"slices"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/query"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/members"
)

// FacetAsk asks for the values of attributes.
type FacetAsk struct {
	Ask
	By    []string // names; none: those that say most about which issue an event belongs to
	Limit int      // values of each
}

// Counted is a value with the events that have it, and their users.
type Counted struct {
	Value         string
	Events, Users int64
}

// Facet is an attribute with its values, those of most events first.
type Facet struct {
	Name   string
	Values []Counted
	Others int64 // events with values that are not listed
	Absent int64 // events without one
}

// Facets are the answer: Events and Users count everything that matches.
type Facets struct {
	Completeness
	Events, Users int64
	Facets        []Facet
}

// usualFacets is how many attributes are shown where none is named.
const usualFacets = 12

// Facets counts the values of attributes in the events that match a search.
func (s *Service) Facets(ctx context.Context, q FacetAsk) (*Facets, error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return nil, err
	}
	defer a.done()
	if err := a.mayFacet(q.By); err != nil {
		return nil, err
	}
	t, err := a.test(ctx)
	if err != nil {
		return nil, err
	}
	hits, err := a.run(ctx, t)
	if err != nil {
		return nil, err
	}
	out := &Facets{}
	c := newCounting(a, hits)
	out.Events, out.Users = c.totals()
	by := q.By
	if len(by) == 0 {
		if by, err = c.mostTelling(ctx); err != nil {
			return nil, err
		}
	}
	for _, name := range by {
		f, err := c.facet(ctx, name, q.Limit, out.Events)
		if err != nil {
			return nil, err
		}
		out.Facets = append(out.Facets, f)
	}
	out.Completeness = a.completeness()
	return out, nil
}

// factNames are what traces say; a variant has one of each.
var factNames = []string{"type", "file", "function"}

// mayFacet refuses names whose values cannot be counted.
func (n *snapshot) mayFacet(by []string) error {
	for _, name := range by {
		if _, ok := n.names[name]; ok || slices.Contains(factNames, name) || attributes.Standard(name) {
			continue // the first event that has a standard name may still come
		}
		if _, field := query.FieldOf(name); !field {
			if near := text.Nearest(name, append(n.attributes(), factNames...)); near != "" {
				return problem.New(problem.BadInput, "there is no attribute %q; did you mean %s?", name, near)
			}
			return problem.New(problem.BadInput,
				"there is no attribute %q; firethorn facets without --by shows those that there are", name)
		}
		return problem.New(
			problem.BadInput,
			"the values of %s are not counted; attributes are, and release, environment, severity, handled, type, file and function",
			name,
		)
	}
	return nil
}

// coded is what rows of a segment have of an attribute, as codes: 0 is none, n is
// values.At(n-1).
type coded struct {
	values columns.Dict
	column *columns.Column // nil: code says it
	code   func(row int) int
}

// counts adds up, by code, how many events rows represent.
func (c coded) counts(weights *columns.Core, rows columns.Bits) []int64 {
	if c.column != nil {
		return c.column.Counts(weights, rows)
	}
	sums := make([]int64, c.values.Len()+1)
	rows.Each(func(row int) { sums[c.code(row)] += weights.Weight(row) })
	return sums
}

// addUsers puts users into the sets of their values.
func (c coded) addUsers(h hit, slots []int, sets []columns.UserSet) {
	if c.column != nil {
		c.column.AddUsers(h.core, h.rows, slots, sets)
		return
	}
	h.rows.Each(func(row int) {
		if slot := slots[c.code(row)]; slot > 0 {
			sets[slot].Add(h.core.Users[row])
		}
	})
}

// slots gives each code its place in a list of values; 0: it is not in it.
func (c coded) slots(place map[string]int, spelled func(columns.Value) string) []int {
	out := make([]int, c.values.Len()+1)
	for i, v := range c.values.All() {
		out[i+1] = place[spelled(v)]
	}
	return out
}

// coded reads what the rows of segments have of an attribute, or of what traces say, and
// how its values are spelled.
func (a *asked) coded(ctx context.Context, hits []hit, name string) ([]coded, func(columns.Value) string, error) {
	if slices.Contains(factNames, name) && a.names[name] == 0 {
		return a.factCodes(hits, name), columns.Value.String, nil
	}
	column := a.names[name]
	if column == 0 { // no event has had one yet
		out := make([]coded, len(hits))
		for i := range out {
			out[i].code = func(int) int { return 0 }
		}
		return out, columns.Value.String, nil
	}
	views := make([]*view, len(hits))
	for i, h := range hits {
		views[i] = h.view
	}
	if err := a.loadColumn(ctx, views, column); err != nil {
		return nil, nil, err
	}
	out := make([]coded, len(hits))
	for i, h := range hits {
		if c := h.cols[column]; c != nil && !h.broken {
			out[i] = coded{values: c.Values, column: c, code: c.Code}
		} else {
			out[i] = coded{code: func(int) int { return 0 }}
		}
	}
	spelled, err := a.spelled(ctx, name)
	return out, spelled, err
}

// factCodes are what the traces of rows say, as codes.
func (a *asked) factCodes(hits []hit, name string) []coded {
	facts := map[string]*members.Texts{"type": &a.members.Type, "file": &a.members.File,
		"function": &a.members.Function}[name]
	values := make([]columns.Value, len(facts.All))
	for i, s := range facts.All {
		values[i] = columns.TextValue(s)
	}
	dict := columns.DictOf(values)
	out := make([]coded, len(hits))
	for i, h := range hits {
		out[i] = coded{values: dict, code: func(row int) int {
			at := a.members.Index(h.core.Variants[row])
			if at < 0 || facts.All[facts.Code[at]] == "" {
				return 0
			}
			return int(facts.Code[at]) + 1
		}}
	}
	return out
}

// spelled says how the values of a column are shown: those of releases and
// environments are ids.
func (a *asked) spelled(ctx context.Context, name string) (func(columns.Value) string, error) {
	table := map[string]string{"release": "app_release", "environment": "environment"}[name]
	if table == "" {
		return columns.Value.String, nil
	}
	names, err := a.namesOf(ctx, table)
	return func(v columns.Value) string { return names[int64(v.Number)] }, err
}

// namesOf reads the names of releases or environments, by their ids.
func (a *asked) namesOf(ctx context.Context, table string) (map[int64]string, error) {
	out := map[int64]string{}
	return out, db.Each(ctx, a.tx, func(r *sql.Rows) error {
		var id int64
		var name string
		err := r.Scan(&id, &name)
		out[id] = name
		return err
	}, "SELECT id, name FROM "+table+" WHERE project=?", a.Project.ID)
}
