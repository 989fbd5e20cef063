package issues

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/access"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/query"
	"firethorn/internal/core/release"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
)

// IssueList asks for a page of issues.
type IssueList struct {
	calls.ProjectPath
	State []string `query:"state" enum:"new,accepted,fixed,regressed,parked,dismissed,open,all" doc:"states to list; open is new, accepted and regressed" default:"open"`
	Text  string   `query:"text" maxLength:"200" doc:"words that must occur in headline, place, message or comments; the same as words of the search"`
	calls.SearchIn
	Order  string `query:"order" enum:"impact,users,events,newest,last_seen" default:"impact"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor string `query:"cursor" doc:"next of the page before"`
}

// MergeIn asks for a merge.
type MergeIn struct {
	calls.IssuePath
	Body contract.Merge
}

// ActIn is an action on an issue.
type ActIn struct {
	calls.IssuePath
	IfMatch string        `header:"If-Match" doc:"the issue's version; 412 when it has changed since"`
	Body    *contract.Act `required:"false"`
}

func (a *handlers) issues(t *calls.Table) {
	calls.OnProject(t, "list-issues", a.listIssues)
	calls.OnIssue(t, "show-issue",
		func(ctx context.Context, _ *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.IssueDetail],
			error) {
			return a.detail(ctx, is)
		})
	calls.OnIssue(t, "issue-history",
		func(ctx context.Context, _ *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.History],
			error) {
			return a.history(ctx, is)
		})
	calls.OnProject(t, "merge-issue", a.merge)
	a.splits(t)
	for _, verb := range issue.Verbs {
		calls.OnIssue(t, string(verb)+"-issue", func(ctx context.Context, p *projects.Project, is *issues.Issue,
			in *ActIn) (*calls.Body[contract.IssueDetail], error) {
			return a.act(ctx, p, is.ID, in, verb)
		})
	}
}

// merge merges an issue, and others beside it, into another one.
func (a *handlers) merge(ctx context.Context, p *projects.Project, in *MergeIn) (*calls.Body[contract.IssueDetail],
	error) {
	if err := a.Store.Moves.Merge(ctx, p, append([]int64{in.Number}, in.Body.Others...), in.Body.Into,
		calls.Actor(ctx)); err != nil {
		return nil, err
	}
	is, err := a.Store.Issues.Issue(ctx, p, in.Body.Into)
	if err != nil {
		return nil, err
	}
	return a.detail(ctx, is)
}

func (a *handlers) listIssues(ctx context.Context, p *projects.Project, in *IssueList) (*calls.Body[contract.Issues],
	error) {
	ask, err := a.issueAsk(ctx, p, in.SearchIn, in.Text)
	if err != nil {
		return nil, err
	}
	q := find.IssueAsk{Ask: ask, Order: issues.Order(in.Order), Limit: in.Limit, States: statesOf(in.State)}
	if in.Cursor != "" {
		q.After = &issues.IssueCursor{}
		if err := calls.ReadCursor(in.Cursor, q.After); err != nil {
			return nil, err
		}
	}
	page, err := a.Store.Find.FindIssues(ctx, q)
	if err != nil {
		return nil, err
	}
	out := contract.Issues{Issues: rows.IssuesOf(page.Issues, a.Store.DB.Now()), States: map[string]int64{},
		Searched: rows.Searched(page.Completeness)}
	for i, is := range page.Issues {
		if m, ok := page.Matching[is.ID]; ok {
			out.Issues[i].Matching = &contract.Matching{Events: m.Events, Users: m.Users, First: m.First, Last: m.Last}
		}
	}
	if err := a.withTickets(ctx, page.Issues, func(i int) *contract.Issue { return &out.Issues[i] }); err != nil {
		return nil, err
	}
	if page.Next != nil {
		out.Next = calls.WriteCursor(page.Next)
	}
	if out.Sessions, err = a.rates(ctx, p, ask.Window, out.Issues); err != nil {
		return nil, err
	}
	counts, err := a.Store.Issues.CountStates(ctx, p.ID)
	for _, st := range issue.States {
		out.States[string(st)] = counts[st]
	}
	return calls.Answer(out), err
}

// rates sets how many events issues have for 1,000 sessions of the project: of what fits
// the search in its window, or in the days of the trend. It gives the number of sessions.
func (a *handlers) rates(ctx context.Context, p *projects.Project, w *find.Window, list []contract.Issue) (int64,
	error) {
	now := a.Store.DB.Now()
	from, to := now.UTC().Truncate(24*time.Hour).AddDate(0, 0, 1-impact.Window), now.Add(time.Hour)
	if w != nil {
		from, to = w.From, w.To
	}
	sessions, err := a.Store.Health.CountSessions(ctx, p, from, to)
	if err != nil || sessions == 0 {
		return 0, err
	}
	for i := range list {
		var events int64
		switch {
		case list[i].Matching != nil:
			events = list[i].Matching.Events
		case w != nil:
			continue // not searched by events: how many are in the window is not known
		default:
			for _, day := range list[i].Trend {
				events += day.Events
			}
		}
		rate := 1000 * float64(events) / float64(sessions)
		list[i].Per1000Sessions = &rate
	}
	return sessions, nil
}

// issueAsk is a search for issues, with words that must occur beside it. Anyone who may
// not read events may not ask what is in them either.
func (a *handlers) issueAsk(ctx context.Context, p *projects.Project, in calls.SearchIn, text string) (find.Ask,
	error) {
	for _, w := range strings.Fields(text) {
		in.Search = strings.TrimSpace(query.String(query.Word{Text: w}) + " " + in.Search)
	}
	ask, err := a.Ask(ctx, p, in)
	if err != nil || !find.AsksEvents(ask) {
		return ask, err
	}
	return ask, a.May(ctx, access.ReadEvents, p)
}

// statesOf expands "open" and "all", in the order of issue.States.
func statesOf(names []string) []issue.State {
	var out []issue.State
	for _, st := range issue.States {
		for _, n := range names {
			if n == "all" || n == string(st) || n == "open" && st.Open() {
				out = append(out, st)
				break
			}
		}
	}
	return out
}

func (a *handlers) detail(ctx context.Context, is *issues.Issue) (*calls.Body[contract.IssueDetail], error) {
	out := contract.IssueDetail{Issue: rows.IssueOf(is, a.Store.DB.Now()), ImpactParts: from.Summands(is.Score.Parts),
		Link: a.issueLink(is.Project, is.Number)}
	if err := a.withTickets(ctx, []*issues.Issue{is}, func(int) *contract.Issue { return &out.Issue }); err != nil {
		return nil, err
	}
	out.Impact = is.Score.Points // what its parts add up to now; lists show it as it was stored
	releases, err := a.Store.Issues.IssueReleases(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	envs, err := a.Store.Issues.IssueEnvironments(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	out.Releases, out.Environments = seen(releases), seen(envs)
	if out.Feedback, err = a.Store.Events.FeedbackCount(ctx, is.ID); err != nil {
		return nil, err
	}
	if out.Watching, err = a.Store.Triage.Watching(ctx, is.ID); err != nil {
		return nil, err
	}
	if out.Watching == nil {
		out.Watching = []string{}
	}
	merged, err := a.Store.Issues.MergedFrom(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	out.MergedFrom = make([]string, len(merged))
	for i, n := range merged {
		out.MergedFrom[i] = fmt.Sprintf("%s/%d", is.Project, n)
	}
	if out.Splits, err = a.splitsOf(ctx, is); err != nil {
		return nil, err
	}
	parts, err := a.Store.Issues.FingerprintParts(ctx, is.ID)
	out.Grouping = from.Parts(parts)
	return calls.Answer(out), err
}

func (a *handlers) issueLink(project string, number int64) string {
	return a.Public.JoinPath("p", project, "issues", strconv.FormatInt(number, 10)).String()
}

func seen(list []issues.Seen) []contract.Seen {
	out := make([]contract.Seen, len(list))
	for i, s := range list {
		out[i] = contract.Seen(s)
	}
	return out
}

func (a *handlers) act(ctx context.Context, p *projects.Project, id int64, in *ActIn,
	verb issue.Verb) (*calls.Body[contract.IssueDetail], error) {
	act, why, err := actionOf(verb, in.Body)
	if err != nil {
		return nil, err
	}
	if err := a.assignee(ctx, p, &act); err != nil {
		return nil, err
	}
	version := int64(0)
	if v := strings.Trim(in.IfMatch, `"`); v != "" && v != "*" {
		if version, err = strconv.ParseInt(v, 10, 64); err != nil {
			return nil, problem.New(problem.BadInput, "If-Match must hold the issue's version, a number")
		}
	}
	if verb == issue.Undo { // of a merged-away issue: its merge
		if id, err = a.Store.Issues.DecidedOn(ctx, p, in.Number); err != nil {
			return nil, err
		}
	}
	if err := a.Store.Triage.Act(ctx, id, act, why, calls.Actor(ctx), version); err != nil {
		return nil, err
	}
	is, err := a.Store.Issues.Issue(ctx, p, in.Number)
	if err != nil {
		return nil, err
	}
	out, err := a.detail(ctx, is)
	if err != nil {
		return nil, err
	}
	out.Body.Notes, err = a.notesOf(ctx, p, act.Fix)
	return out, err
}

// nearReleases is how many known releases are named beside one that is not.
const nearReleases = 3

// notesOf says of a fix what anyone who decides should know: that its release was
// never heard of, which may be a slip of the pen.
func (a *handlers) notesOf(ctx context.Context, p *projects.Project, f issue.Fix) ([]string, error) {
	if f.FixedIn == "" {
		return nil, nil
	}
	list, err := a.Store.Releases.Releases(ctx, p)
	if err != nil {
		return nil, err
	}
	known := make([]release.Release, len(list))
	for i, r := range list {
		known[i] = release.Release{Version: r.Version, FirstSeen: r.FirstKnown}
	}
	near, heard := release.Near(release.Release{Version: f.FixedIn}, known, nearReleases)
	switch {
	case heard:
		return nil, nil
	case len(near) == 0:
		return []string{fmt.Sprintf("%s has no releases yet; the fix counts once an event or a build names %s",
			p.Name, f.FixedIn)}, nil
	}
	return []string{fmt.Sprintf("release %s of %s is not known yet; similar known releases: %s", f.FixedIn, p.Name,
		strings.Join(near, ", "))}, nil
}
