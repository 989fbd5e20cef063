package find

import (
	"cmp"
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/event"
	"firethorn/internal/core/facet"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/query"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
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

// Facets are the answer: Events and Users of all that fits.
type Facets struct {
	Said
	Events, Users int64
	Facets        []Facet
}

// usualFacets is how many attributes are shown where none is named.
const usualFacets = 12

// Facets counts the values of attributes in the events of which a search holds.
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
	out.Events, out.Users = totals(hits)
	by := q.By
	if len(by) == 0 {
		if by, err = a.telling(ctx, hits); err != nil {
			return nil, err
		}
	}
	for _, name := range by {
		f, err := a.facet(ctx, hits, name, q.Limit, out.Events)
		if err != nil {
			return nil, err
		}
		out.Facets = append(out.Facets, f)
	}
	out.Said = a.said()
	return out, nil
}

// factNames are what traces say; a variant has one of each.
var factNames = []string{"type", "file", "function"}

// mayFacet refuses names whose values cannot be counted.
func (n *snapshot) mayFacet(by []string) error {
	for _, name := range by {
		if _, ok := n.names[name]; ok || slices.Contains(factNames, name) {
			continue
		}
		for _, e := range query.Check(query.Term{Name: name, Values: []query.Value{query.Exactly("")}, Column: 1}, n.attributes()) {
			if e.Nearest = text.Nearest(name, append(n.attributes(), factNames...)); e.Nearest != "" {
				return fault.New(fault.BadInput, "there is no attribute %q; did you mean %s?", name, e.Nearest)
			}
			return fault.New(
				fault.BadInput,
				"there is no attribute %q; firethorn facets without --by shows those that there are",
				name,
			)
		}
		return fault.New(
			fault.BadInput,
			"the values of %s are not counted; attributes are, and release, environment, severity, handled, type, file and function",
			name,
		)
	}
	return nil
}

// totals counts the events that fit, and their users.
func totals(hits []hit) (events, users int64) {
	sets, sums := make([]userSet, len(hits)), make([]int64, len(hits))
	each(hits, func(i int, h hit) {
		h.rows.Each(func(row int) {
			sums[i] += h.core.Weight(row)
			sets[i].add(h.core.Users[row])
		})
	})
	var all userSet
	for i := range hits {
		events += sums[i]
		all.join(sets[i])
	}
	return events, all.count()
}

// facet counts the values of one attribute: first how many events have each, then the
// users of those that are shown.
func (a *asked) facet(ctx context.Context, hits []hit, name string, limit int, total int64) (Facet, error) {
	coded, err := a.coded(ctx, hits, name)
	if err != nil {
		return Facet{}, err
	}
	counts := make([]map[string]int64, len(hits))
	each(hits, func(i int, h hit) { counts[i] = coded[i].counts(h) })
	sums := map[string]int64{}
	for _, m := range counts {
		for v, n := range m {
			sums[v] += n
		}
	}
	f := Facet{Name: name, Absent: total}
	for v, n := range sums {
		f.Absent -= n
		f.Others += n
		f.Values = append(f.Values, Counted{Value: v, Events: n})
	}
	slices.SortFunc(
		f.Values,
		func(x, y Counted) int { return cmp.Or(cmp.Compare(y.Events, x.Events), cmp.Compare(x.Value, y.Value)) },
	)
	f.Values = f.Values[:min(len(f.Values), limit)]
	place := map[string]int{}
	for i, v := range f.Values {
		f.Others -= v.Events
		place[v.Value] = i + 1
	}
	sets := make([][]userSet, len(hits))
	each(hits, func(i int, h hit) {
		sets[i] = make([]userSet, len(f.Values)+1)
		slots := coded[i].slots(place)
		h.rows.Each(func(row int) {
			if slot := slots[coded[i].code(row)]; slot > 0 {
				sets[i][slot].add(h.core.Users[row])
			}
		})
	})
	for i := range f.Values {
		var all userSet
		for _, list := range sets {
			all.join(list[i+1])
		}
		f.Values[i].Users = all.count()
	}
	return f, nil
}

// coded is what rows of a segment have of an attribute, as codes: 0 is none, n is
// values[n-1].
type coded struct {
	values []string
	code   func(row int) int
	column *columns.Column // nil: a fact of variants
	core   *columns.Core
}

// counts adds up the events of each value.
func (c coded) counts(h hit) map[string]int64 {
	var sums []int64
	switch {
	case c.column != nil:
		sums = c.column.Counts(c.core, h.rows)
	default:
		sums = make([]int64, len(c.values)+1)
		h.rows.Each(func(row int) { sums[c.code(row)] += c.core.Weight(row) })
	}
	out := map[string]int64{}
	for i, n := range sums[1:] {
		if n > 0 {
			out[c.values[i]] += n
		}
	}
	return out
}

