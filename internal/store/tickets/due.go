package tickets

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/db"
)

// Dirty lists the tickets that need a message.
func Dirty(ctx context.Context, q db.Querier, limit int) ([]int64, error) {
	return db.Numbers(ctx, q, "SELECT id FROM ticket WHERE dirty=1 ORDER BY id LIMIT ?", limit)
}

// Reading lists the destinations with tickets that are to be read.
func Reading(ctx context.Context, q db.Querier, now time.Time) ([]int64, error) {
	return db.Numbers(
		ctx,
		q,
		"SELECT DISTINCT t.destination FROM ticket t FORCE INDEX (due) JOIN destination d ON d.id=t.destination AND d.removed IS NULL WHERE t.gone=0 AND t.read_due<=?",
		db.Micros(now),
	)
}

// DueOf lists the tickets of a destination that are to be read, the longest due first.
func DueOf(ctx context.Context, q db.Querier, destination int64, now time.Time, limit int) ([]*Ticket, error) {
	return list(
		ctx,
		q,
		"FORCE INDEX (due) WHERE t.gone=0 AND t.read_due<=? AND t.destination=? ORDER BY t.read_due LIMIT ?",
		db.Micros(now),
		destination,
		limit,
	)
}

// Claim notes that a ticket is being read, until a time. A webhook that comes meanwhile sets an
// earlier due time, which the end of the read keeps.
func Claim(ctx context.Context, q db.Querier, id int64, until time.Time) error {
	_, err := q.ExecContext(ctx, "UPDATE ticket SET read_due=? WHERE id=?", db.Micros(until), id)
	return err
}

// Postpone lets a ticket be read later.
func Postpone(ctx context.Context, q db.Querier, id int64, due time.Time, trouble string) error {
	_, err := q.ExecContext(
		ctx,
		"UPDATE ticket SET read_due=?, trouble=? WHERE id=?",
		db.Micros(due),
		cut(trouble, 490),
		id,
	)
	return err
}

// PostponeAll lets all tickets of a destination that are due be read later.
func PostponeAll(ctx context.Context, q db.Querier, destination int64, now, due time.Time) error {
	_, err := q.ExecContext(ctx, "UPDATE ticket SET read_due=? WHERE destination=? AND gone=0 AND read_due<=?",
		db.Micros(due), destination, db.Micros(now))
	return err
}

// Hasten lets a ticket be read now, if there is such a ticket.
func Hasten(ctx context.Context, tx *sql.Tx, destination int64, key string, now time.Time) error {
	_, err := tx.ExecContext(
		ctx,
		"UPDATE ticket SET read_due=LEAST(read_due, ?), gone=0 WHERE destination=? AND ticket_key=?",
		db.Micros(now),
		destination,
		key,
	)
	return err
}

// SetTrouble writes the problem of a ticket, and nothing else of it.
func SetTrouble(ctx context.Context, q db.Querier, id int64, trouble string) error {
	_, err := q.ExecContext(ctx, "UPDATE ticket SET trouble=? WHERE id=?", cut(trouble, 490), id)
	return err
}

// TakeHook notes a webhook; repeated says that it was taken before.
func TakeHook(ctx context.Context, tx *sql.Tx, destination int64, id string, at time.Time) (repeated bool, err error) {
	res, err := tx.ExecContext(
		ctx,
		"INSERT IGNORE INTO ticket_hook (destination, hash, at) VALUES (?,?,?)",
		destination,
		db.Hash16(id),
		db.Micros(at),
	)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n == 0, err
}

// ForgetHooks deletes the ids of webhooks that were received before a time.
func ForgetHooks(ctx context.Context, q db.Querier, before time.Time) error {
	_, err := q.ExecContext(ctx, "DELETE FROM ticket_hook WHERE at<? LIMIT 10000", db.Micros(before))
	return err
}

// Changed takes in that issues are open, or fixed or dismissed, since a decision here: their
// tickets follow. tracker is the destination whose ticket decided, 0 for none: a change that
// came from a tracker goes on to no other one, so that of the others only those agree that
// are in that state already.
func Changed(ctx context.Context, tx *sql.Tx, issue, tracker int64, at time.Time) error {
	all, err := LockOfIssue(ctx, tx, issue)
	for _, t := range all {
		if err != nil {
			return err
		}
		if t == nil {
			continue
		}
		var closed bool
		if closed, err = Closed(ctx, tx, t.ID); err != nil {
			return err
		}
		ours := stateOf(closed)
		if ours == t.Ours || tracker != 0 && ours != t.Theirs {
			continue
		}
		t.Sides = t.Sides.Changed(ours, at)
		err = Save(ctx, tx, t, t.Ours != t.Theirs && !t.Gone)
	}
	return err
}
