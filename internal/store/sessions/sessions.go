// Package sessions reads session counts by release, environment, hour, user, duration and device.
package sessions

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
	"firethorn/internal/db"
)

// Query asks for the sessions that began in a time.
type Query struct {
	Project     int64
	From, To    time.Time // whole hours are counted that begin in it; users and durations by whole days (UTC)
	Environment int64     // 0: all
	Release     int64     // 0: all
	CutOff      bool      // users of whom a session was cut off count as crashed, too
}

func (q Query) where(span string, from, to int64) (string, []any) {
	cond, args := " WHERE project=? AND "+span+">=? AND "+span+"<?", []any{q.Project, from, to}
	if q.Environment != 0 {
		cond, args = cond+" AND environment=?", append(args, q.Environment)
	}
	if q.Release != 0 {
		cond, args = cond+" AND app_release=?", append(args, q.Release)
	}
	return cond, args
}

func (q Query) hours() (string, []any) {
	return q.where("hour", q.From.Unix()/3600, (q.To.Unix()+3599)/3600)
}

func (q Query) days() (string, []any) {
	return q.where("day", int64(db.Day(q.From)), int64(db.Day(q.To.Add(24*time.Hour-1))))
}

// add counts sessions of an outcome.
func add(c *quality.Counts, outcome uint8, n int64) {
	switch session.Outcome(outcome) {
	case session.Running:
		c.Running += n
	case session.Clean:
		c.Clean += n
	case session.Faulty:
		c.Faulty += n
	case session.Crashed:
		c.Crashed += n
	case session.CutOff:
		c.CutOff += n
	}
}

// Counts counts sessions by release; 0 is of those that name none.
func Counts(ctx context.Context, q db.Querier, a Query) (map[int64]*quality.Counts, error) {
	where, args := a.hours()
	return countBy(ctx, q, "SELECT app_release, outcome, SUM(sessions) FROM session_hour"+where+" GROUP BY 1,2", args)
}

func countBy(ctx context.Context, q db.Querier, query string, args []any) (map[int64]*quality.Counts, error) {
	out := map[int64]*quality.Counts{}
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var release, n int64
		var outcome uint8
		err := r.Scan(&release, &outcome, &n)
		if out[release] == nil {
			out[release] = &quality.Counts{}
		}
		add(out[release], outcome, n)
		return err
	}, query, args...)
}

// DayCounts is Counts by whole days (UTC): for long times.
func DayCounts(ctx context.Context, q db.Querier, a Query) (map[int64]*quality.Counts, error) {
	where, args := a.days()
	return countBy(ctx, q, "SELECT app_release, outcome, SUM(sessions) FROM session_day"+where+" GROUP BY 1,2", args)
}

// ByEnvironment counts the sessions of releases by environment, and by release in it.
func ByEnvironment(ctx context.Context, q db.Querier, a Query, releases ...int64) (
	map[string]map[int64]quality.Counts, error) {
	out := map[string]map[int64]quality.Counts{}
	where, args := a.hours()
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var environment string
		var release, n int64
		var outcome uint8
		err := r.Scan(&environment, &release, &outcome, &n)
		if out[environment] == nil {
			out[environment] = map[int64]quality.Counts{}
		}
		c := out[environment][release]
		add(&c, outcome, n)
		out[environment][release] = c
		return err
	}, "SELECT n.name, h.app_release, h.outcome, h.n FROM (SELECT environment, app_release, outcome, SUM(sessions) AS n FROM session_hour"+
		where+" AND app_release IN ("+db.Marks(len(releases))+") GROUP BY 1,2,3) h JOIN environment n ON n.id=h.environment WHERE h.n>0",
		append(args, db.AnyOf(releases)...)...)
}

// Hour is what began in an hour.
type Hour struct {
	At      time.Time
	Release int64
	quality.Counts
}

