package ingest

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/usecase/status"
)

// give assigns issues by the assign rules, once they have enough events or users.
func (w *batchTx) give(ctx context.Context) error {
	chosen := map[int64]*row{} // the youngest event of each issue says which rule
	for _, r := range w.rows {
		if r.Assign != nil {
			chosen[r.issue.id] = r
		}
	}
	for _, id := range slices.Sorted(maps.Keys(chosen)) {
		if err := w.giveOne(ctx, w.issues[id], chosen[id]); err != nil {
			return err
		}
	}
	return nil
}

func (w *batchTx) giveOne(ctx context.Context, is *issueRow, r *row) error {
	rule := r.Assign
	if is.status.Owner != "" || !is.status.State.Open() || is.windowUsers < rule.Users ||
		is.windowEvents < rule.Events {
		return nil
	}
	reached, err := w.reached(ctx, is, rule)
	if err != nil || reached == "" {
		return err
	}
	// A person who had it, or took it from another, has decided.
	var byHand bool
	if err := w.tx.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM history WHERE issue=? AND kind='assign' AND undone=0) OR EXISTS (SELECT 1 FROM history WHERE issue=? AND kind='given' AND undone=1)", is.id, is.id).Scan(&byHand); err != nil || byHand {
		return err
	}
	to, err := w.s.accounts.FindHereIn(ctx, w.tx, rule.To)
	if f, ok := errors.AsType[*problem.Error](err); ok {
		w.countTrouble(&pipeline.Item{Received: r.Received, Event: r.Event, Release: r.Release,
			Trouble: []rules.Trouble{{Section: "assign", Rule: rule.Name, Why: f.Pub}}})
		return nil
	}
	if err != nil {
		return err
	}
	before := is.status
	next, e := issue.Give(before.Status, to.Name, fmt.Sprintf("the rule %q: %s", rule.Name, reached))
	if e == nil {
		return nil
	}
	is.status.Status, is.status.OwnerID = next, to.ID
	return w.s.status.Change(ctx, w.tx, status.Change{
		Project: w.Project.ID, Issue: is.id, Before: before, After: &is.status,
		Entry: status.HistoryLine{Entry: *e, Who: accounts.Service, Before: &before},
	})
}

// reached says what of a rule's thresholds is reached, "" while they are not.
func (w *batchTx) reached(ctx context.Context, is *issueRow, rule *rules.AssignRule) (string, error) {
	users, events := is.windowUsers, is.windowEvents
	if from := db.Day(w.now) - rule.Days + 1; rule.Days < rules.AssignDays && rule.Users+rule.Events > 0 {
		err := w.tx.QueryRowContext(ctx, "SELECT (SELECT COUNT(DISTINCT user) FROM issue_user_day WHERE issue=? AND day>=?), (SELECT COALESCE(SUM(events),0) FROM issue_trend WHERE issue=? AND day>=?)", is.id, from, is.id, from).Scan(&users, &events)
		if err != nil {
			return "", err
		}
	}
	within := fmt.Sprintf(" in %s", text.Counted(int64(rule.Days), "day"))
	switch {
	case users < rule.Users || events < rule.Events:
		return "", nil
	case rule.Users > 0:
		return text.Counted(users, "user") + within, nil
	case rule.Events > 0:
		return text.Counted(events, "event") + within, nil
	}
	return "it is for all of its kind", nil
}
