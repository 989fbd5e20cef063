package issues

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/shell"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/retention"
	"firethorn/internal/usecase/triage"
)

func (a *handlers) life(t *calls.Table) {
	calls.OnIssue(t, "issue-since",
		func(ctx context.Context, p *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.Since], error) {
			return a.since(ctx, p, is)
		})
	calls.OnIssue(t, "what-goes",
		func(ctx context.Context, _ *projects.Project, is *issues.Issue,
			in *calls.IssuePath) (*calls.Body[contract.Deletion],
			error) {
			d, err := a.Store.Retention.WhatGoes(ctx, is.ID)
			return calls.Answer(deletionOf(is, d, false)), err
		})
	calls.OnIssue(t, "delete-issue", func(ctx context.Context, _ *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		Events int64 `query:"events" required:"true" minimum:"0" doc:"how many events go with it, as what-goes says: the confirmation"`
	}) (*calls.Body[contract.Deletion], error) {
		d, err := a.Store.Retention.Delete(ctx, is.ID, in.Events, calls.Actor(ctx))
		return calls.Answer(deletionOf(is, d, true)), err
	})
	calls.OnProject(t, "act-on-many", a.actMany)
	calls.OnProject(t, "undo-many", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.UndoMany
	}) (*calls.Body[contract.ManyDone], error) {
		done, err := a.Store.Triage.UndoMany(ctx, p, in.Body.Bulk, calls.Actor(ctx), a.still(p))
		if err != nil {
			return nil, err
		}
		return calls.Answer(rows.ManyDone(p, done)), nil
	})
	calls.Call(t, "list-notices", func(ctx context.Context, in *struct {
		Unseen bool  `query:"unseen" doc:"only unseen notices"`
		Before int64 `query:"before" doc:"next of the page before"`
		Limit  int   `query:"limit" minimum:"1" maximum:"200" default:"50"`
	}) (*calls.Body[contract.Notices], error) {
		person, err := a.person(ctx)
		if err != nil {
			return nil, err
		}
		list, waiting, err := a.Store.Status.Notices(ctx, person, a.Sight(ctx, access.ReadIssues), in.Unseen,
			in.Before, in.Limit)
		out := contract.Notices{Waiting: waiting, Notices: []contract.Notice{}}
		for _, n := range list {
			out.Notices = append(out.Notices,
				contract.Notice{ID: n.ID, At: n.At, Issue: fmt.Sprintf("%s/%d", n.Project, n.Number),
					Headline: n.Headline, Actor: n.Actor, Kind: n.Kind, Text: n.Text, Seen: n.Seen})
		}
		if len(list) == in.Limit {
			out.Next = list[len(list)-1].ID
		}
		return calls.Answer(out), err
	})
	calls.Call(t, "see-notices", func(ctx context.Context, in *calls.Body[contract.SeenNotices]) (*struct{}, error) {
		person, err := a.person(ctx)
		if err != nil {
			return nil, err
		}
		return &struct{}{}, a.Store.Status.SeeNotices(ctx, person, a.Sight(ctx, access.ReadIssues), in.Body.UpTo)
	})
}

// person is who asks, where that is a person.
func (a *handlers) person(ctx context.Context) (int64, error) {
	g := calls.GrantOf(ctx)
	if g.Person == nil {
		return 0, problem.New(problem.Forbidden, "notices are those of a person: sign in as one, or use a token of one (firethorn token create LABEL --scope person --person NAME)")
	}
	return g.Person.ID, nil
}