// slots gives each code its place in a list of values; 0: it is not in it.
func (c coded) slots(place map[string]int) []int {
	out := make([]int, len(c.values)+1)
	for i, v := range c.values {
		out[i+1] = place[v]
	}
	return out
}

// coded reads what the rows of segments have of an attribute, or of what traces say.
func (a *asked) coded(ctx context.Context, hits []hit, name string) ([]coded, error) {
	out := make([]coded, len(hits))
	if slices.Contains(factNames, name) && a.names[name] == 0 {
		facts := map[string]*texts{"type": &a.members.typ, "file": &a.members.file, "function": &a.members.function}[name]
		for i, h := range hits {
			out[i] = coded{values: facts.all, core: h.core, code: func(row int) int {
				at := a.members.index(h.core.Variants[row])
				if at < 0 || facts.all[facts.code[at]] == "" {
					return 0
				}
				return int(facts.code[at]) + 1
			}}
		}
		return out, nil
	}
	column := a.names[name]
	views := make([]*view, len(hits))
	for i, h := range hits {
		views[i] = h.view
	}
	if err := a.loadColumn(ctx, views, column); err != nil {
		return nil, err
	}
	spelled, err := a.spelled(ctx, name)
	if err != nil {
		return nil, err
	}
	for i, h := range hits {
		c := h.cols[column]
		if c == nil || h.broken {
			out[i] = coded{code: func(int) int { return 0 }, core: h.core}
			continue
		}
		values := make([]string, len(c.Values))
		for j, v := range c.Values {
			values[j] = spelled(v)
		}
		out[i] = coded{values: values, code: c.Code, column: c, core: h.core}
	}
	return out, nil
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

// untold are attributes that say again what a field says, or who somebody is: they are
// counted where they are named.
var untold = []string{"service.version", "deployment.environment.name", "vcs.ref.head.revision", "service.instance.id",
	"process.pid", "host.id", "client.address", "event.id"}

// telling chooses the attributes that say most about which issue an event belongs to;
// where all are of one issue, those whose values differ most.
func (a *asked) telling(ctx context.Context, hits []hit) ([]string, error) {
	sample := sampled(hits)
	views := make([]hit, 0, len(sample))
	issues := map[int64]bool{}
	for _, s := range sample {
		views = append(views, s.hit)
		for _, row := range s.rows {
			if at := a.members.index(s.core.Variants[row]); at >= 0 {
				issues[a.members.issue[at]] = true
			}
		}
	}
	scores := map[string]float64{}
	for name := range a.names {
		if slices.Contains(untold, name) || slices.Contains(event.IdentityKeys, name) {
			continue
		}
		coded, err := a.coded(ctx, views, name)
		if err != nil {
			return nil, err
		}
		numbers := map[string]int{}
		var pairs []facet.Pair
		for i, s := range sample {
			for _, row := range s.rows {
				value := 0
				if c := coded[i].code(row); c > 0 {
					v := coded[i].values[c-1]
					if numbers[v] == 0 {
						numbers[v] = len(numbers) + 1
					}
					value = numbers[v]
				}
				at := a.members.index(s.core.Variants[row])
				if at >= 0 {
					pairs = append(pairs, facet.Pair{Value: value, Issue: int(a.members.issue[at])})
				}
			}
		}
		if len(issues) > 1 {
			scores[name] = facet.Information(pairs)
		} else {
			scores[name] = facet.Diversity(pairs)
		}
	}
	list := slices.SortedFunc(maps.Keys(scores), func(x, y string) int {
		return cmp.Or(cmp.Compare(scores[y], scores[x]), cmp.Compare(x, y))
	})
	return list[:min(len(list), usualFacets)], nil
}

const (
	sampleSegments = 8
	sampleRows     = 4096
)

// sampleOf is some rows of a segment.
type sampleOf struct {
	hit
	rows []int
}

// sampled takes some rows of some segments, evenly.
func sampled(hits []hit) (out []sampleOf) {
	step := max(1, len(hits)/sampleSegments)
	var chosen []hit
	for i := 0; i < len(hits) && len(chosen) < sampleSegments; i += step {
		chosen = append(chosen, hits[i])
	}
	all := 0
	for _, h := range chosen {
		all += h.rows.Count()
	}
	every := max(1, all/sampleRows)
	at := 0
	for _, h := range chosen {
		s := sampleOf{hit: h}
		h.rows.Each(func(row int) {
			if at%every == 0 {
				s.rows = append(s.rows, row)
			}
			at++
		})
		out = append(out, s)
	}
	return out
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
