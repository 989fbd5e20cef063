package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
)

// undoMove takes a move back: the variants that it moved, and those that came
// since under its fingerprints, return. It refuses where a later move has
// taken one of them on.
func (s *Store) undoMove(ctx context.Context, tx *sql.Tx, p *Project, id int64, who Actor) error {
	m := &move{project: p.ID}
	var undone sql.NullInt64
	var beforeTo string
	if err := tx.QueryRowContext(ctx, "SELECT id, kind, from_issue, to_issue, undone_by, before_to FROM move WHERE id=?", id).Scan(&m.id, &m.kind, &m.from, &m.to, &undone, &beforeTo); err != nil {
		return err
	}
	if undone.Valid || m.kind == moveUndo || m.kind == moveLate || m.kind == moveAnew {
		return fault.New(fault.Conflict, "this %s was undone already", m.kind)
	}
	if err := s.inTheWay(ctx, tx, p, m); err != nil {
		return err
	}
	from, err := s.sideByID(ctx, tx, m.to)
	if err != nil {
		return err
	}
	to, err := s.sideByID(ctx, tx, m.from)
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
	if m.kind == moveSplit {
		err = s.joinAgain(ctx, tx, p, m, back, from, to, who)
	} else {
		err = s.partAgain(ctx, tx, p, m, back, from, to, beforeTo, who)
	}
	if err != nil {
		return err
	}
	for _, q := range []struct {
		text string
		args []any
	}{
		{"UPDATE move SET undone_by=? WHERE id=?", []any{back.id, m.id}},
		{"UPDATE history SET undone=1 WHERE move=?", []any{m.id}},
		{"UPDATE project_counter SET changed=changed+1 WHERE project=?", []any{p.ID}},
	} {
		if _, err := tx.ExecContext(ctx, q.text, q.args...); err != nil {
			return err
		}
	}
	return nil
}

// inTheWay refuses to undo a move that later ones build on, and names the one
// to undo first.
func (s *Store) inTheWay(ctx context.Context, tx *sql.Tx, p *Project, m *move) error {
	const first = "a later move stands in the way: %s since; undo that first"
	var into sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT merged_into FROM issue WHERE id=?", m.from).Scan(&into); err != nil {
		return err
	}
	if m.kind == moveSplit && into.Valid {
		return fault.New(fault.Conflict, first, fmt.Sprintf("%s was merged into %s", s.issueName(ctx, tx, m.from), s.issueName(ctx, tx, into.Int64)))
	}
	var split, later, laterTo int64
	var kind moveKind
	const parts = "SELECT m.from_issue, m.to_issue FROM move_alias a JOIN split_alias b ON b.grouping_version=a.grouping_version AND b.hash=a.hash JOIN split s ON s.id=b.split AND s.project=? AND s.active=1 JOIN move m ON m.id=s.move WHERE a.move=? AND m.id>a.move ORDER BY m.id DESC LIMIT 1"
	err := tx.QueryRowContext(ctx, parts, p.ID, m.id).Scan(&split, &laterTo)
	if err == nil {
		return fault.New(fault.Conflict, first, fmt.Sprintf("%s was split off from %s", s.issueName(ctx, tx, laterTo), s.issueName(ctx, tx, split)))
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	// A variant, or a fingerprint, that another move has taken on.
	const taken = "SELECT l.move, o.to_issue, o.kind FROM move_variant mv JOIN variant v ON v.id=mv.variant JOIN move_variant l ON l.variant=mv.variant AND l.move>mv.move JOIN move o ON o.id=l.move WHERE mv.move=? AND v.issue<>?" +
		" UNION ALL SELECT l.move, o.to_issue, o.kind FROM move_alias ma JOIN alias a ON a.project=? AND a.grouping_version=ma.grouping_version AND a.hash=ma.hash JOIN move_alias l ON l.grouping_version=ma.grouping_version AND l.hash=ma.hash AND l.move>ma.move JOIN move o ON o.id=l.move AND o.project=? WHERE ma.move=? AND a.issue<>?" +
		" ORDER BY 1 DESC LIMIT 1"
	err = tx.QueryRowContext(ctx, taken, m.id, m.to, p.ID, p.ID, m.id, m.to).Scan(&later, &laterTo, &kind)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	if kind == moveAnew {
		return fault.New(fault.Conflict, "the stored events were regrouped since; take that back first: firethorn group undo --project %s", p.Name)
	}
	if kind == moveLate {
		return fault.New(fault.Conflict, "symbols came since, and events went on to %s where they belong; what is there stays", s.issueName(ctx, tx, laterTo))
	}
	return fault.New(fault.Conflict, first, fmt.Sprintf("%s was merged into %s", s.issueName(ctx, tx, m.to), s.issueName(ctx, tx, laterTo)))
}

