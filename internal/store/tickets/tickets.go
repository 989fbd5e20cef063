// Package tickets keeps tickets of trackers: the state on both sides, their issues, and what was
// already read from the tracker.
//
// The issue of a tie is the one that it was made for; where that was merged into another, the
// ticket is tied to the other one.
package tickets

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/ticket"
	"firethorn/internal/db"
)

// Ticket is a ticket as it is known here.
type Ticket struct {
	ID, Destination int64
	ticket.Ticket
	ticket.Sides
	Change  int64     // of the messages that close and reopen it
	Refused time.Time // OursAt of the change that the tracker refused; zero: none
	Gone    bool      // the tracker does not show it any more
	Trouble string    // what is wrong with it, in words
	Read    time.Time // when it was read last
	Due     time.Time // when it is read next
}

const columns = "t.id, t.destination, t.ticket_key, t.link, t.word, t.revision, t.fixed_in, t.ours, t.theirs, t.agreed, t.ours_at, t.theirs_at, t.agreed_at, t.turn, t.refused, t.gone, t.trouble, t.read_at, t.read_due"

func scan(r *sql.Rows) (*Ticket, error) { return scanWith(r, nil) }

func scanWith(r *sql.Rows, more db.Into) (*Ticket, error) {
	var t Ticket
	var refused int64
	times := map[string]*time.Time{"ours_at": &t.OursAt, "theirs_at": &t.TheirsAt, "agreed_at": &t.AgreedAt,
		"read_at": &t.Read, "read_due": &t.Due}
	at := map[string]*int64{}
	into := db.Into{
		"id":          &t.ID,
		"destination": &t.Destination,
		"ticket_key":  &t.Key,
		"link":        &t.Link,
		"word":        &t.StateName,
		"revision":    &t.Revision,
		"fixed_in":    &t.FixedIn,
		"ours":        &t.Ours,
		"theirs":      &t.Theirs,
		"agreed":      &t.Agreed,
		"turn":        &t.Change,
		"refused":     &refused,
		"gone":        &t.Gone,
		"trouble":     &t.Trouble,
	}
	for name := range times {
		at[name] = new(int64)
		into[name] = at[name]
	}
	maps.Copy(into, more)
	err := db.ScanNames(r, into)
	for name, to := range times {
		*to = db.FromMicros(*at[name])
	}
	if refused != 0 {
		t.Refused = db.FromMicros(refused)
	}
	t.State = t.Theirs
	return &t, err
}

func list(ctx context.Context, q db.Querier, tail string, args ...any) (out []*Ticket, err error) {
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		t, err := scan(r)
		out = append(out, t)
		return err
	}, "SELECT "+columns+" FROM ticket t "+tail, args...)
}

// Add writes a ticket that was made or found in the tracker, or finds the one that has its
// key: known says that there was one. It sets the ticket's id.
func Add(ctx context.Context, tx *sql.Tx, t *Ticket) (known bool, err error) {
	res, err := tx.ExecContext(
		ctx,
		"INSERT INTO ticket (destination, ticket_key, link, word, revision, fixed_in, ours, theirs, agreed, ours_at, theirs_at, agreed_at, read_at, read_due)"+
			" VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?) ON DUPLICATE KEY UPDATE id=LAST_INSERT_ID(id), gone=0, trouble=''",
		t.Destination,
		t.Key,
		t.Link,
		cut(t.StateName, 100),
		cut(t.Revision, 200),
		cut(t.FixedIn, 250),
		string(t.Ours),
		string(t.Theirs),
		string(t.Agreed),
		db.Micros(t.OursAt),
		db.Micros(t.TheirsAt),
		db.Micros(t.AgreedAt),
		db.Micros(t.Read),
		db.Micros(t.Due),
	)
	if err != nil {
		return false, err
	}
	if t.ID, err = res.LastInsertId(); err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n != 1, err
}

// cut makes a text fit a column of so many characters.
func cut(s string, limit int) string { return event.TrimText(s, limit) }

// Save writes a ticket. dirty says that it needs a message.
func Save(ctx context.Context, tx *sql.Tx, t *Ticket, dirty bool) error {
	refused := int64(0)
	if !t.Refused.IsZero() {
		refused = db.Micros(t.Refused)
	}
	_, err := tx.ExecContext(
		ctx,
		"UPDATE ticket SET link=?, word=?, revision=?, fixed_in=?, ours=?, theirs=?, agreed=?, ours_at=?, theirs_at=?, agreed_at=?, turn=?, dirty=?, refused=?, gone=?, trouble=?, read_at=?, read_due=? WHERE id=?",
		t.Link,
		cut(t.StateName, 100),
		cut(t.Revision, 200),
		cut(t.FixedIn, 250),
		string(t.Ours),
		string(t.Theirs),
		string(t.Agreed),
		db.Micros(t.OursAt),
		db.Micros(t.TheirsAt),
		db.Micros(t.AgreedAt),
		t.Change,
		dirty,
		refused,
		t.Gone,
		cut(t.Trouble, 490),
		db.Micros(t.Read),
		db.Micros(t.Due),
		t.ID,
	)
	return err
}

