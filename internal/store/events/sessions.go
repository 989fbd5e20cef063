package events

import (
	"context"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/session"
	"firethorn/internal/db"
)

// SessionRow is a session as it stands.
type SessionRow struct {
	Name                 string
	Started, Heard       time.Time
	Duration             time.Duration
	Outcome              session.Outcome
	Sequence             uint32
	Release, Environment string
	HasUser              bool
	key                  string
}

const sessionSelect = "SELECT s.id, s.name, s.started, s.updated, s.duration, s.outcome, s.sequence, COALESCE(r.name,'') AS release_name, n.name AS environment_name, s.user IS NOT NULL AS has_user FROM app_session s LEFT JOIN app_release r ON r.id=s.app_release JOIN environment n ON n.id=s.environment"

func scanSession(r *sql.Rows) (*SessionRow, error) {
	var s SessionRow
	var id []byte
	var started, heard, duration int64
	var outcome uint8
	if err := db.ScanNames(r,
		db.Into{"id": &id, "name": &s.Name, "started": &started, "updated": &heard, "duration": &duration,
			"outcome": &outcome, "sequence": &s.Sequence, "release_name": &s.Release,
			"environment_name": &s.Environment, "has_user": &s.HasUser}); err != nil {
		return nil, err
	}
	s.key = hex.EncodeToString(id)
	s.Started, s.Heard, s.Outcome = db.FromMicros(started), db.FromMicros(heard), session.Outcome(outcome)
	s.Duration = time.Duration(duration) * time.Millisecond
	return &s, nil
}

// Session is the session that an application calls by a name.
func (s *Store) Session(ctx context.Context, project int64, name string) (*SessionRow, error) {
	id := SessionHash(name)
	row, err := db.First(ctx, s.db, scanSession, sessionSelect+" WHERE s.project=? AND s.id=?", project, id[:])
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "session %.100q is not known, or no longer kept", name)
	}
	return row, err
}

// SessionQuery asks for sessions, newest start first.
type SessionQuery struct {
	Project int64
	Outcome *session.Outcome
	User    *int64
	Before  time.Time // start to go on from; zero: from the newest
	After   string    // key of the session to go on from, among those of the same start
	Limit   int
}

// SessionCursor is where a page of sessions ended.
type SessionCursor struct {
	Started time.Time
	Key     string
}

// Sessions lists sessions; next is nil on the last page.
func (s *Store) Sessions(ctx context.Context, q SessionQuery) (list []*SessionRow, next *SessionCursor, err error) {
	index, where, args := "by_start", []string{"s.project=?"}, []any{q.Project}
	if q.Outcome != nil {
		index, where, args = "by_outcome", append(where, "s.outcome=?"), append(args, uint8(*q.Outcome))
	}
	if q.User != nil {
		index, where, args = "of_user", append(where, "s.user=?"), append(args, *q.User)
	}
	if !q.Before.IsZero() {
		key, err := hex.DecodeString(q.After)
		if err != nil {
			return nil, nil, problem.New(problem.BadInput, "the cursor cannot be read; take it from \"next\" as it is")
		}
		where, args = append(where, "(s.started<? OR s.started=? AND s.id<?)"), append(args, db.Micros(q.Before),
			db.Micros(q.Before), key)
	}
	from := strings.Replace(sessionSelect, "app_session s", "app_session s FORCE INDEX ("+index+")", 1)
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		row, err := scanSession(r)
		list = append(list, row)
		return err
	}, from+" WHERE "+strings.Join(where, " AND ")+
		" ORDER BY s.started DESC, s.id DESC LIMIT ?", append(args, q.Limit+1)...)
	if len(list) > q.Limit {
		list = list[:q.Limit]
		last := list[q.Limit-1]
		next = &SessionCursor{last.Started, last.key}
	}
	return list, next, err
}

// SessionCount is how many sessions of a release and environment ended how.
type SessionCount struct {
	Day                  string // YYYY-MM-DD, "" where days are not distinguished
	Release, Environment string
	Outcomes             map[session.Outcome]int64
}

// SessionCounts counts the sessions that began on the days from one up to and
// with another (UTC), by release and environment, and by day where that is
// asked for.
func (s *Store) SessionCounts(ctx context.Context, project int64, from, to time.Time,
	byDay bool) ([]SessionCount, error) {
	day := "0"
	if byDay {
		day = "d.day"
	}
	var out []SessionCount
	index := map[string]int{}
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var d, n int64
		var release, environment string
		var outcome uint8
		if err := r.Scan(&d, &release, &environment, &outcome, &n); err != nil || n == 0 {
			return err
		}
		k := fmt.Sprintf("%d\x00%s\x00%s", d, release, environment)
		i, ok := index[k]
		if !ok {
			i = len(out)
			index[k] = i
			c := SessionCount{Release: release, Environment: environment, Outcomes: map[session.Outcome]int64{}}
			if byDay {
				c.Day = time.Unix(d*86400, 0).UTC().Format(time.DateOnly)
			}
			out = append(out, c)
		}
		out[i].Outcomes[session.Outcome(outcome)] += n
		return nil
	}, "SELECT "+day+" AS k, COALESCE(r.name,''), n.name, d.outcome, SUM(d.sessions) FROM session_day d LEFT JOIN app_release r ON r.id=d.app_release JOIN environment n ON n.id=d.environment"+
		" WHERE d.project=? AND d.day BETWEEN ? AND ? GROUP BY k, d.app_release, d.environment, d.outcome ORDER BY k DESC, r.id DESC, n.name, d.outcome", project, db.Day(from), db.Day(to))
}

// EventsOfSession lists the events that carry a session's name, in the order
// they were thrown.
func (s *Store) EventsOfSession(ctx context.Context, project int64, name string, limit int) ([]*EventRow, error) {
	id := SessionHash(name)
	var list []*EventRow
	keys := "SELECT project, filing, keep_day FROM event FORCE INDEX (of_session) WHERE project=? AND session=? ORDER BY filing LIMIT ?"
	return list, db.Each(ctx, s.db, func(r *sql.Rows) error {
		e, err := ScanEvent(r)
		list = append(list, e)
		return err
	}, fmt.Sprintf(EventSelect, keys, oldest), project, id[:], limit)
}

// SessionHash is the key of a session: of the name that applications give it,
// as events of it carry it.
func SessionHash(name string) [16]byte { return db.NameHash(name) }
