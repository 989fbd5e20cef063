// Package deliveries keeps deliveries: those that wait, their attempts, and the answers.
package deliveries

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"maps"
	"strings"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// State says where a delivery is.
type State string

// The states.
const (
	Waiting    State = "waiting"    // for its first try, or the next
	Sent       State = "sent"       // the receiver took it
	Failed     State = "failed"     // no later try would succeed, or a day of tries failed
	Held       State = "held"       // to be sent with others as one message
	Summarised State = "summarised" // another delivery says it
	Cancelled  State = "cancelled"  // its destination was removed
)

// States lists all states.
var States = []State{Waiting, Sent, Failed, Held, Summarised, Cancelled}

// Delivery is one message to one destination, and of mail to one person.
type Delivery struct {
	ID                                   uuid.UUID
	N                                    int64 // for lists
	Project, Position, Occurrence, Issue int64
	Destination, Person                  int64  // person 0: none
	What                                 string // the trigger; of a threshold with the rule
	Episode                              int64
	Rule, Type, Subject                  string
	Message                              string // JSON of what it says
	Body                                 []byte // as it was sent first; nil: not yet rendered
	State                                State
	Created, Due, Expires                time.Time
	Attempts                             int
	Sent                                 time.Time
}

// Of makes a delivery of a message, to be sent now; who gets it is set by the caller.
func Of(m alert.Message, now time.Time) (*Delivery, error) {
	raw, err := json.Marshal(m)
	if err != nil {
		return nil, err
	}
	return &Delivery{What: m.Trigger, Type: alert.Type(m.Trigger), Subject: m.Subject(), Message: string(raw),
		State: Waiting, Created: now, Due: now, Expires: now.Add(alert.GiveUpAfter)}, nil
}

// Add writes a delivery; made is false where the same was written before.
func Add(ctx context.Context, tx *sql.Tx, d *Delivery) (made bool, err error) {
	if d.ID == uuid.Nil {
		if d.ID, err = uuid.NewV7(); err != nil {
			return false, err
		}
	}
	res, err := tx.ExecContext(
		ctx,
		"INSERT INTO delivery (id, project, position, occurrence, issue, destination, person, what, episode, rule, type, subject, message, state, created, due, expires)"+
			" VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?) ON DUPLICATE KEY UPDATE id=id",
		d.ID[:],
		d.Project,
		d.Position,
		d.Occurrence,
		d.Issue,
		d.Destination,
		d.Person,
		d.What,
		d.Episode,
		d.Rule,
		d.Type,
		event.TrimText(d.Subject, 290),
		d.Message,
		string(d.State),
		db.Micros(d.Created),
		db.Micros(d.Due),
		db.Micros(d.Expires),
	)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n == 1, err
}

const columns = "d.id, d.n, d.project, d.position, d.occurrence, d.issue, d.destination, d.person, d.what, d.episode, d.rule, d.type, d.subject, d.message, d.body, d.state, d.created, d.due, d.expires, d.attempts, d.sent"

func scan(r *sql.Rows) (*Delivery, error) {
	return scanWith(r, nil)
}

func scanWith(r *sql.Rows, more db.Into) (*Delivery, error) {
	var d Delivery
	var id []byte
	var created, due, expires int64
	var sent sql.NullInt64
	into := db.Into{
		"id":          &id,
		"n":           &d.N,
		"project":     &d.Project,
		"position":    &d.Position,
		"occurrence":  &d.Occurrence,
		"issue":       &d.Issue,
		"destination": &d.Destination,
		"person":      &d.Person,
		"what":        &d.What,
		"episode":     &d.Episode,
		"rule":        &d.Rule,
		"type":        &d.Type,
		"subject":     &d.Subject,
		"message":     &d.Message,
		"body":        &d.Body,
		"state":       &d.State,
		"created":     &created,
		"due":         &due,
		"expires":     &expires,
		"attempts":    &d.Attempts,
		"sent":        &sent,
	}
	maps.Copy(into, more)
	err := db.ScanNames(r, into)
	copy(d.ID[:], id)
	d.Created, d.Due, d.Expires = db.FromMicros(created), db.FromMicros(due), db.FromMicros(expires)
	if sent.Valid {
		d.Sent = db.FromMicros(sent.Int64)
	}
	return &d, err
}

