package plainscan

import (
	"slices"
	"time"

	"firethorn/internal/core/facet"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/query"
	"firethorn/internal/store/issues"
	"firethorn/internal/usecase/find"
)

func (w *world) compareEvents(s *find.Service, ask find.Ask, when string, want []*plainEvent) {
	w.T.Helper()
	var got []int64
	for before := int64(0); ; {
		page, err := s.FindEvents(w.T.Context(), find.EventAsk{Ask: ask, Before: before, Limit: 100})
		if err != nil {
			w.T.Fatalf("%s: %s: %v", when, ask.Text, err)
		}
		for _, e := range page.Events {
			got = append(got, e.Position)
		}
		if before = page.Next; before == 0 {
			break
		}
	}
	var list []int64
	for _, e := range want {
		list = append(list, e.position)
	}
	slices.Reverse(list)
	if !slices.Equal(got, list) {
		w.T.Errorf("%s: %d events %v; a plain scan finds %d: %v", when, len(got), got, len(list), list)
	}
}

func (w *world) compareIssues(s *find.Service, ask find.Ask, when string, p *plain, want []*plainEvent) {
	w.T.Helper()
	type sums struct {
		events      int64
		users       map[int64]bool
		first, last int64
	}
	expected := map[int64]*sums{}
	for _, e := range want {
		x := expected[e.issue]
		if x == nil {
			x = &sums{users: map[int64]bool{}, first: e.thrown, last: e.thrown}
			expected[e.issue] = x
		}
		x.events += e.weight
		x.first, x.last = min(x.first, e.thrown), max(x.last, e.thrown)
		if e.user != 0 {
			x.users[e.user] = true
		}
	}
	names := query.Names(must(query.Parse(ask.Text)))
	got := map[int64]bool{}
	var after *issues.IssueCursor
	for {
		page, err := s.FindIssues(w.T.Context(), find.IssueAsk{Ask: ask, States: issue.States, Order: issues.ByImpact, Limit: 3, After: after})
		if err != nil {
			w.T.Fatalf("%s: %s: %v", when, ask.Text, err)
		}
		for _, is := range page.Issues {
			got[is.ID] = true
			m, x := page.Matching[is.ID], expected[is.ID]
			if x == nil {
				w.T.Errorf("%s: issue %d should not be there", when, is.Number)
			} else if m.Events != x.events || m.Users != int64(len(x.users)) || m.First.UnixMicro() != x.first || m.Last.UnixMicro() != x.last {
				// What of a search asks for issues alone need not hold of the events that are counted.
				if !slices.ContainsFunc(names, func(n string) bool { f, ok := query.FieldOf(n); return ok && f.Issue }) {
					w.T.Errorf("%s: issue %d: %+v, a plain scan counts %+v", when, is.Number, m, *x)
				}
			}
		}
		if after = page.Next; after == nil {
			break
		}
	}
	if len(got) != len(expected) {
		w.T.Errorf("%s: %d issues, a plain scan finds %d", when, len(got), len(expected))
	}
}

func (w *world) compareFacets(s *find.Service, ask find.Ask, when string, want []*plainEvent) {
	w.T.Helper()
	got, err := s.Facets(w.T.Context(), find.FacetAsk{Ask: ask, By: []string{"plan", "cart.count", "release", "severity", "function"}, Limit: 4})
	if err != nil {
		w.T.Fatalf("%s: %s: %v", when, ask.Text, err)
	}
	users, events := map[int64]bool{}, int64(0)
	for _, e := range want {
		events += e.weight
		if e.user != 0 {
			users[e.user] = true
		}
	}
	if got.Events != events || got.Users != int64(len(users)) {
		w.T.Errorf("%s: %d events and %d users, a plain scan counts %d and %d", when, got.Events, got.Users, events, len(users))
	}
	for _, f := range got.Facets {
		counts, hit, total := map[string]int64{}, map[string]map[int64]bool{}, int64(0)
		for _, e := range want {
			v := map[string]string{"release": e.release, "severity": e.severity, "function": e.function}[f.Name]
			if x, ok := e.attributes[f.Name]; ok {
				v = x.String()
			}
			if v == "" {
				continue
			}
			counts[v] += e.weight
			total += e.weight
			if hit[v] == nil {
				hit[v] = map[int64]bool{}
			}
			if e.user != 0 {
				hit[v][e.user] = true
			}
		}
		shown := int64(0)
		for i, v := range f.Values {
			if v.Events != counts[v.Value] || v.Users != int64(len(hit[v.Value])) || i > 0 && v.Events > f.Values[i-1].Events {
				w.T.Errorf("%s: %s %q: %d events, %d users; a plain scan counts %d and %d", when, f.Name, v.Value, v.Events, v.Users, counts[v.Value], len(hit[v.Value]))
			}
			shown += v.Events
		}
		if f.Others != total-shown || f.Absent != events-total || len(f.Values) != min(4, len(counts)) {
			w.T.Errorf("%s: %s: %d others, %d absent, %d values; a plain scan counts %d, %d, %d", when, f.Name, f.Others, f.Absent, len(f.Values), total-shown, events-total, len(counts))
		}
	}
}

