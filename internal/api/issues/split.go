package issues

import (
	"context"
	"fmt"
	"time"

	"firethorn/internal/api/calls"
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
	calls.IssuePath
	Body contract.SplitBy
}

func (a *handlers) splits(t *calls.Table) {
	calls.OnIssue(t, "issue-differences", a.differences)
	calls.OnProject(t, "split-issue", a.split)
}

// differences compares kept events of an issue.
func (a *handlers) differences(ctx context.Context, p *projects.Project, is *issues.Issue,
	in *calls.IssuePath) (*calls.Body[contract.Differences], error) {
	sample := difference.NewSample()
	err := a.Store.Moves.KeptOf(ctx, p, is.ID, moves.ReaderOf(p.Project, a.Units), func(k *moves.Kept) error {
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
			Text:    f.Text(), Events: f.Events, Whole: f.Settled, Command: splitCommand(id, f.Difference),
		})
	}
	return calls.Answer(out), nil
}

// splitCommand is the client's command for a split, ready for a shell.
func splitCommand(id string, d difference.Difference) string {
	value := d.Value
	if d.Kind == difference.Attribute {
		value = d.Name + "=" + value
	}
	return "firethorn issue split " + id + " " + shell.Option("--"+string(d.Kind), value)
}

func (a *handlers) split(ctx context.Context, p *projects.Project, in *SplitIn) (*calls.Body[contract.IssueDetail],
	error) {
	d, err := difference.New(difference.Kind(in.Body.By), in.Body.Name, in.Body.Value)
	if err != nil {
		return nil, err
	}
	read := moves.ReaderOf(p.Project, a.Units)
	number, err := a.Store.Moves.Split(ctx, p, in.Number, d, read, calls.Actor(ctx))
	if err != nil {
		return nil, err
	}
	if err := a.Store.Moves.Arrive(ctx, p.ID, read, waitForSplit); err != nil {
		return nil, err
	}
	is, err := a.Store.Issues.Issue(ctx, p, number)
	if err != nil {
		return nil, err
	}
	return a.detail(ctx, is)
}

func (a *handlers) splitsOf(ctx context.Context, is *issues.Issue) ([]contract.SplitOf, error) {
	list, err := a.Store.Moves.Splits(ctx, is.ID)
	out := make([]contract.SplitOf, len(list))
	for i, s := range list {
		out[i] = contract.SplitOf{From: fmt.Sprintf("%s/%d", is.Project, s.From),
			To: fmt.Sprintf("%s/%d", is.Project, s.To), Text: s.Text(), Looking: s.Looking, Looked: s.Looked,
			Stays: s.Stays}
	}
	return out, err
}
