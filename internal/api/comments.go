package api

import (
	"context"
	"fmt"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/store/issues"
)

// CommentPath is the path of a comment.
type CommentPath struct {
	IssuePath
	Comment int64 `path:"comment" minimum:"1" doc:"its number"`
}

func (a *API) comments(h huma.API) {
	const base = "/api/issues/{project}/{number}/"
	op(h, a, "POST", base+"comments", "write-comment", "Write a comment, in Markdown; who is mentioned, has the issue or watches it hears of it", mayTriage, func(ctx context.Context, in *struct {
		IssuePath
		Body contract.WriteComment
	}) (*body[contract.Commented], error) {
		is, _, err := a.issue(ctx, &in.IssuePath)
		if err != nil {
			return nil, err
		}
		person := int64(0)
		if g := grantOf(ctx); g.Person != nil {
			person = g.Person.ID
		}
		id, err := a.store.Triage.AddComment(ctx, is.ID, in.Body.Text, actor(ctx), person)
		return &body[contract.Commented]{contract.Commented{Comment: id}}, err
	})
	op(h, a, "PUT", base+"comments/{comment}", "change-comment", "Change a comment of your own", mayTriage,
		func(ctx context.Context, in *struct {
			CommentPath
			Body contract.WriteComment
		}) (*body[contract.Commented], error) {
			if in.Body.Text == "" {
				return nil, fault.New(fault.BadInput, "a comment is text; to take it away, delete it")
			}
			return a.changeComment(ctx, &in.CommentPath, in.Body.Text)
		})
	op(h, a, "DELETE", base+"comments/{comment}", "delete-comment", "Take a comment of your own away", mayTriage,
		func(ctx context.Context, in *CommentPath) (*body[contract.Commented], error) {
			return a.changeComment(ctx, in, "")
		})
	for _, on := range []bool{true, false} {
		method, id, summary := "PUT", "watch-issue", "Hear of what happens to an issue"
		if !on {
			method, id, summary = "DELETE", "unwatch-issue", "Hear of it no more"
		}
		op(h, a, method, base+"watch", id, summary, see, func(ctx context.Context, in *IssuePath) (*struct{}, error) {
			person, err := a.person(ctx)
			if err != nil {
				return nil, err
			}
			is, _, err := a.issue(ctx, in)
			if err != nil {
				return nil, err
			}
			return &struct{}{}, a.store.Triage.Watch(ctx, is.ID, person, on)
		})
	}
}

func (a *API) changeComment(ctx context.Context, in *CommentPath, text string) (*body[contract.Commented], error) {
	is, _, err := a.issue(ctx, &in.IssuePath)
	if err != nil {
		return nil, err
	}
	if err := a.store.Triage.ChangeComment(ctx, is.ID, in.Comment, text, actor(ctx),
		a.allowed(ctx, administer)); err != nil {
		return nil, err
	}
	return &body[contract.Commented]{contract.Commented{Comment: in.Comment}}, nil
}

// history is what happened to an issue and what was written about it, in one stream.
func (a *API) history(ctx context.Context, is *issues.Issue) (*body[contract.History], error) {
	list, err := a.store.Issues.History(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	out := contract.History{History: []contract.HistoryEntry{}}
	for _, e := range list {
		out.History = append(out.History,
			contract.HistoryEntry{At: e.At, Actor: e.Actor, Kind: e.Kind, Words: e.Words, Why: e.Why,
				Release: e.Release, Detail: e.Detail, Bulk: e.Bulk, Undone: e.Undone, CanUndo: e.CanUndo})
	}
	written, err := a.store.Triage.Comments(ctx, is.ID)
	if err != nil {
		return nil, err
	}
	me, any := actor(ctx), a.allowed(ctx, administer)
	for _, c := range written {
		e := contract.HistoryEntry{At: c.At, Actor: c.Actor.Name, Kind: "comment", Words: c.Text, Comment: c.ID,
			Edited: c.Edited, Mine: any || c.Actor.Same(me)}
		if c.From != 0 {
			e.Why = fmt.Sprintf("to %s/%d", is.Project, c.From)
		}
		out.History = append(out.History, e)
	}
	slices.SortStableFunc(out.History, func(a, b contract.HistoryEntry) int { return b.At.Compare(a.At) })
	return &body[contract.History]{out}, nil
}
