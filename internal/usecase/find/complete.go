package find

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"firethorn/internal/core/query"
	"firethorn/internal/store/members"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// Completion is what could be written at a place of a search.
type Completion struct {
	From, To int    // the characters it takes the place of, from 0
	Name     string // whose values are offered; "": names are
	Offers   []Offer
}

// Offer is a name, or a value as it is written in a search, with how many of the
// newest events have it; 0: not counted.
type Offer struct {
	Text   string
	Events int64
}

// completionSegments is how many of the newest large segments values are taken of.
const completionSegments = 6

// Complete offers what could be written at a place of a search, in characters from 0.
func (s *Service) Complete(
	ctx context.Context,
	p *projects.Project,
	asker Asker,
	text string,
	at, limit int,
) (*Completion, error) {
	n, done, err := s.open(ctx, p.ID, Window{From: asker.Now.Add(-UsualWindow)})
	if err != nil {
		return nil, err
	}
	defer done()
	c := query.CursorAt(text, at)
	out := &Completion{From: c.From, To: c.To, Name: c.Name}
	counts := map[string]int64{}
	if c.Name == "" {
		n.offerNames(counts)
	} else if err := n.offerValues(ctx, n.compiler(p, asker), c.Name, counts); err != nil {
		return nil, err
	}
	prefix := strings.ToLower(c.Prefix)
	for text, events := range counts {
		if strings.HasPrefix(strings.ToLower(text), prefix) ||
			c.Name == "" && strings.Contains(strings.ToLower(text), "."+prefix) {
			out.Offers = append(out.Offers, Offer{text, events})
		}
	}
	slices.SortFunc(out.Offers, func(x, y Offer) int {
		begins := func(o Offer) int {
			if strings.HasPrefix(strings.ToLower(o.Text), prefix) {
				return 0
			}
			return 1
		}
		return cmp.Or(begins(x)-begins(y), cmp.Compare(y.Events, x.Events), cmp.Compare(x.Text, y.Text))
	})
	out.Offers = out.Offers[:min(len(out.Offers), limit)]
	for i := range out.Offers {
		if c.Name == "" {
			out.Offers[i].Text += ":"
		} else {
			out.Offers[i].Text = query.Written(out.Offers[i].Text)
		}
	}
	return out, nil
}

// offerNames offers fields and attributes.
func (n *snapshot) offerNames(counts map[string]int64) {
	for _, f := range query.Fields() {
		counts[f.Name] = 0
	}
	for name := range n.names {
		counts[name] = 0
	}
}

// offerValues offers values of the newest events: of the newest segments.
func (n *snapshot) offerValues(ctx context.Context, c *compiler, name string, counts map[string]int64) error {
	f, field := query.FieldOf(name)
	switch {
	case field && f.Kind == query.OneOf:
		for _, w := range f.Words {
			counts[w] = 0
		}
		return nil
	case name == "saved":
		list, err := n.s.SavedSearches(ctx, n.project, c.asker.Person)
		for _, x := range list {
			counts[x.Name] = 0
		}
		return err
	case slices.Contains([]string{"release", "appeared-in", "came-back-in", "fixed-in"}, name):
		err := c.readReleases(ctx)
		counts["newest"] = 0
		for _, r := range c.rels {
			counts[r.name] = 0
		}
		return err
	case name == "owner":
		counts["me"], counts["none"] = 0, 0
		_, err := c.owner(ctx, query.Term{}, query.Exactly("?"))
		for _, p := range c.people {
			counts[p.name] = 0
		}
		return err
	case field && n.names[name] == 0:
		for fact, t := range map[string]*members.Texts{"type": &n.members.Type, "file": &n.members.File,
			"function": &n.members.Function} {
			if fact == name {
				for _, code := range t.Code {
					counts[t.All[code]]++
				}
			}
		}
		delete(counts, "")
		return nil
	}
	return n.newestValues(ctx, c, name, counts)
}

// newestValues counts the values of a column in the newest segments.
func (n *snapshot) newestValues(ctx context.Context, c *compiler, name string, counts map[string]int64) error {
	views := slices.Clone(n.views)
	slices.SortFunc(views, func(x, y *view) int { return cmp.Compare(y.Last, x.Last) })
	large := 0
	for i, v := range views {
		if v.Tier == segments.Large {
			large++
		}
		if large == completionSegments {
			views = views[:i+1]
			break
		}
	}
	if err := n.loadHeads(ctx, views, n.names[name]); err != nil {
		return err
	}
	a := &asked{Ask: Ask{Project: c.p}, snapshot: n, compiler: c}
	spelled, err := a.spelled(ctx, name)
	if err != nil {
		return err
	}
	var read []*view
	for _, v := range views {
		if h := v.heads[n.names[name]]; h != nil && h.Values != nil && v.changes == nil {
			for i, x := range h.Values {
				counts[spelled(x)] += h.Weights[i]
			}
		} else if h != nil || v.Tier < segments.Large || v.changes != nil {
			read = append(read, v)
		}
	}
	hits, err := n.runOn(ctx, allOf{}, read, n.names[name])
	if err != nil {
		return err
	}
	for _, h := range hits {
		if col := h.cols[n.names[name]]; col != nil {
			for i, events := range col.Counts(h.core, h.rows)[1:] {
				if events > 0 {
					counts[spelled(col.Values.At(i))] += events
				}
			}
		}
	}
	return nil
}
