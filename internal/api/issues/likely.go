package issues

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/event"
	"firethorn/internal/core/release"
	"firethorn/internal/core/shell"
	"firethorn/internal/git"
	"firethorn/internal/pipeline"
	"firethorn/internal/repository"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/triage"
)

// longLived is after which time in a release an issue is not said to have come
// with it alone.
const longLived = 7 * 24 * time.Hour

// onsetDeploys are how many deploys before an onset are shown, of how long before.
const (
	onsetDeploys = 3
	onsetWithin  = 7 * 24 * time.Hour
	likeliest    = 5
)

func (a *handlers) likely(t *calls.Table) {
	calls.OnIssue(t, "likely-changes", func(ctx context.Context, p *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		Release string `query:"release" maxLength:"250" doc:"the release in which it appeared; default: in which it last regressed, else was first seen"`
	}) (*calls.Body[contract.LikelyChanges], error) {
		return a.likelyChanges(ctx, p, is, in.Release)
	})
	calls.OnProject(t, "who-changed-line", a.whoChanged)
}

// whoChanged says who changed a line of a trace last, as it was in a release.
func (a *handlers) whoChanged(ctx context.Context, p *projects.Project, in *struct {
	calls.ProjectPath
	Release string `query:"release" required:"true" maxLength:"250" doc:"the release that has the line at this position"`
	Source  string `query:"source" required:"true" maxLength:"1000" doc:"the file, as the trace names it"`
	Line    int    `query:"line" required:"true" minimum:"1"`
}) (*calls.Body[contract.LineAsked], error) {
	out := contract.LineAsked{Place: contract.SourcePlace{Source: in.Source, Line: in.Line}}
	commit, words, err := a.codeOf(ctx, p, in.Release)
	if err != nil {
		return nil, err
	}
	if out.Text = words; words != "" {
		return calls.Answer(out), nil
	}
	line, found, err := a.Code.Line(ctx, p, commit, in.Source, in.Line)
	if err != nil {
		return nil, err
	}
	out.Place.Path, out.Place.How = found.Path, found.How
	if out.Line = lineOf(p, line); line == nil {
		out.Text = found.How
	}
	return calls.Answer(out), nil
}

// codeOf is the commit that a release was built from, and why nothing is known of
// its code; "" where it is.
func (a *handlers) codeOf(ctx context.Context, p *projects.Project, version string) (commit, words string, err error) {
	g, err := a.Store.Releases.Graph(ctx, p.ID)
	if err != nil {
		return "", "", err
	}
	if commit, err = a.Store.Triage.CommitOf(ctx, p.ID, version); err != nil {
		return "", "", err
	}
	return commit, unknownCode(p, g, version, commit), nil
}

// unknownCode says why nothing is known of the code of a release; "" where it is.
func unknownCode(p *projects.Project, g *commits.Graph, version, commit string) string {
	switch {
	case g.Len() == 0:
		return fmt.Sprintf("nothing is known of the code of %s: run firethorn release announce --project %s --release VERSION in its repository, as a step of the build", p.Name, p.Name)
	case commit == "":
		return fmt.Sprintf("%s was announced without a commit: firethorn release announce --project %s %s --commit HASH says which", version, p.Name, shell.Option("--release", version))
	case !g.Has(commit):
		return fmt.Sprintf("the history of %s's commit %s was not sent: firethorn release announce does that, run in a full clone", version, release.Short(commit))
	}
	return ""
}

func lineOf(p *projects.Project, l *git.Line) *contract.LineChange {
	if l == nil {
		return nil
	}
	return &contract.LineChange{Commit: l.Commit, Author: l.Author, Email: l.Email, Authored: l.Authored,
		Subject: l.Subject, Path: l.Path, Line: l.Line, Text: l.Text, Link: rows.CommitLink(p, l.Commit)}
}

