package status

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/issues"
)

// HistoryLine is an entry of a history with everything stored beside it.
type HistoryLine struct {
	issue.Entry
	Before *issues.StatusRow // what undo restores
	Who    accounts.Actor
	Why    string
	Bulk   int64     // the decision about many that it belongs to, 0: none
	Move   int64     // the move that it belongs to, 0: none
	At     time.Time // zero: now
	Detail any
	Asked  bool // alert rules are asked about it elsewhere, with the event that caused it
}

// Record writes an entry of an issue's history, and a notice to each who should
// are notified of it but did not do it.
func (s *Service) Record(ctx context.Context, tx *sql.Tx, project, id int64, t HistoryLine) error {
	var before, detail, rel any
	if t.Before != nil {
		raw, err := json.Marshal(t.Before)
		if err != nil {
			return err
		}
		before = string(raw)
	}
	if t.Detail != nil {
		raw, err := json.Marshal(t.Detail)
		if err != nil {
			return err
		}
		detail = string(raw)
	}
	if t.Release != "" {
		var n sql.NullInt64
		if err := tx.QueryRowContext(ctx, "SELECT (SELECT id FROM app_release WHERE project=? AND hash=?)", project, db.Hash16(t.Release)).Scan(&n); err != nil {
			return err
		}
		rel = n
	}
	if t.At.IsZero() {
		t.At = s.db.Now()
	}
	at, text := db.Micros(t.At), event.TrimText(t.Text, 500)
	if _, err := tx.ExecContext(ctx, "INSERT INTO history (issue, at, actor_kind, actor_id, actor, kind, text, status_before, app_release, why, bulk, move, detail) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)",
		id, at, t.Who.Kind, t.Who.ID, t.Who.Name, string(t.Kind), text, before, rel, event.TrimText(t.Why, 500),
		db.NullID(t.Bulk), db.NullID(t.Move), detail); err != nil {
		return err
	}
	if what, ok := becomes[t.Kind]; ok && !t.Asked {
		if err := s.occurred(ctx, tx, project, id, what, t); err != nil {
			return err
		}
	}
	names := slices.Clone(t.Notify)
	if t.Before != nil || len(names) > 0 { // it is news to who watches the issue, too
		watching, err := s.Watching(ctx, tx, id)
		if err != nil {
			return err
		}
		names = append(names, watching...)
	}
	return Notification{project, id, at, t.Who, string(t.Kind), text}.To(ctx, tx, names)
}

// occurred writes down what alert rules may ask for.
func (s *Service) occurred(ctx context.Context, tx *sql.Tx, project, id int64, what string, t HistoryLine) error {
	now := s.db.Now()
	return alerts.Add(
		ctx,
		tx,
		alerts.Occurrence{Project: project, Issue: id, What: what, At: now, Due: now, Who: t.Who,
			Text: t.Text},
	)
}

// becomes says which entries of a history alert rules may ask for, as became(WHAT).
var becomes = map[issue.Kind]string{issue.CameBack: "regressed", issue.Woken: "woken", issue.Surging: "surging",
	issue.Kind(issue.Fixing): "fixed", "holding": "holding"}

// TakeBack marks an entry of a history as undone.
func TakeBack(ctx context.Context, tx *sql.Tx, entry int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE history SET undone=1 WHERE id=?", entry)
	return err
}

// TakeMoveBack marks what histories say of a move as undone.
func TakeMoveBack(ctx context.Context, tx *sql.Tx, move int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE history SET undone=1 WHERE move=?", move)
	return err
}
