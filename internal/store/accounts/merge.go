package accounts

import (
	"context"
	"database/sql"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
)

// MergePeople says that one person is here twice: from goes into into with their
// teams, roles, notices and what they watch. Their sessions and tokens end. What they
// did keeps the name it was done under. Their issues are handed over before, as of
// somebody who leaves.
func (s *Store) MergePeople(ctx context.Context, from, into *Person) error {
	switch {
	case from.ID == into.ID:
		return problem.New(problem.BadInput, "%s is one person already", into.Name)
	case from.Team || into.Team:
		return problem.New(problem.BadInput, "only people can be merged, not teams")
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if !into.Operator {
			if err := s.otherOperators(ctx, tx, from); err != nil {
				return err
			}
		}
		now := db.Micros(s.db.Now())
		for _, q := range []struct {
			text string
			args []any
		}{
			{"UPDATE notice SET person=? WHERE person=?", []any{into.ID, from.ID}},
			{"INSERT IGNORE INTO watcher (issue, person) SELECT issue, ? FROM watcher WHERE person=?",
				[]any{into.ID, from.ID}},
			{"INSERT IGNORE INTO team_member (team, person) SELECT team, ? FROM team_member WHERE person=?",
				[]any{into.ID, from.ID}},
			{"INSERT INTO project_role (person, project, role, changed) SELECT ?, r.project, r.role, ? FROM project_role r WHERE r.person=? ON DUPLICATE KEY UPDATE role=GREATEST(project_role.role, VALUES(role)), changed=VALUES(changed)",
				[]any{into.ID, now, from.ID}},
			{"UPDATE person SET left_at=?, merged_into=? WHERE id=?", []any{now, into.ID, from.ID}},
			{"UPDATE person SET merged_into=? WHERE merged_into=?", []any{into.ID, from.ID}},
		} {
			if _, err := tx.ExecContext(ctx, q.text, q.args...); err != nil {
				return err
			}
		}
		if err := endAccess(ctx, tx, from.ID); err != nil {
			return err
		}
		if err := rolesChanged(ctx, tx, now, into.ID); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(),
			audit.Act{Action: "people merged", Target: from.Name + " into " + into.Name,
				Before: stateOf(from), After: stateOf(into)})
	})
}
