package ingest

import (
	"context"
	"sync"

	"firethorn/internal/core/rules"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/firing"
)

// occasion is what an event of the batch makes of its issue.
type occasion struct {
	row        *row
	what, text string
}

// alert asks the alert rules about the batch.
func (w *batchTx) alert(ctx context.Context) error {
	b := firing.Batch{Tx: w.tx, Project: w.Project, Now: w.now, Newest: w.inputs.Newest,
		Releases: func(ctx context.Context) (releases.ReleaseFacts, error) {
			return w.s.releases.Facts(ctx, w.tx, w.Project.ID)
		},
		Trouble: func(it *pipeline.Item, _ []rules.Trouble) { w.countTrouble(it) },
	}
	rows := make(map[*row]firing.Row, len(w.rows))
	for _, r := range w.rows {
		rows[r] = firing.Row{Item: r.Item, IssueID: r.issue.id, Position: r.position, Variant: r.variant.ID,
			Release: r.Release, Issue: w.issueSeen(r)}
		b.Rows = append(b.Rows, rows[r])
	}
	for _, o := range w.occasions {
		b.Occasions = append(b.Occasions, firing.Occasion{Row: rows[o.row], What: o.what, Text: o.text})
	}
	return b.Fire(ctx)
}

// issueSeen is an event's issue as rules see it, found out when one asks.
func (w *batchTx) issueSeen(r *row) func(context.Context) firing.Issue {
	var once sync.Once
	var out firing.Issue
	return func(ctx context.Context) firing.Issue {
		once.Do(func() {
			is := r.issue
			out = firing.Issue{ID: is.id, Headline: is.Headline, Place: is.Place, IssueFacts: rules.IssueFacts{
				State: string(is.status.State), Owner: is.status.Owner, Users: is.users, Events: is.events,
				Impact: float64(w.inputs.Score(is.scored(), w.now).Tenths()) / 10}}
			switch is.firstRelease {
			case 0:
			case r.release:
				out.FirstRelease = r.Release
			default:
				// Without the name nothing can be asked of it; an error comes again at the commit.
				_ = w.tx.QueryRowContext(ctx, "SELECT name FROM app_release WHERE id=?", is.firstRelease).
					Scan(&out.FirstRelease)
			}
		})
		return out
	}
}