func (w *world) compareHistogram(s *find.Service, ask find.Ask, when string, want []*plainEvent) {
	w.T.Helper()
	got, err := s.Histogram(w.T.Context(), find.HistogramAsk{Ask: ask, Interval: 6 * time.Hour})
	if err != nil {
		w.T.Fatalf("%s: %s: %v", when, ask.Text, err)
	}
	events, users := map[int64]int64{}, map[int64]map[int64]bool{}
	for _, e := range want {
		k := time.UnixMicro(e.thrown).UTC().Truncate(6 * time.Hour).Unix()
		events[k] += e.weight
		if users[k] == nil {
			users[k] = map[int64]bool{}
		}
		if e.user != 0 {
			users[k][e.user] = true
		}
	}
	for _, p := range got.Series[0].Points {
		if k := p.At.Unix(); p.Events != events[k] || p.Users != int64(len(users[k])) {
			w.T.Errorf("%s: at %s %d events and %d users, a plain scan counts %d and %d", when, p.At, p.Events, p.Users, events[k], len(users[k]))
		}
		delete(events, p.At.Unix())
	}
	if len(events) > 0 {
		w.T.Errorf("%s: parts that are not there: %v", when, events)
	}
}

func (w *world) compareUsers(s *find.Service, ask find.Ask, when string, want []*plainEvent) {
	w.T.Helper()
	counts := map[int64]int64{}
	for _, e := range want {
		if e.user != 0 {
			counts[e.user] += e.weight
		}
	}
	var expected []int64
	for _, n := range counts {
		expected = append(expected, n)
	}
	slices.Sort(expected)
	slices.Reverse(expected)
	var got []int64
	var after *find.UserCursor
	for {
		page, err := s.Users(w.T.Context(), find.UsersAsk{Ask: ask, Limit: 3, After: after})
		if err != nil {
			w.T.Fatalf("%s: %s: %v", when, ask.Text, err)
		}
		for _, u := range page.Users {
			got = append(got, u.Events)
		}
		if after = page.Next; after == nil {
			break
		}
	}
	if !slices.Equal(got, expected) {
		w.T.Errorf("%s: users with %v events, a plain scan finds %v", when, got, expected)
	}
}

func (w *world) compareAgainst(s *find.Service, ask find.Ask, when string, all, want []*plainEvent) {
	w.T.Helper()
	got, err := s.Against(w.T.Context(), find.FacetAsk{Ask: ask, By: []string{"plan", "cart.count", "berth.zone"}, Limit: 100})
	if err != nil {
		w.T.Fatalf("%s: %s: %v", when, ask.Text, err)
	}
	type valueOf struct{ name, value string }
	count := func(events []*plainEvent) map[valueOf]int64 {
		out := map[valueOf]int64{}
		for _, e := range events {
			for _, name := range []string{"plan", "cart.count", "berth.zone"} {
				if v, ok := e.attributes[name]; ok {
					out[valueOf{name, v.String()}]++
				}
			}
		}
		return out
	}
	here, everywhere := count(want), count(all)
	var list []facet.Odd
	for v, n := range here {
		list = append(list, facet.Odd{Name: v.name, Value: v.value, Here: n, HereOf: int64(len(want)),
			Elsewhere: everywhere[v] - n, ElseOf: int64(len(all) - len(want))})
	}
	if expected := facet.Outstanding(list, len(here)); got.Looked != len(here) || !slices.Equal(got.Values, expected) {
		w.T.Errorf("%s: of %d values stand out %v; a plain scan finds of %d %v", when, got.Looked, got.Values, len(here), expected)
	}
}
