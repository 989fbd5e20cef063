package segments

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
)

// Gap is positions, both ends belong to it, whose events are not in the index.
type Gap struct {
	First, Last int64
	Until       int64 // microseconds: none of its events was thrown later
	KeepDay     int   // of which alone events are missing; 0: of all
}

// Gaps lists the missing parts of a project's index, the newest first.
func Gaps(ctx context.Context, q db.Querier, project int64) ([]Gap, error) {
	return db.List(ctx, q, func(r *sql.Rows) (g Gap, err error) {
		err = r.Scan(&g.First, &g.Last, &g.Until, &g.KeepDay)
		return g, err
	}, "SELECT first_position, last_position, until_time, keep_day FROM index_gap WHERE project=? ORDER BY first_position DESC", project)
}

// Incomplete lists the projects whose index has gaps.
func Incomplete(ctx context.Context, q db.Querier) ([]int64, error) {
	return db.Numbers(ctx, q, "SELECT DISTINCT project FROM index_gap")
}

// AddGap notes that positions are missing.
func AddGap(ctx context.Context, tx *sql.Tx, project int64, g Gap) error {
	_, err := tx.ExecContext(
		ctx,
		"INSERT INTO index_gap (project, first_position, last_position, until_time, keep_day) VALUES (?,?,?,?,?)"+
			" ON DUPLICATE KEY UPDATE last_position=GREATEST(last_position, VALUES(last_position)), until_time=GREATEST(until_time, VALUES(until_time))",
		project,
		g.First,
		g.Last,
		g.Until,
		g.KeepDay,
	)
	return err
}

// ShrinkGap notes that a gap is filled from its end down to a position, which is
// filled too.
func ShrinkGap(ctx context.Context, tx *sql.Tx, project int64, g Gap, filled, until int64) error {
	if filled <= g.First {
		_, err := tx.ExecContext(
			ctx,
			"DELETE FROM index_gap WHERE project=? AND first_position=? AND keep_day=?",
			project,
			g.First,
			g.KeepDay,
		)
		return err
	}
	_, err := tx.ExecContext(
		ctx,
		"UPDATE index_gap SET last_position=?, until_time=? WHERE project=? AND first_position=? AND keep_day=?",
		filled-1,
		until,
		project,
		g.First,
		g.KeepDay,
	)
	return err
}