func each(ctx context.Context, q db.Querier, query string, args ...any) (list []*Delivery, err error) {
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		d, err := scan(r)
		list = append(list, d)
		return err
	}, query, args...)
}

// Due lists what waits for a destination and is due: of each issue, and each person, the
// first alone, so that messages about an issue arrive in their order.
func Due(ctx context.Context, q db.Querier, destination int64, now time.Time, limit int) ([]*Delivery, error) {
	return each(
		ctx,
		q,
		"SELECT "+columns+" FROM delivery d FORCE INDEX (waiting) WHERE d.state='waiting' AND d.destination=? AND d.due<=?"+
			" AND NOT EXISTS (SELECT 1 FROM delivery e WHERE e.issue=d.issue AND d.issue<>0 AND e.state='waiting' AND e.destination=d.destination AND e.person=d.person AND (e.project, e.position, e.n)<(d.project, d.position, d.n))"+
			" ORDER BY d.project, d.position, d.n LIMIT ?",
		destination,
		db.Micros(now),
		limit,
	)
}

// Destinations lists the destinations with something due, or held until now.
func Destinations(ctx context.Context, q db.Querier, state State, now time.Time) ([]int64, error) {
	return db.Numbers(
		ctx,
		q,
		"SELECT DISTINCT destination FROM delivery FORCE INDEX (waiting) WHERE state=? AND due<=?",
		string(state),
		db.Micros(now),
	)
}

// HeldDue lists the messages held for a destination until now, in order.
func HeldDue(ctx context.Context, tx *sql.Tx, destination int64, now time.Time, limit int) ([]*Delivery, error) {
	return each(
		ctx,
		tx,
		"SELECT "+columns+" FROM delivery d FORCE INDEX (waiting) WHERE d.state='held' AND d.destination=? AND d.due<=? ORDER BY d.n LIMIT ? FOR UPDATE",
		destination,
		db.Micros(now),
		limit,
	)
}

// AllWaiting lists what waits for a destination, in its order.
func AllWaiting(ctx context.Context, tx *sql.Tx, destination int64, limit int) ([]*Delivery, error) {
	return each(
		ctx,
		tx,
		"SELECT "+columns+" FROM delivery d FORCE INDEX (waiting) WHERE d.state='waiting' AND d.destination=? ORDER BY d.n LIMIT ? FOR UPDATE",
		destination,
		limit,
	)
}

// SetState moves deliveries to a state.
func SetState(ctx context.Context, q db.Querier, state State, ids ...uuid.UUID) error {
	if len(ids) == 0 {
		return nil
	}
	args := []any{string(state)}
	for _, id := range ids {
		args = append(args, id[:])
	}
	_, err := q.ExecContext(ctx, "UPDATE delivery SET state=? WHERE id IN ("+db.Marks(len(ids))+")", args...)
	return err
}

// SetBody stores a message before its first attempt: later attempts send the same bytes.
func SetBody(ctx context.Context, q db.Querier, id uuid.UUID, body []byte) error {
	_, err := q.ExecContext(ctx, "UPDATE delivery SET body=? WHERE id=? AND body IS NULL", body, id[:])
	return err
}

// Attempt is one try.
type Attempt struct {
	At            time.Time
	Took          time.Duration
	Status        int    // of HTTP or SMTP; 0: there was no answer
	Answer, Error string // the first 500 bytes; why it failed
}

