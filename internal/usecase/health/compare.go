package health

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/quality"
	"firethorn/internal/core/query"
	"firethorn/internal/store/issues"
	"firethorn/internal/usecase/find"
)

// Beside is an issue with how often it occurred in two releases.
type Beside struct {
	*issues.Issue
	A, B         int64   // events in the window
	PerA, PerB   float64 // for 1,000 sessions; 0 where there are none
	Ratio        quality.Ratio
	HitsA, HitsB int64 // users
	OnlyA, OnlyB bool
}

// Comparison is two releases side by side.
type Comparison struct {
	A, B   *Release
	Issues []Beside // those with most events first
	Window
}

// maxCompared is how many issues of a release are compared.
const maxCompared = 500

// Compare puts two releases side by side: what occurred in one alone, and how often the
// rest in both.
func (s *Service) Compare(ctx context.Context, a Ask, asker find.Asker, first, second string) (*Comparison, error) {
	if first == second {
		return nil, problem.New(problem.BadInput, "compare two releases, not %s with itself", first)
	}
	a.Baseline = second
	one, w, err := s.Quality(ctx, a, first)
	if err != nil {
		return nil, err
	}
	a.Baseline = first
	two, _, err := s.Quality(ctx, a, second)
	if err != nil {
		return nil, err
	}
	out := &Comparison{A: one, B: two, Window: w}
	by := map[int64]*Beside{}
	for i, version := range []string{first, second} {
		page, err := s.issuesIn(ctx, a, w, asker, version)
		if err != nil {
			return nil, err
		}
		for _, is := range page.Issues {
			b := by[is.ID]
			if b == nil {
				b = &Beside{Issue: is}
				by[is.ID] = b
			}
			m := page.Matching[is.ID]
			if i == 0 {
				b.A, b.HitsA = m.Events, m.Users
			} else {
				b.B, b.HitsB = m.Events, m.Users
			}
		}
	}
	nA, nB := one.Sessions.All(), two.Sessions.All()
	for _, b := range by {
		b.OnlyA, b.OnlyB = b.B == 0, b.A == 0
		b.PerA, b.PerB = 1000*share(b.A, nA), 1000*share(b.B, nB)
		b.Ratio = quality.RateRatio(b.A, nA, b.B, nB)
		out.Issues = append(out.Issues, *b)
	}
	slices.SortFunc(out.Issues, func(x, y Beside) int {
		return cmp.Or(cmp.Compare(y.A+y.B, x.A+x.B), cmp.Compare(x.ID, y.ID))
	})
	return out, nil
}

// issuesIn lists the issues that a release has events of in the window.
func (s *Service) issuesIn(ctx context.Context, a Ask, w Window, asker find.Asker,
	version string) (*find.IssuePage, error) {
	search := query.String(query.Term{Name: "release", Values: []query.Value{query.Exactly(version)}})
	if a.Environment != "" {
		search += " " + query.String(query.Term{Name: "environment",
			Values: []query.Value{query.Exactly(a.Environment)}})
	}
	return s.find.FindIssues(ctx, find.IssueAsk{Ask: find.Ask{Project: a.Project, Text: search,
		Window: &find.Window{From: w.From, To: w.To}, Asker: asker}, States: issue.States, Order: issues.ByEvents,
		Limit: maxCompared})
}

// Gate says what a release must be like to go on.
type Gate struct {
	MaxNew, MaxRegressed *int64
	MinCrashFree         *float64 // percent
	MinSessions          int64    // that must have ended before shares are judged; 0: as many as a verdict needs
	AllowEarly           bool
}

// Condition is one thing that was asked of a release.
type Condition struct {
	Name   string
	Passed bool
	Early  bool // nobody can say yet
	Result string
}

// Checked is whether a release may go on.
type Checked struct {
	*Release
	Window
	Passed, Early bool
	Conditions    []Condition
}

// Check asks whether a release passes a gate.
func (s *Service) Check(ctx context.Context, a Ask, version string, g Gate) (*Checked, error) {
	r, w, err := s.Quality(ctx, a, version)
	if err != nil {
		return nil, err
	}
	in, err := s.issues.IssuesIn(ctx, a.Project, r.ReleaseRow)
	if err != nil {
		return nil, err
	}
	out := &Checked{Release: r, Window: w}
	add := func(c Condition) { out.Conditions = append(out.Conditions, c) }
	count := func(name string, most *int64, list []*issues.Issue) {
		if most != nil {
			add(Condition{Name: name, Passed: int64(len(list)) <= *most,
				Result: fmt.Sprintf("%d, at most %d%s", len(list), *most, ids(list))})
		}
	}
	count("new issues", g.MaxNew, in.New)
	count("issues that came back", g.MaxRegressed, in.Regressed)
	ended := r.Sessions.Ended()
	least := cmp.Or(g.MinSessions, quality.MinSessions)
	if g.MinCrashFree != nil {
		c := Condition{Name: "sessions without a crash", Passed: 100*r.CrashFree.Share >= *g.MinCrashFree,
			Early: ended < least,
			Result: fmt.Sprintf("%.2f %% of %d (%.2f to %.2f), at least %g", 100*r.CrashFree.Share, ended,
				100*r.CrashFree.Low, 100*r.CrashFree.High, *g.MinCrashFree)}
		c.Passed = c.Passed && !c.Early
		add(c)
	}
	if r.Verdict != nil {
		early := r.Verdict.Result == quality.TooEarly || ended < g.MinSessions
		says := string(r.Verdict.Result)
		if early {
			says = string(quality.TooEarly)
		}
		add(Condition{Name: "not worse than " + r.Baseline, Passed: !early && r.Verdict.Result != quality.Worse,
			Early:  early,
			Result: fmt.Sprintf("%s: %s", says, r.Verdict.Why)})
	}
	out.Passed = true
	for _, c := range out.Conditions {
		out.Early = out.Early || c.Early
		if !c.Passed && !(c.Early && g.AllowEarly) {
			out.Passed = false
		}
	}
	return out, nil
}

// ids names some of the issues of a condition.
func ids(list []*issues.Issue) string {
	if len(list) == 0 {
		return ""
	}
	var names []string
	for _, is := range list[:min(len(list), 5)] {
		names = append(names, fmt.Sprintf("%s/%d", is.Project, is.Number))
	}
	more := ""
	if len(list) > 5 {
		more = ", …"
	}
	return ": " + strings.Join(names, ", ") + more
}
