package accounts

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// SessionRow is a browser that a person is signed in with.
type SessionRow struct {
	ID                     int64
	Opened, Used, RunsOut  time.Time
	Address, Agent, Person string
}

// SessionsOf lists the browsers that a person is signed in with, the one used last
// first.
func (s *SessionStore) SessionsOf(ctx context.Context, person int64) ([]SessionRow, error) {
	now := s.db.Now()
	return db.List(ctx, s.db, func(r *sql.Rows) (SessionRow, error) {
		var x SessionRow
		var opened, used, expires int64
		err := r.Scan(&x.ID, &opened, &used, &expires, &x.Address, &x.Agent)
		x.Opened, x.Used = db.FromMicros(opened), db.FromMicros(used)
		if x.RunsOut = x.Used.Add(SessionIdle); x.RunsOut.After(db.FromMicros(expires)) {
			x.RunsOut = db.FromMicros(expires)
		}
		return x, err
	}, "SELECT w.id, w.created, GREATEST(w.used, w.created) AS used, w.expires, w.address, w.agent FROM web_session w WHERE w.person=? AND w.expires>? AND GREATEST(w.used, w.created)>? ORDER BY 3 DESC, 1 DESC",
		person, db.Micros(now), db.Micros(now.Add(-SessionIdle)))
}

// EndSession ends one session of a person.
func (s *SessionStore) EndSession(ctx context.Context, person, id int64) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "DELETE FROM web_session WHERE id=? AND person=?", id, person)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return problem.New(problem.NotFound, "there is no session %d; it may have expired", id)
		}
		return s.recordOf(ctx, tx, person, "session ended")
	})
}

// EndOtherSessions ends all sessions of a person but one, and says how many.
func (s *SessionStore) EndOtherSessions(ctx context.Context, person, but int64) (ended int64, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "DELETE FROM web_session WHERE person=? AND id<>?", person, but)
		if err != nil {
			return err
		}
		if ended, err = res.RowsAffected(); err != nil {
			return err
		}
		return s.recordOf(ctx, tx, person, "other sessions ended")
	})
	return ended, err
}
