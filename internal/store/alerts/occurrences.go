// Package alerts keeps the occurrences that alert rules evaluate, what rules count, when they fired,
// and which are paused.
package alerts

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
)

// Occurrence is something that happened to an issue, or to a project (Issue 0), that alert
// rules may ask for.
type Occurrence struct {
	ID, Project, Issue int64
	Number             int64  // of the issue
	What               string // what the issue became, threshold, release.worse, symbols.missing
	Episode, Position  int64
	At, Due            time.Time
	Event              uuid.UUID // uuid.Nil: none
	Variant            int64     // of the event, where its trace may become readable soon; else 0
	Who                accounts.Actor
	Text               string
	Scope              string   // the release and environment of what is about no issue
	Rules              []string // whose condition holds; nil: they are still to be asked
	Planned            time.Time
	Outcome            []Outcome
}

// Outcome is what became of one rule and one receiver.
type Outcome struct {
	Rule string `json:"rule"`
	To   string `json:"to,omitempty"` // a destination, or a person
	Did  string `json:"did"`          // sent, held or not sent
	Why  string `json:"why"`
}

// Add writes an occurrence, in the transaction that causes it, and raises the episode of
// its issue.
func Add(ctx context.Context, tx *sql.Tx, o Occurrence) error {
	if o.Issue != 0 {
		res, err := tx.ExecContext(ctx, "UPDATE issue SET episode=LAST_INSERT_ID(episode+1) WHERE id=?", o.Issue)
		if err != nil {
			return err
		}
		if o.Episode, err = res.LastInsertId(); err != nil {
			return err
		}
	}
	var rules, id any
	if o.Rules != nil {
		raw, err := json.Marshal(o.Rules)
		if err != nil {
			return err
		}
		rules = string(raw)
	}
	if o.Event != uuid.Nil {
		id = o.Event[:]
	}
	if o.Position == 0 {
		var err error
		if o.Position, err = Position(ctx, tx, o.Project); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(
		ctx,
		"INSERT INTO alert_occurrence (project, issue, what, episode, position, at, due, event,"+
			" variant, actor_kind, actor_id, actor, words, scope, rules) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
		o.Project,
		o.Issue,
		o.What,
		o.Episode,
		o.Position,
		db.Micros(o.At),
		db.Micros(o.Due),
		id,
		o.Variant,
		o.Who.Kind,
		o.Who.ID,
		o.Who.Name,
		event.TrimText(o.Text, 490),
		o.Scope,
		rules,
	)
	return err
}

const columns = "o.id, o.project, o.issue, o.what, o.episode, o.position, o.at, o.due, o.event, o.variant, o.actor_kind," +
	" o.actor_id, o.actor, o.words, o.scope, o.rules, o.planned, o.outcome, COALESCE(i.number,0) AS number"

func scan(r *sql.Rows) (*Occurrence, error) {
	var o Occurrence
	var at, due int64
	var id []byte
	var rules, outcome sql.NullString
	var planned sql.NullInt64
	err := db.ScanNames(r, db.Into{"id": &o.ID, "project": &o.Project, "issue": &o.Issue, "what": &o.What,
		"episode": &o.Episode, "position": &o.Position, "at": &at, "due": &due, "event": &id, "variant": &o.Variant,
		"actor_kind": &o.Who.Kind, "actor_id": &o.Who.ID, "actor": &o.Who.Name, "words": &o.Text, "scope": &o.Scope,
		"rules": &rules, "planned": &planned, "outcome": &outcome, "number": &o.Number})
	if err != nil {
		return nil, err
	}
	o.At, o.Due = db.FromMicros(at), db.FromMicros(due)
	copy(o.Event[:], id)
	if rules.Valid {
		if err := json.Unmarshal([]byte(rules.String), &o.Rules); err != nil {
			return nil, err
		}
	}
	if planned.Valid {
		o.Planned = db.FromMicros(planned.Int64)
	}
	if outcome.Valid {
		err = json.Unmarshal([]byte(outcome.String), &o.Outcome)
	}
	return &o, err
}

// WithWaiting lists the projects with occurrences that are due, or may be.
func WithWaiting(ctx context.Context, q db.Querier) ([]int64, error) {
	return db.Numbers(
		ctx,
		q,
		"SELECT DISTINCT project FROM alert_occurrence FORCE INDEX (waiting) WHERE planned IS NULL",
	)
}

// Waiting lists a project's occurrences that are due, the oldest first, and locks them. Only
// one that waits for a readable trace is due later: as soon as there is one, or at its time.
// Later ones of its issue wait behind it. Others are due whatever their time says, which may
// come from a process whose clock is ahead. Only occurrences are locked: issues are written
// while events are processed.
func Waiting(
	ctx context.Context,
	tx *sql.Tx,
	project int64,
	now time.Time,
	limit int,
) (list []*Occurrence, err error) {
	ids, err := db.Numbers(ctx, tx, "SELECT o.id FROM alert_occurrence o LEFT JOIN variant v ON v.id=o.variant"+
		" WHERE o.project=? AND o.planned IS NULL AND (o.due<=? OR COALESCE(v.provisional,0)=0)"+
		" AND NOT EXISTS (SELECT 1 FROM alert_occurrence e JOIN variant w ON w.id=e.variant"+
		" WHERE o.issue<>0 AND e.issue=o.issue AND e.id<o.id AND e.planned IS NULL AND e.due>? AND w.provisional=1)"+
		" ORDER BY o.id LIMIT ?", project, db.Micros(now), db.Micros(now), limit)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	marks, args := db.Marks(len(ids)), db.AnyOf(ids)
	ids, err = db.Numbers(ctx, tx,
		"SELECT id FROM alert_occurrence WHERE id IN ("+marks+") AND planned IS NULL FOR UPDATE", args...)
	if err != nil || len(ids) == 0 {
		return nil, err // another process planned them
	}
	return list, db.Each(ctx, tx, func(r *sql.Rows) error {
		o, err := scan(r)
		list = append(list, o)
		return err
	}, "SELECT "+columns+" FROM alert_occurrence o LEFT JOIN issue i ON i.id=o.issue WHERE o.id IN ("+
		db.Marks(len(ids))+") ORDER BY o.id", db.AnyOf(ids)...)
}

// SetPlanned notes what became of an occurrence.
func SetPlanned(ctx context.Context, tx *sql.Tx, id int64, at time.Time, outcome []Outcome) error {
	raw, err := json.Marshal(append([]Outcome{}, outcome...))
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(
		ctx,
		"UPDATE alert_occurrence SET planned=?, outcome=? WHERE id=?",
		db.Micros(at),
		string(raw),
		id,
	)
	return err
}

// List lists a project's occurrences about which rules were asked, the newest first, from
// before an id on (0: the newest). Those that no rule asks for are left out.
func List(
	ctx context.Context,
	q db.Querier,
	project, issue, before int64,
	limit int,
) (list []*Occurrence, err error) {
	where, args := "o.project=? AND o.planned IS NOT NULL AND o.outcome<>'[]'", []any{project}
	if issue != 0 {
		where, args = where+" AND o.issue=?", append(args, issue)
	}
	if before > 0 {
		where, args = where+" AND o.id<?", append(args, before)
	}
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		o, err := scan(r)
		list = append(list, o)
		return err
	}, "SELECT "+columns+" FROM alert_occurrence o LEFT JOIN issue i ON i.id=o.issue WHERE "+where+" ORDER BY o.id DESC LIMIT ?", append(args, limit)...)
}

// keptDays is how long occurrences and deliveries are kept.
const keptDays = 90

// Expire deletes old rows; more says that there are more.
func Expire(ctx context.Context, q db.Querier, now time.Time) (more bool, err error) {
	old, slot := db.Micros(now.AddDate(0, 0, -keptDays)), now.AddDate(0, 0, -15).Unix()/int64(SlotLength/time.Second)
	for _, x := range []struct {
		statement string
		from      int64
	}{
		{"DELETE FROM alert_occurrence WHERE planned<? LIMIT 5000", old},
		{"DELETE FROM alert_slot WHERE slot<? LIMIT 5000", slot},
		{"DELETE FROM alert_hit WHERE slot<? LIMIT 5000", slot},
		{"DELETE a FROM delivery_attempt a JOIN delivery d ON d.id=a.delivery WHERE d.created<?", old},
		{"DELETE FROM delivery WHERE created<? LIMIT 5000", old},
	} {
		res, err := q.ExecContext(ctx, x.statement, x.from)
		if err != nil {
			return false, err
		}
		n, err := res.RowsAffected()
		if err != nil {
			return false, err
		}
		more = more || n == 5000
	}
	return more, nil
}