// partAgain takes a merge back: what was merged away is an issue again.
func (s *Store) partAgain(ctx context.Context, tx *sql.Tx, p *Project, m, back *move, from, to *side, beforeTo string, who Actor) error {
	if err := s.reviveRow(ctx, tx, m, to); err != nil {
		return err
	}
	if err := s.flip(ctx, tx, back); err != nil {
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
	return s.addMoveHistory(ctx, tx, to.id, nil, who, "undo", fmt.Sprintf("undone: no longer merged into %s/%d", p.Name, from.number))
}

// joinAgain takes a split back: what was taken out returns, and new events stay
// together. The number of the part leads back, unless other issues were merged
// into it since.
func (s *Store) joinAgain(ctx context.Context, tx *sql.Tx, p *Project, m, back *move, from, to *side, who Actor) error {
	regressed, err := s.regressByMove(ctx, tx, p, back, to)
	if err != nil {
		return err
	}
	if err := s.flip(ctx, tx, back); err != nil {
		return err
	}
	if err := s.joinSpans(ctx, tx, back); err != nil {
		return err
	}
	if err := endSplit(ctx, tx, p.ID, m); err != nil {
		return err
	}
	var rest int
	if err := tx.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM variant WHERE issue=?)+(SELECT COUNT(*) FROM alias WHERE issue=?)", from.id, from.id).Scan(&rest); err != nil {
		return err
	}
	if rest == 0 {
		if _, err := tx.ExecContext(ctx, "UPDATE issue SET merged_into=?, version=version+1 WHERE id=?", to.id, from.id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM issue_list WHERE issue=?", from.id); err != nil {
			return err
		}
	}
	if err := s.addRegression(ctx, tx, p.ID, to.id, regressed); err != nil {
		return err
	}
	if err := s.addMoveHistory(ctx, tx, to.id, nil, who, "undo", fmt.Sprintf("undone: %s/%d is no longer split off", p.Name, from.number)); err != nil {
		return err
	}
	return s.addMoveHistory(ctx, tx, from.id, nil, who, "undo", fmt.Sprintf("undone: no longer split off from %s/%d", p.Name, to.number))
}

// endSplit lets new events stay together. What earlier moves have moved, the
// parts that came of it go with from now on.
func endSplit(ctx context.Context, tx *sql.Tx, project int64, m *move) error {
	var id int64
	if err := tx.QueryRowContext(ctx, "SELECT id FROM split WHERE move=?", m.id).Scan(&id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE split SET active=0 WHERE id=?", id); err != nil {
		return err
	}
	var rows [][]any
	err := each(ctx, tx, func(r *sql.Rows) error {
		var earlier, version int64
		var hash []byte
		if err := r.Scan(&earlier, &version, &hash); err != nil {
			return err
		}
		part := fingerprint.Key(hash).Part(id)
		rows = append(rows, []any{earlier, version, part[:]})
		return nil
	}, "SELECT a.move, a.grouping_version, a.hash FROM split_alias s JOIN move_alias a ON a.grouping_version=s.grouping_version AND a.hash=s.hash JOIN move m ON m.id=a.move WHERE s.split=? AND m.project=? AND m.undone_by IS NULL", id, project)
	if err != nil {
		return err
	}
	return insertRows(ctx, tx, "INSERT IGNORE INTO move_alias (move, grouping_version, hash)", "", rows)
}

// restoreTarget gives a target that regressed by a merge its state back, if
// nobody has decided otherwise since.
func (s *Store) restoreTarget(ctx context.Context, tx *sql.Tx, project int64, x *side, before string) error {
	var was standingRow
	if err := json.Unmarshal([]byte(before), &was); err != nil {
		return err
	}
	if was.State != issue.Fixed || x.State != issue.Regressed || was.Fix != x.Fix {
		return nil
	}
	// A release that its own variants were seen in since keeps it regressed.
	const since = "SELECT n.name, MAX(x.last_seen) FROM variant v JOIN issue_release x ON x.variant=v.id AND x.issue=? JOIN app_release n ON n.id=x.app_release" +
		" WHERE v.issue=? AND x.last_seen>(SELECT COALESCE(MAX(at),0) FROM history WHERE issue=? AND kind='fix') GROUP BY n.id"
	entry, err := s.regressedBy(ctx, tx, project, was.Standing, since, x.id, x.id, x.id)
	if err != nil || entry != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET state=? WHERE id=?", string(was.State), x.id); err != nil {
		return err
	}
	return s.copyState(ctx, tx, x.id, was.State)
}

// reviveRow gives the issue that a merge took away its row in the list again;
// its totals come with the variants.
func (s *Store) reviveRow(ctx context.Context, tx *sql.Tx, merge *move, x *side) error {
	var text string
	if err := tx.QueryRowContext(ctx, "SELECT list_from FROM move WHERE id=?", merge.id).Scan(&text); err != nil {
		return err
	}
	return s.listAgain(ctx, tx, merge.project, text, x)
}

// listAgain gives an issue the row in the list that was written down of it.
func (s *Store) listAgain(ctx context.Context, tx *sql.Tx, project int64, text string, x *side) error {
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
	return l.insert(ctx, tx, project, x.id, x.standingRow, s.now(), users, windowEvents, windowUsers)
}
