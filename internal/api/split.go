package api

import (
	"context"
	"fmt"
	"time"

	"firethorn/internal/contract"
	"firethorn/internal/core/difference"
	"firethorn/internal/core/shell"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// waitForSplit is how long an answer waits for the kept events to be looked through.
const waitForSplit = 3 * time.Second

// SplitIn asks for a part of an issue.
type SplitIn struct {
	IssuePath
	Body contract.SplitBy
}

func (a *API) splits(t *table) {
	onIssue(t, "issue-differences", a.differences)
	onProject(t, "split-issue", a.split)
}

// differences compares kept events of an issue.
func (a *API) differences(ctx context.Context, p *projects.Project, is *issues.Issue,
	in *IssuePath) (*body[contract.Differences], error) {
	sample := difference.NewSample()
	err := a.store.Moves.KeptOf(ctx, p, is.ID, moves.ReaderOf(p.Project, a.units), func(k *moves.Kept) error {
		sample.Add(k.Event, k.Frames, k.Print)
		return nil
	})
	if err != nil {
		return nil, err
	}
	id := fmt.Sprintf("%s/%d", p.Name, is.Number)
	out := contract.Differences{Issue: id, Looked: sample.Events(), Differences: []contract.DifferenceFound{}}
	for _, f := range sample.Differences() {
		out.Differences = append(out.Differences, contract.DifferenceFound{
			SplitBy: contract.SplitBy{By: string(f.Kind), Name: f.Name, Value: f.Value},
			Words:   f.Words(), Events: f.Events, Whole: f.Settled, Command: splitCommand(id, f.Difference),
		})
	}
	return &body[contract.Differences]{out}, nil
}

// splitCommand is the client's command for a split, ready for a shell.
func splitCommand(id string, d difference.Difference) string {
	value := d.Value
	if d.Kind == difference.Attribute {
		value = d.Name + "=" + value
	}
	return "firethorn issue split " + id + " " + shell.Option("--"+string(d.Kind), value)
}

func (a *API) split(ctx context.Context, p *projects.Project, in *SplitIn) (*body[contract.IssueDetail], error) {
	d, err := difference.New(difference.Kind(in.Body.By), in.Body.Name, in.Body.Value)
	if err != nil {
		return nil, err
	}
	read := moves.ReaderOf(p.Project, a.units)
	number, err := a.store.Moves.Split(ctx, p, in.Number, d, read, actor(ctx))
	if err != nil {
		return nil, err
	}
	if err := a.store.Moves.Arrive(ctx, p.ID, read, waitForSplit); err != nil {
		return nil, err
	}
	is, err := a.store.Issues.Issue(ctx, p, number)
	if err != nil {
		return nil, err
	}
	return a.detail(ctx, is)
}

func (a *API) splitsOf(ctx context.Context, is *issues.Issue) ([]contract.SplitOf, error) {
	list, err := a.store.Moves.Splits(ctx, is.ID)
	out := make([]contract.SplitOf, len(list))
	for i, s := range list {
		out[i] = contract.SplitOf{From: fmt.Sprintf("%s/%d", is.Project, s.From),
			To: fmt.Sprintf("%s/%d", is.Project, s.To), Words: s.Words(), Looking: s.Looking, Looked: s.Looked,
			Stays: s.Stays}
	}
	return out, err
}