// actionOf reads a decision.
func actionOf(verb issue.Verb, in *contract.Act) (issue.Action, string, error) {
	a := issue.Action{Verb: verb}
	if in == nil {
		in = &contract.Act{}
	}
	a.To = strings.TrimSpace(in.To)
	if a.Grade = strings.ToLower(strings.TrimSpace(in.Severity)); a.Grade == "events" {
		a.Grade = ""
	}
	if verb == issue.Fixing {
		var kinds []issue.FixKind
		if v := strings.TrimSpace(in.Release); v != "" {
			a.Fix.FixedIn = v
			kinds = append(kinds, issue.FixRelease)
		}
		if in.Next {
			kinds = append(kinds, issue.FixNext)
		}
		if c := strings.TrimSpace(in.Commit); c != "" {
			a.Fix.Commit = c
			kinds = append(kinds, issue.FixCommit)
		}
		if in.Now {
			kinds = append(kinds, issue.FixNow)
		}
		if len(kinds) > 1 {
			return a, "", problem.New(problem.BadInput,
				"a fix is in one thing: in a release, in the next one, by a commit, or as of now")
		}
		a.Fix.Kind = issue.FixRelease
		if len(kinds) == 1 {
			a.Fix.Kind = kinds[0]
		}
	}
	if verb == issue.Parking && in.Park != nil {
		p := in.Park
		a.Park = issue.Park{Events: p.Events, Users: p.Users, Doubled: p.Doubled, NextRelease: p.NextRelease,
			NewEnvironment: p.NewEnvironment}
		if !p.Until.IsZero() {
			a.Park.Until = p.Until.UTC()
		}
	}
	return a, in.Why, nil
}

func (a *handlers) actMany(ctx context.Context, p *projects.Project, in *struct {
	calls.ProjectPath
	Body contract.ActMany
}) (*calls.Body[contract.ManyDone], error) {
	b := in.Body
	var m triage.Many
	switch {
	case len(b.Issues) > 0 && (len(b.State) > 0 || b.Text != "" || b.Search != "" || b.Window != ""):
		return nil, problem.New(problem.BadInput, "name issues, or give a filter; not both")
	case len(b.Issues) > 0:
		m.Numbers = map[int64]int64{}
		for _, c := range b.Issues {
			m.Numbers[c.Number] = c.Version
		}
	default:
		if len(b.State) == 0 {
			b.State = []string{"open"}
		}
		states := statesOf(b.State)
		if len(states) == 0 {
			return nil, problem.New(problem.BadInput, "%q is no state: new, accepted, regressed, parked, fixed, dismissed, open or all", strings.Join(b.State, ","))
		}
		ask, err := a.issueAsk(ctx, p, calls.SearchIn{Search: b.Search, Window: b.Window}, b.Text)
		if err != nil {
			return nil, err
		}
		m.List = func(ctx context.Context, after *issues.IssueCursor, limit int) ([]*issues.Issue,
			*issues.IssueCursor, error) {
			page, err := a.Store.Find.FindIssues(ctx, find.IssueAsk{Ask: ask, Order: issues.ByImpact,
				States: states, Limit: limit, After: after})
			if err != nil {
				return nil, nil, err
			}
			return page.Issues, page.Next, nil
		}
	}
	found, err := a.Store.Triage.Find(ctx, p, m)
	if err != nil {
		return nil, err
	}
	if b.Expect != nil && *b.Expect != len(found) {
		return nil, problem.New(problem.Stale, "%d issues fit by now, not %d; look again, then confirm with that number",
			len(found), *b.Expect)
	}
	if b.Try {
		out := contract.ManyDone{Fits: len(found), Done: []string{}, Refused: []contract.Refusal{}}
		return calls.Answer(out), nil
	}
	act, why, err := actionOf(issue.Verb(b.Verb), &b.Act)
	if err != nil {
		return nil, err
	}
	if err := a.assignee(ctx, p, &act); err != nil {
		return nil, err
	}
	done, err := a.Store.Triage.ActMany(ctx, p, triage.Many{Numbers: found, Still: a.still(p)}, act, why,
		calls.Actor(ctx))
	if err != nil {
		return nil, err
	}
	out := rows.ManyDone(p, done)
	out.Notes, err = a.notesOf(ctx, p, act.Fix)
	return calls.Answer(out), err
}

// still asks whether who decides about many issues may do so still.
func (a *handlers) still(p *projects.Project) func(context.Context) error {
	return func(ctx context.Context) error { return a.Still(ctx, access.TriageIssues, p) }
}

