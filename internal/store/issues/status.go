package issues

import (
	"database/sql"
	"encoding/json"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/db"
)

// StatusRow is what undo must restore exactly: the owner by id, which a
// later change of name does not touch, and since when it called for a decision.
type StatusRow struct {
	issue.Standing
	OwnerID int64 `json:"owner_id,omitempty"`
	CallsAt int64 `json:"calls_at,omitempty"` // microseconds; read for history alone
}

// StatusColumns are read of a row of issue called i; StatusScan reads them.
const StatusColumns = "i.state, i.fixed_in, i.fix_kind, i.fix_after, i.fix_commit, i.fix_at, i.fix_by, i.parked, i.count_only, i.severity, COALESCE(i.owner,0), COALESCE((SELECT o.name FROM person o WHERE o.id=i.owner),'')"

// StatusScan reads StatusColumns into St, once its columns are scanned.
type StatusScan struct {
	St     *StatusRow
	at     sql.NullInt64
	parked sql.NullString
}

// Into gives what the columns are scanned into.
func (s *StatusScan) Into() []any {
	return []any{&s.St.State, &s.St.FixedIn, &s.St.Kind, &s.St.After, &s.St.Commit, &s.at, &s.St.FixedBy, &s.parked,
		&s.St.CountOnly, &s.St.Severity, &s.St.OwnerID, &s.St.Owner}
}

// Done completes the row once its columns were scanned.
func (s *StatusScan) Done() error {
	if s.at.Valid {
		s.St.FixedAt = db.FromMicros(s.at.Int64)
	}
	if s.parked.Valid {
		return json.Unmarshal([]byte(s.parked.String), &s.St.Parked)
	}
	return nil
}

// NeededSince reads since when an issue needs a decision; 0 in the database is none.
func NeededSince(at int64) time.Time {
	if at == 0 {
		return time.Time{}
	}
	return db.FromMicros(at)
}

// NeededAt is a NeededSince as it is stored.
func NeededAt(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return db.Micros(t)
}
