package alerts

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/store/sight"
)

// Pause is a rule that is paused until a time.
type Pause struct {
	Project, Rule, By string
	Until, At         time.Time
}

// SetPause pauses a rule.
func SetPause(ctx context.Context, tx *sql.Tx, project int64, p Pause) error {
	_, err := tx.ExecContext(
		ctx,
		"REPLACE INTO alert_pause (project, rule, until, at, actor) VALUES (?,?,?,?,?)",
		project,
		p.Rule,
		db.Micros(p.Until),
		db.Micros(p.At),
		p.By,
	)
	return err
}

// Resume ends a pause; was says that there was one.
func Resume(ctx context.Context, tx *sql.Tx, project int64, rule string) (was bool, err error) {
	res, err := tx.ExecContext(ctx, "DELETE FROM alert_pause WHERE project=? AND rule=?", project, rule)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// Pauses are the rules paused now, in the projects that a person sees.
func Pauses(ctx context.Context, q db.Querier, seen sight.Sight, now time.Time) (list []Pause, err error) {
	where, args := seen.Where("a.project")
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		var p Pause
		var until, at int64
		err := r.Scan(&p.Project, &p.Rule, &until, &at, &p.By)
		p.Until, p.At = db.FromMicros(until), db.FromMicros(at)
		list = append(list, p)
		return err
	}, "SELECT p.name, a.rule, a.until, a.at, a.actor FROM alert_pause a JOIN project p ON p.id=a.project WHERE a.until>? AND "+
		where+" ORDER BY p.name, a.rule", append([]any{db.Micros(now)}, args...)...)
}

// PausedUntil says until when a rule is paused; zero: it is not.
func PausedUntil(ctx context.Context, q db.Querier, project int64, rule string) (time.Time, error) {
	var until int64
	err := q.QueryRowContext(ctx, "SELECT until FROM alert_pause WHERE project=? AND rule=?", project, rule).Scan(
		&until,
	)
	if errors.Is(err, sql.ErrNoRows) {
		return time.Time{}, nil
	}
	return db.FromMicros(until), err
}

// Once notes what time caused; first says that it was not noted before.
func Once(ctx context.Context, tx *sql.Tx, project int64, what, scope string, at time.Time) (first bool, err error) {
	res, err := tx.ExecContext(
		ctx,
		"INSERT IGNORE INTO alert_window (project, what, scope, at) VALUES (?,?,?,?)",
		project,
		what,
		scope,
		db.Micros(at),
	)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}
