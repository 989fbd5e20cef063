package alerts

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/rules"
	"firethorn/internal/db"
	"firethorn/internal/store/sessions"
)

// SlotLength is the grain in which rules count.
const SlotLength = 10 * time.Minute

// SlotOf is the slot of a time.
func SlotOf(at time.Time) int64 { return at.Unix() / int64(SlotLength/time.Second) }

// digest distinguishes rules that ask for something else under the same name.
func digest(r *rules.AlertRule) []byte {
	sum := sha256.Sum256(fmt.Appendf(nil, "%q %d %d %g %d", r.Text, r.Users, r.Events, r.Sessions, r.Within))
	return sum[:8]
}

// Rule is a rule as it counts.
type Rule struct {
	ID    int64
	Since time.Time // when it was pushed; zero: the defaults, which were always there
}

// Register notes rules that were pushed: those that are new count from now on.
func Register(ctx context.Context, tx *sql.Tx, project int64, list []*rules.AlertRule, now time.Time) error {
	for _, r := range list {
		if _, err := tx.ExecContext(
			ctx,
			"INSERT IGNORE INTO alert_rule (project, name, digest, since) VALUES (?,?,?,?)",
			project,
			r.Name,
			digest(r),
			db.Micros(now),
		); err != nil {
			return err
		}
	}
	return nil
}

// RuleOf is a rule as it counts.
func RuleOf(ctx context.Context, tx *sql.Tx, project int64, r *rules.AlertRule) (out Rule, err error) {
	var since int64
	find := func() error {
		return tx.QueryRowContext(
			ctx,
			"SELECT id, since FROM alert_rule WHERE project=? AND name=? AND digest=?",
			project,
			r.Name,
			digest(r),
		).Scan(&out.ID, &since)
	}
	if err = find(); errors.Is(err, sql.ErrNoRows) {
		if _, err = tx.ExecContext(
			ctx,
			"INSERT IGNORE INTO alert_rule (project, name, digest, since) VALUES (?,?,?,0)",
			project,
			r.Name,
			digest(r),
		); err == nil {
			err = find()
		}
	}
	if since > 0 {
		out.Since = db.FromMicros(since)
	}
	return out, err
}

// Hit is an event that a rule counts.
type Hit struct {
	Rule, Issue   int64
	Slot          int64
	Events        int64
	User, Session int64
	HasUser       bool
	HasSession    bool
}

// Count adds what rules count.
func Count(ctx context.Context, tx *sql.Tx, list []Hit) error {
	type cell struct{ rule, issue, slot int64 }
	events := map[cell]int64{}
	who := map[[5]int64]bool{}
	for _, h := range list {
		events[cell{h.Rule, h.Issue, h.Slot}] += h.Events
		if h.HasUser {
			who[[5]int64{h.Rule, h.Issue, 1, h.User, h.Slot}] = true
		}
		if h.HasSession {
			who[[5]int64{h.Rule, h.Issue, 2, h.Session, h.Slot}] = true
		}
	}
	var rows, hits [][]any
	for c, n := range events {
		rows = append(rows, []any{c.rule, c.issue, c.slot, n})
	}
	for w := range who {
		hits = append(hits, []any{w[0], w[1], w[2], w[3], w[4]})
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO alert_slot (rule, issue, slot, events)",
		" ON DUPLICATE KEY UPDATE events=events+VALUES(events)", rows); err != nil {
		return err
	}
	return db.InsertRows(ctx, tx, "INSERT IGNORE INTO alert_hit (rule, issue, kind, who, slot)", "", hits)
}

// Sums are what a rule has counted of an issue within its time.
type Sums struct{ Events, Users, Sessions int64 }

