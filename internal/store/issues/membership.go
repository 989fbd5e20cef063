package issues

import (
	"context"
	"database/sql"
	"errors"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
)

// AliasOf is the issue that a fingerprint of a grouping version leads to, 0 when
// it leads to none yet.
func AliasOf(ctx context.Context, q db.Querier, project int64, version int,
	k fingerprint.Key) (issue int64, err error) {
	err = q.QueryRowContext(ctx, "SELECT issue FROM alias WHERE project=? AND grouping_version=? AND hash=?", project, version, k[:]).Scan(&issue)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return issue, err
}

// AddAlias lets a fingerprint that leads to no issue yet lead to one.
func AddAlias(ctx context.Context, tx *sql.Tx, project int64, version int, k fingerprint.Key, issue int64) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO alias (project, grouping_version, hash, issue) VALUES (?,?,?,?)", project, version, k[:], issue)
	return err
}

// LookThroughAlias notes that the function a fingerprint blames only fails on
// behalf of its callers.
func LookThroughAlias(ctx context.Context, tx *sql.Tx, project int64, version int, k fingerprint.Key) error {
	_, err := tx.ExecContext(ctx, "UPDATE alias SET looked=1 WHERE project=? AND grouping_version=? AND hash=?", project, version, k[:])
	return err
}

// Empty says whether no variant and no fingerprint belongs to an issue.
func Empty(ctx context.Context, tx *sql.Tx, id int64) (bool, error) {
	var n int
	err := tx.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM variant WHERE issue=?)+(SELECT COUNT(*) FROM alias WHERE issue=?)", id, id).Scan(&n)
	return n == 0, err
}

// LeadTo lets the number of an issue lead to another one, and takes it off the
// list.
func LeadTo(ctx context.Context, tx *sql.Tx, id, into int64) error {
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET merged_into=?, version=version+1 WHERE id=?", into, id); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "DELETE FROM issue_list WHERE issue=?", id)
	return err
}

// Revive makes an issue that led elsewhere an issue of its own again.
func Revive(ctx context.Context, tx *sql.Tx, id int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE issue SET merged_into=NULL, version=version+1 WHERE id=?", id)
	return err
}

// DropBodies takes bodies that are gone off the total of an issue.
func DropBodies(ctx context.Context, tx *sql.Tx, id, bodies int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET bodies=bodies-? WHERE issue=?", bodies, id)
	return err
}

// AddUsers adds to the users of an issue, in all and in its window; negative
// numbers take away.
func AddUsers(ctx context.Context, tx *sql.Tx, id, all, window int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET users=users+CAST(? AS SIGNED), window_users=window_users+CAST(? AS SIGNED) WHERE issue=?", all, window, id)
	return err
}

// AddWindowEvents adds to the events in the window of an issue.
func AddWindowEvents(ctx context.Context, tx *sql.Tx, id, events int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET window_events=window_events+CAST(? AS SIGNED) WHERE issue=?", events, id)
	return err
}
