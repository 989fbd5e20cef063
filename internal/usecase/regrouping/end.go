package regrouping

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// finish ends it once all rows have arrived: what is empty leads to where most
// of it went, and issues are shown by what they have now.
func (w *regrouping) finish(ctx context.Context) error {
	touched, err := db.Numbers(ctx, w.s.db, "SELECT DISTINCT to_issue FROM move WHERE regroup=? UNION SELECT DISTINCT from_issue FROM move WHERE regroup=? UNION SELECT DISTINCT target FROM regroup_part WHERE regroup=? AND pass=? AND target<>0", w.ID, w.ID, w.ID, w.pass)
	if err != nil {
		return err
	}
	newest := map[int64]*moves.Readable{}
	for _, id := range touched {
		if newest[id], err = w.s.moves.NewestOf(ctx, w.Project, id, w.reader); err != nil {
			return err
		}
	}
	return w.s.db.InTx(ctx, func(tx *sql.Tx) error {
		ok, err := w.lock(ctx, tx)
		if err != nil || !ok {
			return err
		}
		if following, err := w.following(ctx, tx); err != nil || following {
			return err
		}
		for _, id := range touched {
			if err := w.fold(ctx, tx, id); err != nil {
				return err
			}
			if err := moves.ShowAgain(ctx, tx, id, newest[id]); err != nil {
				return err
			}
		}
		state := RegroupDone
		if w.pass > 0 {
			state = RegroupUndone
		} else if err := w.countStays(ctx, tx); err != nil {
			return err
		}
		// Only the last one can be undone.
		for _, table := range []string{"regroup_variant", "regroup_alias", "regroup_issue"} {
			if _, err := tx.ExecContext(ctx, "DELETE t FROM "+table+" t JOIN regroup g ON g.id=t.regroup WHERE g.project=? AND g.id<?", w.Project, w.ID); err != nil {
				return err
			}
		}
		for _, q := range []string{"DELETE FROM regroup_event WHERE regroup=?",
			"DELETE FROM regroup_exemplar WHERE regroup=?", "DELETE FROM regroup_part WHERE regroup=?"} {
			if _, err := tx.ExecContext(ctx, q, w.ID); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, "UPDATE regroup SET state=?, ended=? WHERE id=?", string(state),
			db.Micros(w.s.db.Now()), w.ID); err != nil {
			return err
		}
		return projects.Touch(ctx, tx, w.Project)
	})
}

// countStays counts events that have no body and so stayed where they were,
// though others of their variant went.
func (w *regrouping) countStays(ctx context.Context, tx *sql.Tx) error {
	const query = "UPDATE regroup SET stays=(SELECT COALESCE(SUM((SELECT COALESCE(SUM(stands_for),0) FROM event e FORCE INDEX (by_variant) WHERE e.variant=k.variant AND e.has_body=0 AND e.filing<=?) + k.dropped_events),0)" +
		" FROM (SELECT DISTINCT p.variant, v.dropped_events FROM regroup_part p JOIN variant v ON v.id=p.variant WHERE p.regroup=? AND p.whole=0 AND p.target<>0) k) WHERE id=?"
	_, err := tx.ExecContext(ctx, query, w.position, w.ID, w.ID)
	return err
}

// fold lets an issue that nothing is left of lead to where most of it went. Its
// fingerprints lead nowhere from then on; both is written down for the undo.
func (w *regrouping) fold(ctx context.Context, tx *sql.Tx, id int64) error {
	var variants int
	var listed bool
	if err := tx.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM variant WHERE issue=?), EXISTS (SELECT 1 FROM issue_list WHERE issue=?)", id, id).Scan(&variants, &listed); err != nil || variants > 0 || !listed {
		return err
	}
	var into int64
	err := tx.QueryRowContext(ctx, "SELECT v.issue FROM move m JOIN move_variant x ON x.move=m.id JOIN variant v ON v.id=x.variant WHERE m.regroup=? AND m.from_issue=? AND v.issue<>? GROUP BY v.issue ORDER BY SUM(v.events) DESC, v.issue LIMIT 1", w.ID, id, id).Scan(&into)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	from, err := w.s.moves.SideByID(ctx, tx, id)
	if err != nil {
		return err
	}
	row, err := moves.ListRowOf(ctx, tx, id)
	if err != nil {
		return err
	}
	if w.pass == 0 {
		if _, err := tx.ExecContext(ctx, "INSERT INTO regroup_issue (regroup, issue, made, list_row) VALUES (?,?,0,?)", w.ID, id, row); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO regroup_alias (regroup, grouping_version, hash, issue) SELECT ?, grouping_version, hash, issue FROM alias WHERE issue=?", w.ID, id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE regroup SET emptied=emptied+1 WHERE id=?", w.ID); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM alias WHERE issue=?", id); err != nil {
		return err
	}
	if err := issues.LeadTo(ctx, tx, id, into); err != nil {
		return err
	}
	return w.s.moves.AddMoveHistory(ctx, tx, id, nil, w.Actor, "regroup",
		fmt.Sprintf("leads to %s now, for nothing of it stayed; it was %s", w.s.issues.IssueName(ctx, tx, into),
			issue.Describe(from.Status)))
}
