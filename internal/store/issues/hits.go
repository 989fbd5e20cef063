package issues

import (
	"context"
	"time"

	"firethorn/internal/db"
)

// HitQuery asks for the sessions of a release in which an issue occurred.
type HitQuery struct {
	Release, Environment int64 // environment 0: all
	From, To             time.Time
}

// SessionsHit are the sessions in which an issue occurred.
type SessionsHit struct {
	Sessions int64
	More     bool // the issue has more events than were looked at: there may be more sessions
}

// maxHitEvents is how many events of an issue are looked at, the newest.
const maxHitEvents = 10_000

// SessionsHit counts the sessions of a release in which an issue occurred, by the newest
// events of the issue.
func (s *Store) SessionsHit(ctx context.Context, issue int64, q HitQuery) (out SessionsHit, err error) {
	variants, err := db.Numbers(ctx, s.db, "SELECT id FROM variant WHERE issue=?", issue)
	if err != nil || len(variants) == 0 {
		return out, err
	}
	keys := "SELECT project, filing, keep_day FROM event FORCE INDEX (by_variant) WHERE variant IN (" +
		db.Marks(len(variants)) + ") ORDER BY filing DESC LIMIT ?"
	var looked int64
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*), COUNT(DISTINCT IF(e.app_release=? AND (?=0 OR e.environment=?)"+
		" AND e.thrown>=? AND e.thrown<?, e.session, NULL)) FROM ("+keys+
		") k JOIN event e USING (project, filing, keep_day)",
		append(append([]any{q.Release, q.Environment, q.Environment, db.Micros(q.From), db.Micros(q.To)},
			db.AnyOf(variants)...), maxHitEvents)...).Scan(&looked, &out.Sessions)
	out.More = looked == maxHitEvents
	return out, err
}