// assignee finds the person to assign an issue to, among those who have a role in the
// project.
func (a *handlers) assignee(ctx context.Context, p *projects.Project, act *issue.Action) error {
	if act.Verb != issue.Assign || act.To == "" {
		return nil
	}
	to, err := a.Store.Accounts.FindIn(ctx, act.To, p.ID, p.Name)
	if err == nil {
		act.To = to.Name
		return nil
	}
	if all, allErr := a.Allowed(ctx, access.ChangePeople, nil); allErr != nil || !all {
		return errors.Join(err, allErr)
	}
	if to, err = a.Store.Accounts.FindHere(ctx, act.To); err != nil { // operators are told of everybody
		return err
	}
	return problem.New(problem.Conflict, "%s has no role in %s and would not see it; firethorn member set %s member --project %s gives one",
		to.Name, p.Name, shell.Arguments(to.Name), p.Name)
}

func deletionOf(is *issues.Issue, d retention.Deletion, deleted bool) contract.Deletion {
	return contract.Deletion{Issue: fmt.Sprintf("%s/%d", is.Project, is.Number), Events: d.Events, Bodies: d.Bodies,
		Users: d.Users, Feedback: d.Feedback, MergedFrom: d.MergedFrom, Deleted: deleted}
}

// marked are the kinds of history that stand on a time line.
var marked = []string{"fix", "regressed", "park", "woken", "released", "holding", "dismiss", "count-only", "reopen"}

func (a *handlers) since(ctx context.Context, p *projects.Project, is *issues.Issue) (*calls.Body[contract.Since],
	error) {
	out := contract.Since{Days: []contract.TrendDay{}, Marks: []contract.Mark{}}
	days, err := a.Store.Triage.Days(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	for _, d := range days {
		out.Days = append(out.Days,
			contract.TrendDay{Day: d.Day.Format("2006-01-02"), Events: d.Events, Users: d.Users})
	}
	from := is.FirstSeen.AddDate(0, 0, -7)
	if len(days) > 0 && days[0].Day.AddDate(0, 0, -7).After(from) {
		from = days[0].Day.AddDate(0, 0, -7)
	}
	marks, err := a.Store.Triage.Marks(ctx, p.ID, from, a.Store.DB.Now())
	if err != nil {
		return nil, err
	}
	for _, m := range marks {
		out.Marks = append(out.Marks, markOf(m))
	}
	out.Marks = append(out.Marks,
		contract.Mark{At: is.FirstSeen, Kind: "first_seen", Text: "first seen", Release: is.FirstRelease})
	list, err := a.Store.Issues.History(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	for _, e := range list {
		if e.Undone || !slices.Contains(marked, e.Kind) {
			continue
		}
		m := contract.Mark{At: e.At, Kind: e.Kind, Text: e.Text, Release: e.Release}
		if e.Actor != "" {
			m.Text = e.Actor + ": " + m.Text
		}
		if e.Kind == "regressed" && e.Detail != nil {
			var c ingest.CameFrom
			if json.Unmarshal(e.Detail, &c) == nil {
				m.From, m.Environment = c.LastGood, c.Environment
			}
			if m.From == "" {
				m.From = is.FixedIn
			}
		}
		out.Marks = append(out.Marks, m)
	}
	slices.SortStableFunc(out.Marks, func(a, b contract.Mark) int { return a.At.Compare(b.At) })
	out.Quiet = triage.Quiet(is.State, is.LastSeen, days, a.Store.DB.Now())
	h, err := a.Store.Triage.Holding(ctx, p.ID, is.ID, is.Status)
	if h != nil {
		out.Holding = &contract.Holding{Odds: h.Odds, Text: h.Text}
	}
	return calls.Answer(out), err
}

func markOf(m triage.Mark) contract.Mark {
	out := contract.Mark{At: m.At, Kind: m.Kind, Release: m.Release, Environment: m.Where}
	switch m.Kind {
	case "deploy":
		out.Text = m.Release + " was deployed to " + m.Where
	default:
		out.Text = m.Release + " came out"
	}
	return out
}
