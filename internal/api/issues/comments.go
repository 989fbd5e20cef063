package issues

import (
	"context"
	"fmt"
	"slices"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// CommentPath is the path of a comment.
type CommentPath struct {
	calls.IssuePath
	Comment int64 `path:"comment" minimum:"1" doc:"its number"`
}

func (a *handlers) comments(t *calls.Table) {
	calls.OnIssue(t, "write-comment", func(ctx context.Context, _ *projects.Project, is *issues.Issue, in *struct {
		calls.IssuePath
		Body contract.WriteComment
	}) (*calls.Body[contract.Commented], error) {
		person := int64(0)
		if g := calls.GrantOf(ctx); g.Person != nil {
			person = g.Person.ID
		}
		id, err := a.Store.Triage.AddComment(ctx, is.ID, in.Body.Text, calls.Actor(ctx), person)
		return calls.Answer(contract.Commented{Comment: id}), err
	})
	calls.OnIssue(t, "change-comment", func(ctx context.Context, _ *projects.Project, is *issues.Issue, in *struct {
		CommentPath
		Body contract.WriteComment
	}) (*calls.Body[contract.Commented], error) {
		if in.Body.Text == "" {
			return nil, problem.New(problem.BadInput, "a comment is text; to take it away, delete it")
		}
		return a.changeComment(ctx, is, in.Comment, in.Body.Text)
	})
	calls.OnIssue(t, "delete-comment", func(ctx context.Context, _ *projects.Project, is *issues.Issue,
		in *CommentPath) (*calls.Body[contract.Commented], error) {
		return a.changeComment(ctx, is, in.Comment, "")
	})
	for id, on := range map[string]bool{"watch-issue": true, "unwatch-issue": false} {
		calls.OnIssue(t, id, func(ctx context.Context, _ *projects.Project, is *issues.Issue,
			_ *calls.IssuePath) (*struct{},
			error) {
			person, err := a.person(ctx)
			if err != nil {
				return nil, err
			}
			return &struct{}{}, a.Store.Triage.Watch(ctx, is.ID, person, on)
		})
	}
}

// changeComment writes another text in the place of a comment's; "" deletes it.
func (a *handlers) changeComment(ctx context.Context, is *issues.Issue, comment int64,
	text string) (*calls.Body[contract.Commented], error) {
	any, err := a.changesAny(ctx)
	if err != nil {
		return nil, err
	}
	err = a.Store.Triage.ChangeComment(ctx, is.ID, comment, text, calls.Actor(ctx), any)
	if err != nil {
		return nil, err
	}
	return calls.Answer(contract.Commented{Comment: comment}), nil
}

// changesAny says whether the caller may change comments of others: maintainers may.
func (a *handlers) changesAny(ctx context.Context) (bool, error) {
	return a.Allowed(ctx, access.DeleteIssues, calls.ProjectIn(ctx))
}

// history is what happened to an issue and what was written about it, in one stream.
func (a *handlers) history(ctx context.Context, is *issues.Issue) (*calls.Body[contract.History], error) {
	list, err := a.Store.Issues.History(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	out := contract.History{History: []contract.HistoryEntry{}}
	for _, e := range list {
		out.History = append(out.History,
			contract.HistoryEntry{At: e.At, Actor: e.Actor, Kind: e.Kind, Text: e.Text, Why: e.Why,
				Release: e.Release, Detail: e.Detail, Bulk: e.Bulk, Undone: e.Undone, CanUndo: e.CanUndo})
	}
	written, err := a.Store.Triage.Comments(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	me := calls.Actor(ctx)
	any, err := a.changesAny(ctx)
	if err != nil {
		return nil, err
	}
	for _, c := range written {
		e := contract.HistoryEntry{At: c.At, Actor: c.Actor.Name, Kind: "comment", Text: c.Text, Comment: c.ID,
			Edited: c.Edited, Mine: any || c.Actor.Same(me)}
		if c.From != 0 {
			e.Why = fmt.Sprintf("to %s/%d", is.Project, c.From)
		}
		out.History = append(out.History, e)
	}
	slices.SortStableFunc(out.History, func(a, b contract.HistoryEntry) int { return b.At.Compare(a.At) })
	return calls.Answer(out), nil
}