// Tried notes a try and what becomes of the delivery.
func Tried(ctx context.Context, tx *sql.Tx, d *Delivery, a Attempt) error {
	if _, err := tx.ExecContext(
		ctx,
		"INSERT IGNORE INTO delivery_attempt (delivery, attempt, at, took, status, answer, error) VALUES (?,?,?,?,?,?,?)",
		d.ID[:],
		d.Attempts,
		db.Micros(a.At),
		a.Took.Milliseconds(),
		a.Status,
		event.TrimText(strings.ToValidUTF8(a.Answer, "\uFFFD"), 500),
		event.TrimText(strings.ToValidUTF8(a.Error, "\uFFFD"), 500),
	); err != nil {
		return err
	}
	var sent any
	if !d.Sent.IsZero() {
		sent = db.Micros(d.Sent)
	}
	_, err := tx.ExecContext(
		ctx,
		"UPDATE delivery SET state=?, attempts=?, due=?, expires=?, sent=? WHERE id=?",
		string(d.State),
		d.Attempts,
		db.Micros(d.Due),
		db.Micros(d.Expires),
		sent,
		d.ID[:],
	)
	return err
}

// Attempts lists the tries of a delivery, the oldest first.
func Attempts(ctx context.Context, q db.Querier, id uuid.UUID) (list []Attempt, err error) {
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		var a Attempt
		var at, took int64
		err := r.Scan(&at, &took, &a.Status, &a.Answer, &a.Error)
		a.At, a.Took = db.FromMicros(at), time.Duration(took)*time.Millisecond
		list = append(list, a)
		return err
	}, "SELECT at, took, status, answer, error FROM delivery_attempt WHERE delivery=? ORDER BY attempt", id[:])
}

// SentLately lists when a rule sent messages to a destination since a time, and until when
// others of it are held.
func SentLately(ctx context.Context, q db.Querier, destination, person int64, rule string,
	since time.Time) (sent []time.Time,
	held time.Time, err error) {
	return sent, held, db.Each(ctx, q, func(r *sql.Rows) error {
		var created, due int64
		var state State
		err := r.Scan(&created, &due, &state)
		switch {
		case state == Held && db.FromMicros(due).After(held):
			held = db.FromMicros(due)
		case state != Held && state != Summarised:
			sent = append(sent, db.FromMicros(created))
		}
		return err
	}, "SELECT created, due, state FROM delivery FORCE INDEX (lately) WHERE destination=? AND rule=? AND created>=? AND person=?",
		destination, rule, db.Micros(since), person)
}

// Making says whether a ticket for an issue is on its way to a tracker.
func Making(ctx context.Context, q db.Querier, destination, issue int64) (making bool, err error) {
	err = q.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM delivery WHERE issue=? AND destination=? AND state IN ('waiting','held') AND what NOT LIKE 'ticket:%')",
		issue, destination).Scan(&making)
	return making, err
}

// ByID is a delivery.
func ByID(ctx context.Context, q db.Querier, id uuid.UUID) (*Delivery, error) {
	d, err := db.First(ctx, q, scan, "SELECT "+columns+" FROM delivery d WHERE d.id=?", id[:])
	if errors.Is(err, sql.ErrNoRows) {
		return nil, absent(id)
	}
	return d, err
}

func absent(id uuid.UUID) error {
	return problem.New(problem.NotFound, "there is no delivery %s; they are kept for 90 days", id)
}

// Postpone lets a delivery wait until a time, and be tried until another one.
func Postpone(ctx context.Context, tx *sql.Tx, id uuid.UUID, due, expires time.Time) error {
	_, err := tx.ExecContext(ctx, "UPDATE delivery SET state='waiting', due=?, expires=? WHERE id=?", db.Micros(due),
		db.Micros(expires), id[:])
	return err
}

// ForgetEvents removes the contents of events from the messages about an issue: an erased user may
// be in them.
func ForgetEvents(ctx context.Context, tx *sql.Tx, issue int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE delivery SET message=JSON_REMOVE(message,'$.Event'), body=NULL WHERE issue=?", issue)
	return err
}