// Hours counts sessions by release and hour, the oldest first; step is how many hours
// are put together.
func Hours(ctx context.Context, q db.Querier, a Query, step int64) ([]Hour, error) {
	where, args := a.hours()
	var out []Hour
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var at, release, n int64
		var outcome uint8
		if err := r.Scan(&at, &release, &outcome, &n); err != nil {
			return err
		}
		when := time.Unix(at*step*3600, 0).UTC()
		if len(out) == 0 || !out[len(out)-1].At.Equal(when) || out[len(out)-1].Release != release {
			out = append(out, Hour{At: when, Release: release})
		}
		add(&out[len(out)-1].Counts, outcome, n)
		return nil
	}, "SELECT hour DIV ? AS at, app_release, outcome, SUM(sessions) FROM session_hour"+where+
		" GROUP BY 1,2,3 ORDER BY 1,2,3", append([]any{step}, args...)...)
}

// Users are how many people used something, and how many of them had a session that
// crashed.
type Users struct{ All, Crashed int64 }

// UsersOf counts users by release, and under All those of all releases together, of whom
// it does not say how many crashed. They are counted over whole days.
func UsersOf(ctx context.Context, q db.Querier, a Query) (map[int64]Users, error) {
	out := map[int64]Users{}
	bad := "crashed"
	if a.CutOff {
		bad = "crashed+cut_off"
	}
	where, args := a.days()
	err := db.Each(ctx, q, func(r *sql.Rows) error {
		var release sql.NullInt64
		var u Users
		err := r.Scan(&release, &u.All, &u.Crashed)
		if release.Valid {
			out[release.Int64] = u
		}
		return err
	}, "SELECT app_release, COUNT(DISTINCT user), COUNT(DISTINCT IF("+bad+">0,user,NULL)) FROM session_user"+where+
		" AND sessions>0 GROUP BY app_release", args...)
	if err != nil {
		return nil, err
	}
	var all Users
	err = q.QueryRowContext(ctx, "SELECT COUNT(DISTINCT user) FROM session_user"+where+" AND sessions>0",
		args...).Scan(&all.All)
	out[All] = all
	return out, err
}

// All is the key of all releases together, among those of UsersOf.
const All = -1

// Durations counts sessions by release, how they ended, and how long they lasted.
func Durations(ctx context.Context, q db.Querier, a Query) (map[int64]map[session.Outcome]quality.Durations, error) {
	out := map[int64]map[session.Outcome]quality.Durations{}
	where, args := a.days()
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var release, n int64
		var outcome uint8
		var bucket int
		err := r.Scan(&release, &outcome, &bucket, &n)
		if out[release] == nil {
			out[release] = map[session.Outcome]quality.Durations{}
		}
		o := session.Outcome(outcome)
		if out[release][o] == nil {
			out[release][o] = quality.Durations{}
		}
		out[release][o][bucket] += n
		return err
	}, "SELECT app_release, outcome, bucket, SUM(sessions) FROM session_took"+where+" GROUP BY 1,2,3", args...)
}

// Trait is what sessions say of a device, a system or a browser.
type Trait struct {
	Kind  int // from 1, of TraitNames
	Value string
	quality.Counts
}

// Traits counts sessions by what they say, those of most sessions first.
func Traits(ctx context.Context, q db.Querier, a Query) ([]Trait, error) {
	where, args := a.days()
	var out []Trait
	at := map[[2]int64]int{}
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var kind, value, n int64
		var name string
		var outcome uint8
		if err := r.Scan(&kind, &value, &name, &outcome, &n); err != nil {
			return err
		}
		k := [2]int64{kind, value}
		i, there := at[k]
		if !there {
			i = len(out)
			at[k] = i
			out = append(out, Trait{Kind: int(kind), Value: name})
		}
		add(&out[i].Counts, outcome, n)
		return nil
	}, "SELECT t.kind, t.value, v.name, t.outcome, t.n FROM (SELECT kind, value, outcome, SUM(sessions) AS n"+
		" FROM session_trait"+where+
		" GROUP BY 1,2,3) t JOIN session_value v ON v.id=t.value ORDER BY t.n DESC", args...)
}

// BegunSince counts a project's sessions that began since a time.
func BegunSince(ctx context.Context, q db.Querier, project int64, from time.Time) (n int64, err error) {
	err = q.QueryRowContext(ctx, "SELECT COUNT(*) FROM app_session FORCE INDEX (by_start) WHERE project=? AND started>=?",
		project, db.Micros(from)).Scan(&n)
	return n, err
}
