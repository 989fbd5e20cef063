package releases

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/health"
)

// HealthIn selects sessions and releases.
type HealthIn struct {
	calls.ProjectPath
	Environment string `query:"environment" maxLength:"250" doc:"only its sessions; without, all"`
	Window      string `query:"window" maxLength:"60" doc:"14d, 36h, 2026-11-01..2026-11-20 or all; without, the last 7 days"`
	Baseline    string `query:"baseline" maxLength:"250" doc:"the version to compare with; default: the release before"`
}

func (a *handlers) health(t *calls.Table) {
	calls.OnProject(t, "list-quality", a.qualities)
	calls.OnProject(t, "show-quality", a.quality)
	calls.OnProject(t, "show-uptake", a.uptake)
	calls.OnProject(t, "show-devices", a.devices)
	calls.OnProject(t, "compare-releases", a.compare)
	calls.OnProject(t, "check-release", a.check)
	calls.OnProject(t, "list-release-issues", a.issuesOf)
}

// asked makes the question.
func (a *handlers) asked(ctx context.Context, p *projects.Project, in HealthIn) (health.Ask, find.Asker, error) {
	ask, err := a.Ask(ctx, p, calls.SearchIn{Window: in.Window})
	out := health.Ask{Project: p, Environment: in.Environment, Baseline: in.Baseline}
	if ask.Window != nil {
		out.From, out.To = ask.Window.From, ask.Window.To
		if out.From.IsZero() {
			out.From = time.Unix(0, 0)
		}
	}
	return out, ask.Asker, err
}

func (a *handlers) qualities(ctx context.Context, p *projects.Project, in *HealthIn) (*calls.Body[contract.Qualities],
	error) {
	ask, _, err := a.asked(ctx, p, *in)
	if err != nil {
		return nil, err
	}
	list, w, err := a.Store.Health.Qualities(ctx, ask)
	if err != nil {
		return nil, err
	}
	out := contract.Qualities{From: w.From, To: w.To, Sessions: sessionsOf(w.Total), Users: w.Users,
		Releases: []contract.Quality{}}
	for _, r := range list {
		out.Releases = append(out.Releases, qualityOf(r, w))
	}
	return calls.Answer(out), nil
}

// VersionIn names a release.
type VersionIn struct {
	HealthIn
	Version string `query:"version" required:"true" maxLength:"250" doc:"the release's version, as events name it"`
}

func (a *handlers) quality(ctx context.Context, p *projects.Project, in *VersionIn) (*calls.Body[contract.Quality],
	error) {
	ask, _, err := a.asked(ctx, p, in.HealthIn)
	if err != nil {
		return nil, err
	}
	r, w, err := a.Store.Health.Quality(ctx, ask, in.Version)
	if err != nil {
		return nil, err
	}
	out := qualityOf(r, w)
	environments, err := a.Store.Health.Environments(ctx, ask, r)
	for _, e := range environments {
		out.Environments = append(out.Environments, contract.EnvironmentQuality{Environment: e.Name,
			Sessions: sessionsOf(e.Sessions), CrashFreeSessions: contract.ShareOf(e.CrashFree),
			Verdict: verdictBeside(r.Baseline, e.Verdict, e.Crashes)})
	}
	return calls.Answer(out), err
}

func sessionsOf(c quality.Counts) contract.QualitySessions {
	return contract.QualitySessions{All: c.All(), Clean: c.Clean, Faulty: c.Faulty, Crashed: c.Crashed,
		CutOff:  c.CutOff,
		Running: c.Running}
}

func qualityOf(r *health.Release, w health.Window) contract.Quality {
	out := contract.Quality{Release: r.Version, Environment: w.Environment, Sessions: sessionsOf(r.Sessions),
		Users:             contract.QualityUsers{All: r.Users.All, Crashed: r.Users.Crashed},
		CrashFreeSessions: contract.ShareOf(r.CrashFree),
		CrashFreeUsers:    contract.ShareOf(r.UsersFree), ErrorFreeSessions: contract.ShareOf(r.ErrorFree),
		Uptake: contract.Uptake{Sessions: r.OfSessions, Users: r.OfUsers}, DurationS: seconds(r.P50, r.P95),
		DurationsS: []contract.OutcomeTook{}, Verdict: verdictOf(r), Events: r.Events, Issues: r.Issues, New: r.New,
		FirstSeen: r.FirstSeen, Deploys: releaseOf(r.ReleaseRow).Deploys, WithoutSessions: r.WithoutThem}
	for _, o := range []session.Outcome{session.Clean, session.Faulty, session.Crashed, session.CutOff} {
		if d, ok := r.ByOutcome[o]; ok {
			out.DurationsS = append(out.DurationsS, contract.OutcomeTook{Outcome: o.String(),
				Quantiles: seconds(d.P50, d.P95)})
		}
	}
	return out
}