// SumsOf adds up what a rule counted of an issue since a slot.
func SumsOf(ctx context.Context, q db.Querier, rule, issue, from int64) (s Sums, err error) {
	err = q.QueryRowContext(
		ctx,
		"SELECT (SELECT COALESCE(SUM(events),0) FROM alert_slot WHERE rule=? AND issue=? AND slot>=?),"+
			" (SELECT COUNT(DISTINCT who) FROM alert_hit WHERE rule=? AND issue=? AND kind=1 AND slot>=?),"+
			" (SELECT COUNT(DISTINCT who) FROM alert_hit WHERE rule=? AND issue=? AND kind=2 AND slot>=?)",
		rule,
		issue,
		from,
		rule,
		issue,
		from,
		rule,
		issue,
		from,
	).Scan(&s.Events, &s.Users, &s.Sessions)
	return s, err
}

// SessionsSince counts a project's sessions that began since a time: where it lies further
// back than two hours, since the hour it lies in.
func SessionsSince(ctx context.Context, q db.Querier, project int64, from, now time.Time) (n int64, err error) {
	if now.Sub(from) > 2*time.Hour {
		err = q.QueryRowContext(
			ctx,
			"SELECT COALESCE(SUM(sessions),0) FROM session_hour WHERE project=? AND hour>=?",
			project,
			from.Unix()/3600,
		).Scan(&n)
		return n, err
	}
	return sessions.BegunSince(ctx, q, project, from)
}

// FiredAt says when a rule fired for an issue last; zero: never.
func FiredAt(
	ctx context.Context,
	q db.Querier,
	project int64,
	rule string,
	issue int64,
	what string,
) (time.Time, error) {
	var at int64
	err := q.QueryRowContext(
		ctx,
		"SELECT at FROM alert_fired WHERE project=? AND rule=? AND issue=? AND what=?",
		project,
		rule,
		issue,
		what,
	).Scan(&at)
	if errors.Is(err, sql.ErrNoRows) {
		return time.Time{}, nil
	}
	return db.FromMicros(at), err
}

// SetFired notes that a rule fired.
func SetFired(
	ctx context.Context,
	tx *sql.Tx,
	project int64,
	rule string,
	issue int64,
	what string,
	at time.Time,
) error {
	_, err := tx.ExecContext(
		ctx,
		"INSERT INTO alert_fired (project, rule, issue, what, at) VALUES (?,?,?,?,?) ON DUPLICATE KEY UPDATE at=GREATEST(at,VALUES(at))",
		project,
		rule,
		issue,
		what,
		db.Micros(at),
	)
	return err
}

// ClosedAt says when an issue was fixed or dismissed last; zero: never.
func ClosedAt(ctx context.Context, q db.Querier, issue int64) (time.Time, error) {
	var at sql.NullInt64
	err := q.QueryRowContext(
		ctx,
		"SELECT MAX(at) FROM history WHERE issue=? AND kind IN ('fix','dismiss') AND undone=0",
		issue,
	).Scan(&at)
	if !at.Valid {
		return time.Time{}, err
	}
	return db.FromMicros(at.Int64), err
}

// SharedSearches finds the searches that a project's members share, by name; "" where there
// is none. An error counts as none: a broken connection ends the transaction at its next
// statement.
func SharedSearches(ctx context.Context, tx *sql.Tx, project int64) func(name string) string {
	return func(name string) (search string) {
		_ = tx.QueryRowContext(ctx, "SELECT search FROM saved_search WHERE project=? AND name=? AND shared=1", project,
			name).Scan(&search)
		return search
	}
}

// Position is the position of a project's last event.
func Position(ctx context.Context, q db.Querier, project int64) (last int64, err error) {
	err = q.QueryRowContext(ctx, "SELECT filing FROM project_counter WHERE project=?", project).Scan(&last)
	return last, err
}

// MoveUser gives what rules counted of a user to another one, who stands in the place of one
// that is erased.
func MoveUser(ctx context.Context, tx *sql.Tx, project, from, to int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE alert_hit h FORCE INDEX (of_user) JOIN alert_rule r ON r.id=h.rule SET h.who=? WHERE h.kind=1 AND h.who=? AND r.project=?",
		to, from, project)
	return err
}
