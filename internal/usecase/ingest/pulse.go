package ingest

import (
	"context"

	"firethorn/internal/store/issues"
)

// countPulse adds the batch to the slots of the last hours. Moves leave them:
// what was merged into an issue is no surge of it.
func (w *batchTx) countPulse(ctx context.Context, pulse map[Key2]int64) error {
	rows := make([][]any, 0, len(pulse))
	for k, n := range pulse {
		rows = append(rows, []any{w.Project.ID, k.B, k.A, n})
	}
	if len(rows) > 0 {
		if err := w.s.db.ExecPrepared(ctx, w.tx, "INSERT IGNORE INTO pulse_mark (project, slot, filing) VALUES (?,?,?)", []any{w.Project.ID, issues.SlotOf(w.now), w.rows[0].position}); err != nil {
			return err
		}
	}
	return w.upsert(ctx, "INSERT INTO issue_pulse (project, slot, issue, events)",
		" ON DUPLICATE KEY UPDATE events=events+VALUES(events)", rows, 3)
}

// countActive notes who used the application, and on which day last.
func (w *batchTx) countActive(ctx context.Context, active map[int64]int64) error {
	rows := make([][]any, 0, len(active))
	for user, day := range active {
		rows = append(rows, []any{w.Project.ID, user, day})
	}
	return w.upsert(ctx, "INSERT INTO active_user (project, user, last_day)", " ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, VALUES(last_day))", rows, 2)
}