func seconds(p50, p95 float64) contract.Quantiles {
	return contract.Quantiles{P50: p50 / 1000, P95: p95 / 1000}
}

func verdictOf(r *health.Release) contract.QualityVerdict {
	return verdictBeside(r.Baseline, r.Verdict, r.Crashes)
}

// verdictBeside converts a verdict; there is a ratio only if a session of either release
// crashed.
func verdictBeside(baseline string, v *quality.Verdict, crashes bool) contract.QualityVerdict {
	if v == nil {
		return contract.QualityVerdict{Why: "no release came before it"}
	}
	says := string(v.Result)
	out := contract.QualityVerdict{Baseline: baseline, Result: &says, P: &v.P, Why: v.Why}
	if v.Result != quality.TooEarly && crashes {
		out.Ratio = (*contract.RatioOf)(&v.Ratio)
	}
	return out
}

// issuesOf lists what a release brought, by the share of its sessions that it hits.
func (a *handlers) issuesOf(ctx context.Context, p *projects.Project, in *VersionIn) (
	*calls.Body[contract.ReleaseIssues], error) {
	ask, _, err := a.asked(ctx, p, in.HealthIn)
	if err != nil {
		return nil, err
	}
	hits, sessions, err := a.Store.Health.Hits(ctx, ask, in.Version)
	out := contract.ReleaseIssues{Release: in.Version, Sessions: sessions, Issues: []contract.ReleaseIssue{}}
	for _, h := range hits {
		came := "new"
		if h.Back {
			came = "back"
		}
		out.Issues = append(out.Issues, contract.ReleaseIssue{ID: fmt.Sprintf("%s/%d", p.Name, h.Number),
			Headline: h.Headline, State: string(h.State), Came: came, Sessions: h.Sessions,
			More: h.More, Share: h.Share,
			Events: h.Events, Users: h.Users, Impact: float64(h.Impact) / 10})
	}
	return calls.Answer(out), err
}

// maxSeries is how many releases an uptake distinguishes; the others are one.
const maxSeries = 8

func (a *handlers) uptake(ctx context.Context, p *projects.Project, in *HealthIn) (*calls.Body[contract.UptakeSeries],
	error) {
	ask, _, err := a.asked(ctx, p, *in)
	if err != nil {
		return nil, err
	}
	list, versions, step, err := a.Store.Health.Uptake(ctx, ask)
	if err != nil {
		return nil, err
	}
	interval := time.Duration(step) * time.Hour
	out := contract.UptakeSeries{IntervalS: int64(interval / time.Second), Releases: []contract.ReleaseSeries{}}
	if len(list) == 0 {
		return calls.Answer(out), nil
	}
	first := list[0].At
	moments := int(list[len(list)-1].At.Sub(first)/interval) + 1
	sums := map[int64]int64{}
	for _, h := range list {
		sums[h.Release] += h.All()
	}
	order := slices.SortedFunc(maps.Keys(sums), func(x, y int64) int {
		return cmp.Or(cmp.Compare(sums[y], sums[x]), cmp.Compare(x, y))
	})
	at := map[int64]int{}
	for i, id := range order {
		if i = min(i, maxSeries); i == len(out.Releases) {
			out.Releases = append(out.Releases, emptySeries(versions[id], first, interval, moments))
		}
		at[id] = i
	}
	if len(order) > maxSeries+1 {
		out.Releases[maxSeries].Release = fmt.Sprintf("%d others", len(order)-maxSeries)
	}
	for _, h := range list {
		x := &out.Releases[at[h.Release]].Points[h.At.Sub(first)/interval]
		x.Sessions, x.Ended, x.Crashed = x.Sessions+h.All(), x.Ended+h.Ended(), x.Crashed+h.Crashed
	}
	return calls.Answer(out), nil
}

func emptySeries(version string, first time.Time, interval time.Duration, moments int) contract.ReleaseSeries {
	s := contract.ReleaseSeries{Release: version, Points: make([]contract.SessionPoint, moments)}
	for i := range s.Points {
		s.Points[i].At = first.Add(time.Duration(i) * interval)
	}
	return s
}

func (a *handlers) devices(ctx context.Context, p *projects.Project, in *VersionIn) (*calls.Body[contract.Devices],
	error) {
	ask, _, err := a.asked(ctx, p, in.HealthIn)
	if err != nil {
		return nil, err
	}
	list, err := a.Store.Health.Devices(ctx, ask, in.Version)
	if err != nil {
		return nil, err
	}
	out := contract.Devices{Release: in.Version, Devices: []contract.DeviceFamily{}}
	for _, t := range list {
		out.Devices = append(out.Devices, contract.DeviceFamily{Name: sessions.TraitNames[t.Kind-1], Value: t.Value,
			Sessions: sessionsOf(t.Counts), CrashFreeSessions: contract.ShareOf(quality.Wilson(
				t.Ended()-t.Bad(p.CutOffCrashes), t.Ended()))})
	}
	return calls.Answer(out), nil
}

