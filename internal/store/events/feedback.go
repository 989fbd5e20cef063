package events

import (
	"context"
	"database/sql"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
)

// FeedbackRow is a feedback message.
type FeedbackRow struct {
	ID, Event            uuid.UUID // Event: uuid.Nil where it is about nothing in particular
	Issue                int64     // number; 0: its event is not processed
	At, Received         time.Time
	Text                 string
	Cut                  bool
	Name, Email          string
	Release, Environment string
	position             int64
}

// FeedbackQuery asks for feedback, newest first.
type FeedbackQuery struct {
	Project int64
	Issue   int64     // internal id; 0: all of the project
	Event   uuid.UUID // uuid.Nil: any
	User    *int64    // nil: any
	Before  int64     // to go on from; 0: from the newest
	Limit   int
}

// FeedbackList lists feedback; next is 0 on the last page.
func (s *Store) FeedbackList(ctx context.Context, q FeedbackQuery) (list []FeedbackRow, next int64, err error) {
	where, args := "f.project=?", []any{q.Project}
	from := "feedback f"
	switch {
	case q.Issue != 0:
		from, where, args = "variant iv JOIN feedback f ON f.variant=iv.id", "iv.issue=?", []any{q.Issue}
	case q.User != nil:
		where, args = where+" AND f.user=?", append(args, *q.User)
	case q.Event != uuid.Nil:
		where, args = where+" AND f.event=?", append(args, q.Event[:])
	}
	if q.Before != 0 {
		where, args = where+" AND f.id<?", append(args, q.Before)
	}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var f FeedbackRow
		var id, event []byte
		var said, received int64
		err := db.ScanNames(r,
			db.Into{"id": &f.position, "uuid": &id, "event": &event, "number": &f.Issue, "written": &said,
				"received": &received, "text": &f.Text, "cut": &f.Cut, "name": &f.Name, "email": &f.Email,
				"release_name": &f.Release, "environment_name": &f.Environment})
		if err != nil {
			return err
		}
		f.ID, f.At, f.Received = uuid.UUID(id), db.FromMicros(said), db.FromMicros(received)
		if len(event) == 16 {
			f.Event = uuid.UUID(event)
		}
		list = append(list, f)
		return nil
	}, "SELECT f.id, f.uuid, f.event, COALESCE(i.number,0) AS number, f.written, f.received, f.text, f.cut, f.name, f.email, COALESCE(r.name,'') AS release_name, n.name AS environment_name FROM "+from+
		" LEFT JOIN variant v ON v.id=f.variant LEFT JOIN issue i ON i.id=v.issue LEFT JOIN app_release r ON r.id=f.app_release JOIN environment n ON n.id=f.environment WHERE "+where+" ORDER BY f.id DESC LIMIT ?", append(args, q.Limit+1)...)
	if len(list) > q.Limit {
		list = list[:q.Limit]
		next = list[q.Limit-1].position
	}
	return list, next, err
}

// FeedbackCount is how many feedback messages an issue has.
func (s *Store) FeedbackCount(ctx context.Context, issue int64) (n int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM variant v JOIN feedback f ON f.variant=v.id WHERE v.issue=?", issue).Scan(&n)
	return n, err
}
