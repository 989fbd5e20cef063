package inbox

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
)

// FailedEvent is an event that could not be processed.
type FailedEvent struct {
	ID       uuid.UUID // of the row in the queue
	Project  int64
	Received time.Time
	Why      string
	Event    uuid.UUID // zero for a delivery that cannot be read at all
	Packed   []byte    // a batch of this event alone, as in the inbox
}

// failedKept is how long an event that could not be processed is kept.
const failedKept = 30 * 24 * time.Hour

// AddFailed keeps events that failed, with the error of each.
func AddFailed(ctx context.Context, tx *sql.Tx, list []FailedEvent) error {
	rows := make([][]any, len(list))
	for i, a := range list {
		id := uuid.New()
		why := event.TrimText(strings.ToValidUTF8(a.Why, "\uFFFD"),
			8000) // a reason may hold a piece of the event
		rows[i] = []any{id[:], a.Project, db.Micros(a.Received), why, db.NullUUID(a.Event),
			append([]byte{}, a.Packed...)} // never NULL
	}
	return db.InsertRows(ctx, tx, "INSERT INTO failed_event (id, project, received, error, event, body)", "", rows)
}

// FailedEvents lists events that could not be processed, newest first; project 0 is all.
func (s *Store) FailedEvents(ctx context.Context, project int64, limit int) ([]FailedEvent, error) {
	var out []FailedEvent
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var a FailedEvent
		var id, eventID []byte
		var received int64
		if err := r.Scan(&id, &a.Project, &received, &a.Why, &eventID, &a.Packed); err != nil {
			return err
		}
		a.ID, a.Received = uuid.UUID(id), db.FromMicros(received)
		if len(eventID) == 16 {
			a.Event = uuid.UUID(eventID)
		}
		out = append(out, a)
		return nil
	}, "SELECT id, project, received, error, event, body FROM failed_event WHERE ?=0 OR project=? ORDER BY received DESC LIMIT ?", project, project, limit)
	return out, err
}

// Retry puts an event that failed back into the inbox.
func (s *Store) Retry(ctx context.Context, id uuid.UUID) (project int64, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		var received int64
		var body []byte
		err := tx.QueryRowContext(ctx, "SELECT project, received, body FROM failed_event WHERE id=? FOR UPDATE", id[:]).Scan(&project, &received, &body)
		if errors.Is(err, sql.ErrNoRows) {
			return problem.New(problem.NotFound, "no failed event has the id %s; firethorn queue lists them", id)
		}
		if err != nil {
			return err
		}
		events := 0
		if list, err := pipeline.Unpack(body, db.FromMicros(received)); err == nil {
			for _, b := range list {
				events += len(b.Events)
			}
		}
		row := uuid.Must(uuid.NewV7())
		if _, err := tx.ExecContext(ctx, appendSQL+"(?,?,?,?,?,?)", ShardOf(project), project, row[:], received, events,
			body); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "DELETE FROM failed_event WHERE id=?", id[:])
		return err
	})
	return project, err
}

// Discard deletes a failed event, and counts it.
func (s *Store) Discard(ctx context.Context, id uuid.UUID) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error { return s.DropFailed(ctx, tx, id, CauseDiscarded) })
}

// DropFailed deletes a failed event and counts it under the cause.
func (s *Store) DropFailed(ctx context.Context, tx *sql.Tx, id uuid.UUID, cause string) error {
	var project int64
	err := tx.QueryRowContext(ctx, "SELECT project FROM failed_event WHERE id=? FOR UPDATE", id[:]).Scan(&project)
	if errors.Is(err, sql.ErrNoRows) {
		return problem.New(problem.NotFound, "no failed event has the id %s; firethorn queue lists them", id)
	}
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM failed_event WHERE id=?", id[:]); err != nil {
		return err
	}
	var t Tally
	t.Add(s.db.Now(), cause, "", 1)
	return s.WriteTally(ctx, tx, project, &t)
}

// ExpireFailed deletes events that failed too long ago.
func (s *Store) ExpireFailed(ctx context.Context) error {
	var ids [][]byte
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id []byte
		err := r.Scan(&id)
		ids = append(ids, id)
		return err
	}, "SELECT id FROM failed_event WHERE received<? LIMIT 1000", db.Micros(s.db.Now().Add(-failedKept)))
	if err != nil {
		return err
	}
	for _, id := range ids {
		err := s.db.InTx(ctx, func(tx *sql.Tx) error { return s.DropFailed(ctx, tx, uuid.UUID(id), CauseExpired) })
		if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
			continue // another process was faster
		}
		if err != nil {
			return err
		}
	}
	return nil
}