func (a *handlers) compare(ctx context.Context, p *projects.Project, in *struct {
	HealthIn
	A string `query:"a" required:"true" maxLength:"250"`
	B string `query:"b" required:"true" maxLength:"250"`
}) (*calls.Body[contract.ReleaseComparison], error) {
	ask, asker, err := a.asked(ctx, p, in.HealthIn)
	if err != nil {
		return nil, err
	}
	c, err := a.Store.Health.Compare(ctx, ask, asker, in.A, in.B)
	if err != nil {
		return nil, err
	}
	out := contract.ReleaseComparison{A: qualityOf(c.A, c.Window), B: qualityOf(c.B, c.Window), Verdict: verdictOf(c.A),
		OnlyInA: []contract.ComparedOnly{}, OnlyInB: []contract.ComparedOnly{}, InBoth: []contract.ComparedBoth{}}
	for _, x := range c.Issues {
		id := fmt.Sprintf("%s/%d", p.Name, x.Number)
		switch {
		case x.OnlyA:
			out.OnlyInA = append(out.OnlyInA, contract.ComparedOnly{ID: id, Headline: x.Headline,
				State:  string(x.State),
				Events: x.A, Users: x.HitsA, Per1000Sessions: x.PerA})
		case x.OnlyB:
			out.OnlyInB = append(out.OnlyInB, contract.ComparedOnly{ID: id, Headline: x.Headline,
				State:  string(x.State),
				Events: x.B, Users: x.HitsB, Per1000Sessions: x.PerB})
		default:
			out.InBoth = append(out.InBoth, contract.ComparedBoth{ID: id, Headline: x.Headline, State: string(x.State),
				Events: contract.Pair{A: x.A, B: x.B}, Per1000Sessions: contract.PairRate{A: x.PerA, B: x.PerB},
				Ratio: contract.RatioOf(x.Ratio)})
		}
	}
	return calls.Answer(out), nil
}

func (a *handlers) check(ctx context.Context, p *projects.Project, in *struct {
	VersionIn
	MaxNew       string `query:"max_new" maxLength:"10" doc:"most new issues"`
	MaxRegressed string `query:"max_regressed" maxLength:"10" doc:"the highest accepted number of regressed issues"`
	MinCrashFree string `query:"min_crash_free" maxLength:"10" doc:"the lowest accepted share of crash-free sessions, in percent"`
	MinSessions  int64  `query:"min_sessions" minimum:"0" doc:"how many sessions must have ended before they are judged"`
	AllowEarly   bool   `query:"allow_early" doc:"conditions that cannot be judged yet pass"`
}) (*calls.Body[contract.ReleaseCheck], error) {
	ask, _, err := a.asked(ctx, p, in.HealthIn)
	if err != nil {
		return nil, err
	}
	g := health.Gate{MinSessions: in.MinSessions, AllowEarly: in.AllowEarly}
	if g.MaxNew, err = wholeOf("max_new", in.MaxNew); err != nil {
		return nil, err
	}
	if g.MaxRegressed, err = wholeOf("max_regressed", in.MaxRegressed); err != nil {
		return nil, err
	}
	if g.MinCrashFree, err = percentOf("min_crash_free", in.MinCrashFree); err != nil {
		return nil, err
	}
	c, err := a.Store.Health.Check(ctx, ask, in.Version, g)
	if err != nil {
		return nil, err
	}
	out := contract.ReleaseCheck{Release: c.Version, Passed: c.Passed, Early: c.Early,
		Conditions: []contract.CheckCondition{},
		Quality:    qualityOf(c.Release, c.Window)}
	for _, x := range c.Conditions {
		out.Conditions = append(out.Conditions, contract.CheckCondition(x))
	}
	return calls.Answer(out), nil
}

// wholeOf reads a number that may be missing.
func wholeOf(name, text string) (*int64, error) {
	if text == "" {
		return nil, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 {
		return nil, problem.New(problem.BadInput, "%s is %q; write a whole number from 0", name, text)
	}
	return &n, nil
}

// percentOf reads a share in percent that may be missing.
func percentOf(name, text string) (*float64, error) {
	if text == "" {
		return nil, nil
	}
	n, err := strconv.ParseFloat(strings.TrimSuffix(text, "%"), 64)
	if err != nil || !(n >= 0 && n <= 100) {
		return nil, problem.New(problem.BadInput, "%s is %q; write a percentage from 0 to 100, such as 99.5",
			name, text)
	}
	return &n, nil
}
