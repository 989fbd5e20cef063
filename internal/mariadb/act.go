package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/pipeline"
)

// Actor is who does something.
type Actor struct{ Kind, Name string }

// standingRow is what undo must restore exactly: the owner by id, which a
// later change of name does not touch.
type standingRow struct {
	issue.Standing
	OwnerID int64 `json:"owner_id,omitempty"`
}

// Act performs an action on an issue in one transaction. ifVersion, when not
// 0, must be the issue's version, else fault.Stale.
func (s *Store) Act(ctx context.Context, id int64, a issue.Action, who Actor, ifVersion int64) error {
	var to *Person
	if a.Verb == issue.Assign && a.To != "" {
		p, err := s.FindPerson(ctx, a.To)
		if err != nil {
			return err
		}
		to, a.To = p, p.Name
	}
	return s.InTx(ctx, func(tx *sql.Tx) error { return s.act(ctx, tx, id, a, to, who, ifVersion) })
}

func (s *Store) act(ctx context.Context, tx *sql.Tx, id int64, a issue.Action, to *Person, who Actor, ifVersion int64) error {
	var st standingRow
	var version, project int64
	var owner, into sql.NullInt64
	var name string
	// The project's counter comes before the issue in the lock order.
	if err := tx.QueryRowContext(ctx, "SELECT p.id, p.name FROM issue i JOIN project p ON p.id=i.project WHERE i.id=?", id).Scan(&project, &name); err != nil {
		return err
	}
	if err := lockProject(ctx, tx, project); err != nil {
		return err
	}
	err := tx.QueryRowContext(ctx, "SELECT i.state, i.fixed_in, i.owner, i.version, i.merged_into FROM issue i WHERE i.id=? FOR UPDATE", id).Scan(&st.State, &st.FixedIn, &owner, &version, &into)
	if err != nil {
		return err
	}
	if ifVersion != 0 && ifVersion != version {
		return fault.New(fault.Stale, "somebody changed this issue in between; load it again and decide anew")
	}
	st.OwnerID = owner.Int64
	if owner.Valid {
		if err := tx.QueryRowContext(ctx, "SELECT name FROM person WHERE id=?", owner.Int64).Scan(&st.Owner); err != nil {
			return err
		}
	}
	nextOwner := st.OwnerID
	if a.Verb == issue.Undo {
		before, entry, moved, err := lastUndoable(ctx, tx, id)
		if err != nil {
			return err
		}
		if moved == 0 && into.Valid {
			return fault.New(fault.Conflict, "this number leads to %s now; there is nothing to undo here", s.issueName(ctx, tx, into.Int64))
		}
		if moved != 0 {
			return s.undoMove(ctx, tx, &Project{Project: pipeline.Project{ID: project, Name: name}}, moved, who)
		}
		if before != nil {
			a.Before, nextOwner = &before.Standing, before.OwnerID
			if _, err := tx.ExecContext(ctx, "UPDATE history SET undone=1 WHERE id=?", entry); err != nil {
				return err
			}
		}
	}
	next, entry, err := issue.Apply(st.Standing, a)
	if err != nil {
		return err
	}
	if a.Verb == issue.Assign {
		nextOwner = 0
		if to != nil {
			nextOwner = to.ID
		}
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET state=?, fixed_in=?, owner=?, version=version+1 WHERE id=?", string(next.State), next.FixedIn, nullID(nextOwner), id); err != nil {
		return err
	}
	if err := copyState(ctx, tx, id, next.State); err != nil {
		return err
	}
	var before any
	if entry.Before != nil {
		raw, err := json.Marshal(st)
		if err != nil {
			return err
		}
		before = string(raw)
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO history (issue, at, actor_kind, actor, kind, words, standing_before) VALUES (?,?,?,?,?,?,?)",
		id, micros(s.now()), who.Kind, who.Name, entry.Kind, entry.Words, before); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", project)
	return err
}

// lastUndoable is what the newest decision that was not undone has changed: a
// standing, or variants that a merge or a split moved here or away from here.
func lastUndoable(ctx context.Context, tx *sql.Tx, id int64) (before *standingRow, entry, moved int64, err error) {
	var text sql.NullString
	var move sql.NullInt64
	err = tx.QueryRowContext(ctx, "SELECT id, standing_before, move FROM history WHERE issue=? AND (standing_before IS NOT NULL OR move IS NOT NULL) AND undone=0 ORDER BY id DESC LIMIT 1", id).Scan(&entry, &text, &move)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, 0, 0, nil
	}
	if err != nil || move.Valid {
		return nil, entry, move.Int64, err
	}
	var st standingRow
	return &st, entry, 0, json.Unmarshal([]byte(text.String), &st)
}

// copyState brings the state, and the impact that depends on it, into the list.
func copyState(ctx context.Context, tx *sql.Tx, id int64, st issue.State) error {
	var f impact.Facts
	if err := tx.QueryRowContext(ctx, "SELECT window_users, window_events, unhandled FROM issue_list WHERE issue=? FOR UPDATE", id).Scan(&f.Users, &f.Events, &f.Unhandled); err != nil {
		return err
	}
	f.Regressed = st == issue.Regressed
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET state=?, impact=? WHERE issue=?", string(st), impact.Of(f).Tenths(), id)
	return err
}

// SweepWindows brings the impact of issues up to date whose newest days have
// left the window since they were last filed. It returns how many it changed.
func (s *Store) SweepWindows(ctx context.Context) (int, error) {
	today := Day(s.now())
	ids, err := numbers(ctx, s.db, "SELECT issue FROM issue_list WHERE window_day<? AND window_events>0 LIMIT 5000", today)
	if err != nil {
		return 0, err
	}
	slices.Sort(ids)
	for _, id := range ids {
		err := s.InTx(ctx, func(tx *sql.Tx) error {
			var f impact.Facts
			var project int64
			var st issue.State
			if err := tx.QueryRowContext(ctx, "SELECT c.project FROM project_counter c JOIN issue i ON i.project=c.project WHERE i.id=? FOR UPDATE", id).Scan(&project); err != nil {
				return err
			}
			err := tx.QueryRowContext(ctx, "SELECT state, unhandled FROM issue_list WHERE issue=? FOR UPDATE", id).Scan(&st, &f.Unhandled)
			if errors.Is(err, sql.ErrNoRows) {
				return nil // it was merged since
			}
			if err != nil {
				return err
			}
			if err := windowOf(ctx, tx, id, today-impact.Window+1, &f.Events, &f.Users); err != nil {
				return err
			}
			f.Regressed = st == issue.Regressed
			_, err = tx.ExecContext(ctx, "UPDATE issue_list SET window_day=?, window_events=?, window_users=?, impact=? WHERE issue=?", today, f.Events, f.Users, impact.Of(f).Tenths(), id)
			return err
		})
		if err != nil {
			return 0, err
		}
	}
	return len(ids), nil
}
