package round

import (
	"context"
	"fmt"
	"net/http"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
)

// step is something that was done about an item, and can be undone.
type step struct {
	at      int // the item's place
	kind    stepKind
	comment int64 // its number
}

type stepKind int

const (
	decided stepKind = iota
	merged
	graded
	commented
	putOff
	seen
)

// undo undoes what was done last, and goes back to it. again: the issue is to
// be shown again.
func (w *walk) undo(ctx context.Context) (again bool, err error) {
	if len(w.steps) == 0 {
		return false, command.Usage("nothing was done in this round yet")
	}
	last := w.steps[len(w.steps)-1]
	id := w.items[last.at].ID
	switch last.kind {
	case commented:
		if _, err := w.cl.Call(ctx, http.MethodDelete, fmt.Sprintf("%s/comments/%d", issueAPI(id), last.comment), nil,
			nil); err != nil {
			return false, err
		}
		fmt.Fprintln(w.out, "  your decision is undone")
	case seen:
		if err := w.pass(ctx, id, true); err != nil {
			return false, err
		}
	case decided, merged, graded:
		version := w.items[last.at].Version
		if last.kind == merged { // which has made another one of it, whatever that is
			version = 0
		}
		var now contract.IssueDetail
		if err := w.cl.Match(ctx, issueAPI(id)+"/undo", version, contract.Act{}, &now); err != nil {
			return false, err
		}
		w.items[last.at].Issue = now.Issue
		delete(w.briefs, id)
		if last.kind == graded {
			fmt.Fprintf(w.out, "  called %s again; impact %.1f\n", now.Severity, now.Impact)
		} else {
			fmt.Fprintf(w.out, "  %s: %s\n", now.ID, show.Plain(now.Status))
		}
	}
	w.steps = w.steps[:len(w.steps)-1]
	w.at = last.at
	return last.kind == decided || last.kind == merged, nil
}
