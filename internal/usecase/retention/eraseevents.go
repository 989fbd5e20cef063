package retention

import (
	"context"
	"database/sql"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// events takes bodies away and gives rows the replacement.
func (e *eraser) events(ctx context.Context) error {
	for n := eraseChunk; n == eraseChunk; {
		err := e.s.db.InTxOf(ctx, e.s.db.Slow, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, e.p.ID); err != nil {
				return err
			}
			var err error
			n, err = e.eventChunk(ctx, tx)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// eventChunk does some events, found by their user: an issue may have millions. The project's lock
// is held.
func (e *eraser) eventChunk(ctx context.Context, tx *sql.Tx) (n int, err error) {
	type found struct {
		events.Key
		variant int64
	}
	var list []found
	var keys []events.Key
	bodies := map[int64]int64{} // by variant
	err = db.Each(ctx, tx, func(r *sql.Rows) error {
		var f found
		var body int64
		err := r.Scan(&f.Position, &f.KeepDay, &f.variant, &body)
		list, keys = append(list, f), append(keys, f.Key)
		bodies[f.variant] += body
		return err
	}, "SELECT filing, keep_day, variant, has_body FROM event FORCE INDEX (of_user) WHERE project=? AND user=? LIMIT ?",
		e.p.ID, e.user, eraseChunk)
	if err != nil {
		return 0, err
	}
	blank := make([]segments.Change, len(list))
	for i, f := range list {
		blank[i] = segments.Change{Position: f.Position, KeepDay: f.KeepDay, Patch: columns.Patch{Blank: true}}
		if _, err := tx.ExecContext(ctx, "DELETE FROM newest_body WHERE variant=? AND filing=?", f.variant,
			f.Position); err != nil {
			return 0, err
		}
	}
	if err := segments.WriteChanges(ctx, tx, e.p.ID, blank); err != nil {
		return 0, err
	}
	for cond, args := range events.ByKeys(e.p.ID, keys) {
		if _, err := tx.ExecContext(ctx, "DELETE e FROM event_body e WHERE "+cond, args...); err != nil {
			return 0, err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE event e SET e.user=?, e.has_body=0 WHERE "+cond,
			append([]any{e.replacement}, args...)...); err != nil {
			return 0, err
		}
	}
	for variant, n := range bodies {
		if err := dropBodies(ctx, tx, variant, n); err != nil {
			return 0, err
		}
	}
	_, err = tx.ExecContext(ctx, "UPDATE erasure SET events=events+? WHERE id=?", len(list), e.id)
	return len(list), err
}

// dropBodies counts bodies of a variant less.
func dropBodies(ctx context.Context, tx *sql.Tx, variant, n int64) error {
	if n == 0 {
		return nil
	}
	var issue int64
	if err := tx.QueryRowContext(ctx, "SELECT issue FROM variant WHERE id=?", variant).Scan(&issue); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE variant SET bodies=bodies-? WHERE id=?", n, variant); err != nil {
		return err
	}
	return issues.DropBodies(ctx, tx, issue, n)
}
