package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
)

// standingRow is what undo must restore exactly: the owner by id, which a
// later change of name does not touch, and since when it called for a decision.
type standingRow struct {
	issue.Standing
	OwnerID int64 `json:"owner_id,omitempty"`
	CallsAt int64 `json:"calls_at,omitempty"` // microseconds; read for history alone
}

// standingColumns are read of a row of issue called i; scanStanding takes them.
const standingColumns = "i.state, i.fixed_in, i.fix_kind, i.fix_after, i.fix_commit, i.fix_at, i.fix_by, i.parked, i.count_only, i.severity, COALESCE(i.owner,0), COALESCE((SELECT o.name FROM person o WHERE o.id=i.owner),'')"

// standingScan reads standingColumns into st, once its columns are scanned.
type standingScan struct {
	st     *standingRow
	at     sql.NullInt64
	parked sql.NullString
}

func (s *standingScan) into() []any {
	return []any{&s.st.State, &s.st.FixedIn, &s.st.Kind, &s.st.After, &s.st.Commit, &s.at, &s.st.FixedBy, &s.parked, &s.st.CountOnly, &s.st.Severity, &s.st.OwnerID, &s.st.Owner}
}

func (s *standingScan) done() error {
	if s.at.Valid {
		s.st.FixedAt = fromMicros(s.at.Int64)
	}
	if s.parked.Valid {
		return json.Unmarshal([]byte(s.parked.String), &s.st.Parked)
	}
	return nil
}

// saveStanding writes where an issue stands now; human: a person decided, which
// others must see before they decide.
func (s *Store) saveStanding(ctx context.Context, tx *sql.Tx, project, id int64, st standingRow, human bool) error {
	var at, parked, until any
	if !st.FixedAt.IsZero() {
		at = micros(st.FixedAt)
	}
	if st.State == issue.Parked {
		raw, err := json.Marshal(st.Parked)
		if err != nil {
			return err
		}
		parked = string(raw)
		if !st.Parked.Until.IsZero() {
			until = micros(st.Parked.Until)
		}
	}
	grow := 0
	if human {
		grow = 1
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue SET state=?, fixed_in=?, fix_kind=?, fix_after=?, fix_commit=?, fix_at=?, fix_by=?, parked=?, count_only=?, severity=?, owner=?, version=version+? WHERE id=?",
		string(st.State), st.FixedIn, string(st.Kind), st.After, st.Commit, at, st.FixedBy, parked, st.CountOnly, st.Severity, nullID(st.OwnerID), grow, id)
	if err != nil {
		return err
	}
	if st.State == issue.Parked {
		_, err = tx.ExecContext(ctx, "INSERT INTO parked (issue, project, until) VALUES (?,?,?) ON DUPLICATE KEY UPDATE until=VALUES(until)", id, project, until)
	} else {
		_, err = tx.ExecContext(ctx, "DELETE FROM parked WHERE issue=?", id)
	}
	return err
}

// historyLine is an entry of a history with all that is kept beside it.
type historyLine struct {
	issue.Entry
	before *standingRow // what undo restores
	who    Actor
	why    string
	bulk   int64
	detail any
}

var service = Actor{Kind: "service"}

// tell writes an entry of an issue's history, and a notice to each who should
// hear of it but did not do it.
func (s *Store) tell(ctx context.Context, tx *sql.Tx, project, id int64, t historyLine) error {
	var before, detail, rel any
	if t.before != nil {
		raw, err := json.Marshal(t.before)
		if err != nil {
			return err
		}
		before = string(raw)
	}
	if t.detail != nil {
		raw, err := json.Marshal(t.detail)
		if err != nil {
			return err
		}
		detail = string(raw)
	}
	if t.Release != "" {
		var n sql.NullInt64
		if err := tx.QueryRowContext(ctx, "SELECT (SELECT id FROM app_release WHERE project=? AND hash=?)", project, hash16(t.Release)).Scan(&n); err != nil {
			return err
		}
		rel = n
	}
	at, words := micros(s.now()), event.TrimText(t.Words, 500)
	if _, err := tx.ExecContext(ctx, "INSERT INTO history (issue, at, actor_kind, actor_id, actor, kind, words, standing_before, app_release, why, bulk, detail) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)",
		id, at, t.who.Kind, t.who.ID, t.who.Name, string(t.Kind), words, before, rel, event.TrimText(t.why, 500), nullID(t.bulk), detail); err != nil {
		return err
	}
	names := slices.Clone(t.Tell)
	if t.before != nil || len(names) > 0 { // it is news to who watches the issue, too
		watching, err := s.watching(ctx, tx, id)
		if err != nil {
			return err
		}
		names = append(names, watching...)
	}
	return notice{project, id, at, t.who, string(t.Kind), words}.to(ctx, tx, names)
}