// Rekey gives a ticket the key under which its tracker knows it now; done is false where
// another ticket has it.
func Rekey(ctx context.Context, tx *sql.Tx, id int64, key string) (done bool, err error) {
	_, err = tx.ExecContext(ctx, "UPDATE ticket SET ticket_key=? WHERE id=?", key, id)
	if db.Duplicate(err) {
		return false, nil
	}
	return err == nil, err
}

// Lock reads a ticket and locks it; nil when there is none.
func Lock(ctx context.Context, tx *sql.Tx, id int64) (*Ticket, error) {
	t, err := db.First(ctx, tx, scan, "SELECT "+columns+" FROM ticket t WHERE t.id=? FOR UPDATE", id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return t, err
}

// ofIssue are the tickets of an issue and of those that were merged into it.
const ofIssue = "JOIN (SELECT x.ticket FROM ticket_issue x WHERE x.issue=?" +
	" UNION SELECT x.ticket FROM issue m JOIN ticket_issue x ON x.issue=m.id WHERE m.merged_into=?) y ON y.ticket=t.id"

// OfIssue lists the tickets of an issue, in the order in which they were made.
func OfIssue(ctx context.Context, q db.Querier, issue int64) ([]*Ticket, error) {
	return list(ctx, q, ofIssue+" ORDER BY t.id", issue, issue)
}

// LockOfIssue is OfIssue that locks them.
func LockOfIssue(ctx context.Context, tx *sql.Tx, issue int64) ([]*Ticket, error) {
	all, err := list(ctx, tx, ofIssue+" ORDER BY t.id", issue, issue)
	for i := range all {
		if err == nil {
			all[i], err = Lock(ctx, tx, all[i].ID)
		}
	}
	return all, err
}

// Tie ties a ticket to an issue; was says that it was tied already.
func Tie(ctx context.Context, tx *sql.Tx, id, project, issue int64, at time.Time, who string) (was bool, err error) {
	res, err := tx.ExecContext(
		ctx,
		"INSERT IGNORE INTO ticket_issue (ticket, issue, project, at, actor) VALUES (?,?,?,?,?)",
		id,
		issue,
		project,
		db.Micros(at),
		who,
	)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n == 0, err
}

// Untie unties a ticket from an issue, or from one that was merged into it. A ticket
// without an issue is deleted.
func Untie(ctx context.Context, tx *sql.Tx, id, issue int64) error {
	if _, err := tx.ExecContext(
		ctx,
		"DELETE FROM ticket_issue WHERE ticket=? AND (issue=? OR issue IN (SELECT m.id FROM issue m WHERE m.merged_into=?))",
		id,
		issue,
		issue,
	); err != nil {
		return err
	}
	return drop(ctx, tx, id)
}

// drop deletes a ticket without an issue.
func drop(ctx context.Context, tx *sql.Tx, id int64) error {
	for _, table := range []string{"ticket_comment WHERE ticket", "ticket WHERE id"} {
		if _, err := tx.ExecContext(
			ctx,
			"DELETE FROM "+table+"=? AND NOT EXISTS (SELECT 1 FROM ticket_issue x WHERE x.ticket=?)",
			id,
			id,
		); err != nil {
			return err
		}
	}
	return nil
}

// Issues lists the issues of a ticket.
func Issues(ctx context.Context, tx *sql.Tx, id int64) ([]int64, error) {
	ids, err := db.Numbers(
		ctx,
		tx,
		"SELECT DISTINCT COALESCE(i.merged_into, i.id) FROM ticket_issue x JOIN issue i ON i.id=x.issue WHERE x.ticket=? AND i.deleted IS NULL ORDER BY 1",
		id,
	)
	if err == nil && len(ids) == 0 {
		err = drop(ctx, tx, id)
	}
	return ids, err
}

// Closed says whether all issues of a ticket are fixed or dismissed.
func Closed(ctx context.Context, tx *sql.Tx, id int64) (closed bool, err error) {
	err = tx.QueryRowContext(ctx, "SELECT NOT EXISTS (SELECT 1 FROM ticket_issue x JOIN issue i ON i.id=x.issue JOIN issue j ON j.id=COALESCE(i.merged_into, i.id) WHERE x.ticket=? AND j.deleted IS NULL AND j.state NOT IN ('fixed','dismissed'))", id).
		Scan(&closed)
	return closed, err
}

// NewComments notes comments that are here now, and says which were not.
func NewComments(ctx context.Context, tx *sql.Tx, id int64, keys []string) (fresh map[string]bool, err error) {
	fresh = map[string]bool{}
	for _, k := range keys {
		res, err := tx.ExecContext(
			ctx,
			"INSERT IGNORE INTO ticket_comment (ticket, hash) VALUES (?,?)",
			id,
			db.Hash16(k),
		)
		if err != nil {
			return nil, err
		}
		n, err := res.RowsAffected()
		if err != nil {
			return nil, err
		}
		fresh[k] = n == 1
	}
	return fresh, nil
}

// stateOf is what issues say of a ticket.
func stateOf(closed bool) ticket.State {
	if closed {
		return ticket.Closed
	}
	return ticket.Open
}
