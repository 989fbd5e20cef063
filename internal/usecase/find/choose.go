package find

import (
	"cmp"
	"context"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/event"
	"firethorn/internal/core/facet"
)

// notOffered are attributes that repeat a field, or identify a user: they are
// counted where they are named.
var notOffered = []string{"service.version", "deployment.environment.name", "vcs.ref.head.revision",
	"service.instance.id",
	"process.pid", "host.id", "client.address", "event.id"}

// mostTelling chooses the attributes that say most about which issue an event belongs to;
// where all are of one issue, those whose values differ most.
func (c *counting) mostTelling(ctx context.Context) ([]string, error) {
	key := c.key(tellingPart, 0)
	if len(c.whole) > 0 { // what is chosen of segments that stay is remembered
		if names, ok := c.s.held.Get(key); ok {
			return names.([]string), nil
		}
	}
	names, err := c.choose(ctx, append(slices.Clone(c.whole), c.rest...))
	if err == nil && len(c.whole) > 0 {
		c.s.held.Put(key, names)
	}
	return names, err
}

// choose is telling of a sample of what fits.
func (a *asked) choose(ctx context.Context, hits []hit) ([]string, error) {
	sample := sampled(hits)
	views := make([]hit, 0, len(sample))
	issues := map[int64]int{}
	for _, s := range sample {
		views = append(views, s.hit)
		for _, row := range s.rows {
			if at := a.members.Index(s.core.Variants[row]); at >= 0 && issues[a.members.Issue[at]] == 0 {
				issues[a.members.Issue[at]] = len(issues) + 1
			}
		}
	}
	var names []string
	var all [][]coded
	for name := range a.names {
		if slices.Contains(notOffered, name) || slices.Contains(event.IdentityKeys, name) {
			continue
		}
		coded, _, err := a.coded(ctx, views, name)
		if err != nil {
			return nil, err
		}
		names, all = append(names, name), append(all, coded)
	}
	scores := make([]float64, len(names))
	each(all, func(i int, coded []coded) {
		pairs := a.pairs(sample, coded, issues)
		if len(issues) > 1 {
			scores[i] = facet.Information(pairs)
		} else {
			scores[i] = facet.Diversity(pairs)
		}
	})
	by := map[string]float64{}
	for i, name := range names {
		by[name] = scores[i]
	}
	slices.SortFunc(names, func(x, y string) int { return cmp.Or(cmp.Compare(by[y], by[x]), cmp.Compare(x, y)) })
	return names[:min(len(names), usualFacets)], nil
}

// pairs are the values and issues of a sample, by numbers without gaps.
func (a *asked) pairs(sample []sampleOf, coded []coded, issues map[int64]int) []facet.Pair {
	numbers := map[columns.Value]int{}
	var out []facet.Pair
	for i, s := range sample {
		known := map[int]int{0: 0} // code → number
		for _, row := range s.rows {
			code := coded[i].code(row)
			n, ok := known[code]
			if !ok {
				v := coded[i].values.At(code - 1)
				if numbers[v] == 0 {
					numbers[v] = len(numbers) + 1
				}
				n = numbers[v]
				known[code] = n
			}
			if at := a.members.Index(s.core.Variants[row]); at >= 0 {
				out = append(out, facet.Pair{Value: n, Issue: issues[a.members.Issue[at]]})
			}
		}
	}
	return out
}

const (
	sampleSegments = 8
	sampleRows     = 2048
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