func (a *handlers) likelyChanges(ctx context.Context, p *projects.Project, is *issues.Issue,
	version string) (*calls.Body[contract.LikelyChanges], error) {
	out := contract.LikelyChanges{Issue: fmt.Sprintf("%s/%d", is.Project, is.Number), Places: []contract.SourcePlace{},
		Changes: []contract.LikelyChange{}}
	done := func(format string, args ...any) (*calls.Body[contract.LikelyChanges], error) {
		out.Text = fmt.Sprintf(format, args...)
		return calls.Answer(out), nil
	}
	span, err := a.Store.Triage.Appeared(ctx, p, is, version)
	if err != nil {
		return nil, err
	}
	out.Release, out.Before, out.From, out.To = span.Release, span.Before, span.From, span.To
	if span.Release == "" {
		return done("its events name no release, so there is no range of commits to look at: name it as service.version")
	}
	if out.Onset, err = a.onset(ctx, p, is, span); err != nil {
		return nil, err
	}
	g, err := a.Store.Releases.Graph(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	if words := unknownCode(p, g, span.Release, span.To); words != "" {
		return done("%s", words)
	}
	places, err := a.places(ctx, p, is, span.Release)
	if err != nil {
		return nil, err
	}
	found, err := a.Code.Likely(ctx, p, span.From, span.To, places, likeliest)
	if err != nil {
		return nil, err
	}
	out.Range = found.Range
	for _, f := range found.Places {
		out.Places = append(out.Places, contract.SourcePlace{Source: f.Source, Line: f.Line, Path: f.Path, How: f.How})
	}
	for _, l := range found.List {
		out.Changes = append(out.Changes,
			contract.LikelyChange{Commit: rows.CommitOf(p, l.Commit), Score: l.Score,
				Reasons: append([]string{}, l.Reasons...)})
	}
	if len(places) > 0 {
		line, _, err := a.Code.Line(ctx, p, span.To, places[0].Source, places[0].Line)
		if err != nil {
			return nil, err
		}
		out.Line = lineOf(p, line)
	}
	since := "all commits up to " + release.Short(span.To) + ", for no release before it is known with its commit"
	if span.From != "" {
		since = fmt.Sprintf("%d commits since %s, %s to %s", found.Range, span.Before, release.Short(span.From),
			release.Short(span.To))
	}
	switch {
	case len(places) == 0:
		return done("%s; the trace has no own frame with a source position, so none of the commits stands out", since)
	case found.Range == 0:
		return done("no commit lies between %s and %s", span.Before, span.Release)
	case len(out.Changes) == 0:
		return done("%s; none of them touches a file of the trace: it may be configuration, data or a dependency",
			since)
	}
	return done("%s", since)
}

// places are the own frames of an event of the release, the origin first.
func (a *handlers) places(ctx context.Context, p *projects.Project, is *issues.Issue,
	version string) ([]repository.Place, error) {
	row, err := a.Store.Triage.EventOf(ctx, is.ID, version)
	if err == nil && row == nil {
		row, err = a.Store.Events.IssueEvent(ctx, p, is.ID, "newest")
	}
	if err != nil {
		return nil, err
	}
	raw, err := a.Store.Events.AnyBody(ctx, row)
	if errors.Is(err, events.ErrNoBody) {
		return nil, nil // nothing of it was kept
	}
	if err != nil {
		return nil, err
	}
	_, frames, err := pipeline.Read(ctx, p.Project, raw, a.Units)
	if err != nil {
		return nil, err
	}
	var out []repository.Place
	for i := len(frames) - 1; i >= 0; i-- { // the innermost cause first
		for _, f := range frames[i] {
			if f.Kind != event.Own || f.File == "" {
				continue
			}
			pl := repository.Place{Source: f.File, Line: f.Line}
			switch {
			case f.Origin:
				out = slices.Insert(out, 0, pl)
			case !slices.ContainsFunc(out, func(x repository.Place) bool {
				return x.Source == pl.Source && x.Line == pl.Line
			}):
				out = append(out, pl)
			}
		}
	}
	return out, nil
}

// onset describes an issue that began long after its release came out.
func (a *handlers) onset(ctx context.Context, p *projects.Project, is *issues.Issue,
	span triage.Appearance) (*contract.Onset, error) {
	if span.Out.IsZero() || span.Began.Sub(span.Out) < longLived {
		return nil, nil
	}
	marks, err := a.Store.Triage.Marks(ctx, p.ID, span.Began.Add(-onsetWithin), span.Began)
	if err != nil {
		return nil, err
	}
	o := &contract.Onset{At: span.Began, Deploys: []contract.Mark{}}
	for _, m := range slices.Backward(marks) {
		if m.Kind == "deploy" && len(o.Deploys) < onsetDeploys {
			o.Deploys = append(o.Deploys, markOf(m))
		}
	}
	o.Text = fmt.Sprintf("It began %d days after %s came out: look at what else changed then, data and configuration too", int(span.Began.Sub(span.Out).Hours()/24), span.Release)
	return o, nil
}
