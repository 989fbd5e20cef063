package issues

import (
	"context"
	"database/sql"
	"encoding/json"
	"maps"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/db"
)

// StatusRow is what undo must restore exactly: the owner by id, which a
// later change of name does not touch, and since when it called for a decision.
type StatusRow struct {
	issue.Status
	OwnerID         int64 `json:"owner_id,omitempty"`
	NeedsDecisionAt int64 `json:"calls_at,omitempty"` // microseconds; read for history alone
}

// StatusColumns are read of a row of issue called i; ScanStatus reads them.
const StatusColumns = "i.state, i.fixed_in, i.fix_kind, i.fix_after, i.fix_commit, i.fix_at, i.fix_by, i.parked, i.count_only, i.severity AS grade, COALESCE(i.owner,0) AS owner, COALESCE((SELECT o.name FROM person o WHERE o.id=i.owner),'') AS owner_name"

// ScanStatus reads StatusColumns, and the other columns of a row by their names.
func ScanStatus(r *sql.Rows, st *StatusRow, others db.Into) error {
	var at sql.NullInt64
	var parked sql.NullString
	into := db.Into{"state": &st.State, "fixed_in": &st.FixedIn, "fix_kind": &st.Kind, "fix_after": &st.After,
		"fix_commit": &st.Commit, "fix_at": &at, "fix_by": &st.FixedBy, "parked": &parked,
		"count_only": &st.CountOnly, "grade": &st.Severity, "owner": &st.OwnerID, "owner_name": &st.Owner}
	maps.Copy(into, others)
	if err := db.ScanNames(r, into); err != nil {
		return err
	}
	if at.Valid {
		st.FixedAt = db.FromMicros(at.Int64)
	}
	if parked.Valid {
		return json.Unmarshal([]byte(parked.String), &st.Parked)
	}
	return nil
}

// LockStatus reads StatusColumns of one issue, and other columns, by a query that
// locks it; sql.ErrNoRows if there is none.
func LockStatus(ctx context.Context, tx *sql.Tx, st *StatusRow, others db.Into, query string, args ...any) error {
	_, err := db.First(ctx, tx, func(r *sql.Rows) (struct{}, error) {
		return struct{}{}, ScanStatus(r, st, others)
	}, query, args...)
	return err
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
