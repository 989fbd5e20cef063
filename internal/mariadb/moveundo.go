package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
)

// undoMove takes a move back: the variants that it moved, and those that came
// since under its fingerprints, return. It refuses where a later move has
// taken one of them on.
func (s *Store) undoMove(ctx context.Context, tx *sql.Tx, p *Project, id int64, who Actor) error {
	var m move
	var undone sql.NullInt64
	var beforeTo string
	if err := tx.QueryRowContext(ctx, "SELECT id, kind, from_issue, to_issue, undone_by, before_to FROM move WHERE id=?", id).Scan(&m.id, &m.kind, &m.from, &m.to, &undone, &beforeTo); err != nil {
		return err
	}
	if undone.Valid || m.kind != moveMerge {
		return fault.New(fault.Conflict, "this merge was undone already")
	}
	var later, laterTo int64
	err := tx.QueryRowContext(ctx, "SELECT l.move, o.to_issue FROM move_variant mv JOIN variant v ON v.id=mv.variant JOIN move_variant l ON l.variant=mv.variant AND l.move>mv.move JOIN move o ON o.id=l.move WHERE mv.move=? AND v.issue<>? ORDER BY l.move DESC LIMIT 1", m.id, m.to).Scan(&later, &laterTo)
	if err == nil {
		return fault.New(fault.Conflict, "a later move stands in the way: %s was merged into %s since (move %d); undo that one first", s.issueName(ctx, tx, m.to), s.issueName(ctx, tx, laterTo), later)
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	from, err := sideByID(ctx, tx, m.to)
	if err != nil {
		return err
	}
	to, err := sideByID(ctx, tx, m.from)
	if err != nil {
		return err
	}
	back := &move{project: p.ID, kind: moveUndo, from: m.to, to: m.from, undoes: m.id}
	if err := s.newMove(ctx, tx, back, who, from, to); err != nil {
		return err
	}
	const variants = "INSERT IGNORE INTO move_variant (move, variant) SELECT ?, v.id FROM variant v WHERE v.issue=? AND (v.id IN (SELECT variant FROM move_variant WHERE move=?)" +
		" OR v.project=? AND EXISTS (SELECT 1 FROM move_alias a WHERE a.move=? AND a.grouping_version=v.grouping_version AND a.hash=v.fingerprint))"
	if _, err := tx.ExecContext(ctx, variants, back.id, m.to, m.id, p.ID, m.id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_alias (move, grouping_version, hash) SELECT ?, grouping_version, hash FROM move_alias WHERE move=?", back.id, m.id); err != nil {
		return err
	}
	m.project = p.ID
	if err := s.reviveRow(ctx, tx, &m, to); err != nil {
		return err
	}
	if err := s.flip(ctx, tx, back); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE move SET undone_by=? WHERE id=?", back.id, m.id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE history SET undone=1 WHERE move=?", m.id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET merged_into=NULL, version=version+1 WHERE id=?", to.id); err != nil {
		return err
	}
	if err := s.restoreTarget(ctx, tx, p.ID, from, beforeTo); err != nil {
		return err
	}
	if err := s.addMoveHistory(ctx, tx, from.id, nil, who, "undo", fmt.Sprintf("undone: %s/%d is an issue of its own again", p.Name, to.number)); err != nil {
		return err
	}
	if err := s.addMoveHistory(ctx, tx, to.id, nil, who, "undo", fmt.Sprintf("undone: no longer merged into %s/%d", p.Name, from.number)); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", p.ID)
	return err
}

// restoreTarget gives a target that regressed by a merge its state back, if
// nobody has decided otherwise since.
func (s *Store) restoreTarget(ctx context.Context, tx *sql.Tx, project int64, x *side, before string) error {
	var was standingRow
	if err := json.Unmarshal([]byte(before), &was); err != nil {
		return err
	}
	if was.State != issue.Fixed || x.State != issue.Regressed || was.FixedIn != x.FixedIn {
		return nil
	}
	// A release that its own variants were seen in since keeps it regressed.
	const since = "SELECT DISTINCT n.name FROM variant v JOIN issue_release x ON x.variant=v.id AND x.issue=? JOIN app_release n ON n.id=x.app_release" +
		" WHERE v.issue=? AND x.last_seen>(SELECT COALESCE(MAX(at),0) FROM history WHERE issue=? AND kind='fix')"
	entry, err := s.regressedBy(ctx, tx, project, was.Standing, since, x.id, x.id, x.id)
	if err != nil || entry != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET state=? WHERE id=?", string(was.State), x.id); err != nil {
		return err
	}
	return copyState(ctx, tx, x.id, was.State)
}

// reviveRow gives the issue that a merge took away its row in the list again;
// its totals come with the variants.
func (s *Store) reviveRow(ctx context.Context, tx *sql.Tx, merge *move, x *side) error {
	var text string
	if err := tx.QueryRowContext(ctx, "SELECT list_from FROM move WHERE id=?", merge.id).Scan(&text); err != nil {
		return err
	}
	var l listRow
	if err := json.Unmarshal([]byte(text), &l); err != nil {
		return err
	}
	// Rows that have not followed the merge yet still stand under the issue.
	var users, windowEvents, windowUsers int64
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=?", x.id).Scan(&users); err != nil {
		return err
	}
	if err := windowOf(ctx, tx, x.id, windowStart(s.now()), &windowEvents, &windowUsers); err != nil {
		return err
	}
	row := []any{x.id, merge.project, string(x.State), l.Headline, l.Place, l.Message, event.TrimText(searchText(l.Headline, l.Place, l.Message), 4000), l.OriginFunction, l.OriginFile, l.OriginLine, l.Severity,
		0, users, Day(s.now()), windowEvents, windowUsers, l.Unhandled, 0, l.FirstSeen, l.LastSeen, nullID(l.FirstRelease), nullID(l.LastRelease), l.FirstFiling, l.LastFiling, 0}
	return insertRows(ctx, tx, "REPLACE INTO issue_list ("+issueListColumns+")", "", [][]any{row})
}
