package events

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
func (s *Store) SessionsHit(ctx context.Context, project, issue int64, q HitQuery) (out SessionsHit, err error) {
	keys, err := s.KeysOfIssue(ctx, s.db, KeyQuery{Project: project, Issue: issue, Direction: Newest,
		Limit: maxHitEvents})
	if err != nil || len(keys) == 0 {
		return out, err
	}
	sessions := map[string]bool{}
	for cond, args := range ByKeys(project, keys) {
		list, err := db.Texts(ctx, s.db, "SELECT DISTINCT e.session FROM event e WHERE "+cond+
			" AND e.session IS NOT NULL AND e.app_release=? AND (?=0 OR e.environment=?) AND e.thrown>=? AND e.thrown<?",
			append(args, q.Release, q.Environment, q.Environment, db.Micros(q.From), db.Micros(q.To))...)
		if err != nil {
			return out, err
		}
		for _, id := range list {
			sessions[id] = true
		}
	}
	return SessionsHit{Sessions: int64(len(sessions)), More: len(keys) == maxHitEvents}, nil
}
