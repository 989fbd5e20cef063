package retention

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"

	"firethorn/internal/core/columns"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/segments"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/status"
)

// Deletion says what goes with an issue.
type Deletion struct {
	Events, Bodies, Users, Feedback int64
	MergedFrom                      int64 // numbers that lead to it
}

// WhatGoes counts what deleting an issue would remove.
func (s *Service) WhatGoes(ctx context.Context, id int64) (Deletion, error) {
	return whatGoes(ctx, s.db, id, "")
}

func whatGoes(ctx context.Context, q db.Querier, id int64, lock string) (d Deletion, err error) {
	err = q.QueryRowContext(ctx, "SELECT l.events, l.bodies, l.users, (SELECT COUNT(*) FROM variant v JOIN feedback f ON f.variant=v.id WHERE v.issue=l.issue), (SELECT COUNT(*) FROM issue i WHERE i.merged_into=l.issue) FROM issue_list l WHERE l.issue=?"+lock, id).
		Scan(&d.Events, &d.Bodies, &d.Users, &d.Feedback, &d.MergedFrom)
	return d, err
}

// Delete removes an issue with all its events, for good. events is how many
// anyone who asks believes go with it: while it is not so many, nothing is done.
// The number stays taken, and says who deleted it; what comes under its
// fingerprints from now on is a new issue. Events go in the background.
func (s *Service) Delete(ctx context.Context, id int64, events int64, who accounts.Actor) (Deletion, error) {
	var d Deletion
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		project, st, err := s.status.Lock(ctx, tx, id)
		if err != nil {
			return err
		}
		name := s.issues.IssueName(ctx, tx, id)
		if st == nil {
			return problem.New(problem.NotFound, "%s is no issue of its own any more", name)
		}
		var moving, anew int
		if err := tx.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM move WHERE project=? AND following=1), (SELECT COUNT(*) FROM regroup WHERE project=? AND state NOT IN ('done','stopped','undone'))", project, project).
			Scan(&moving, &anew); err != nil {
			return err
		}
		if moving+anew > 0 {
			return problem.New(
				problem.Conflict,
				"counts are still following a merge, a split or a regrouping; delete %s once they are there (firethorn status says when)",
				name,
			)
		}
		if d, err = whatGoes(ctx, tx, id, " FOR UPDATE"); err != nil {
			return err
		}
		if d.Events != events {
			return problem.New(
				problem.Stale,
				"%s has %d events by now, not %d; look again, then confirm with that number",
				name,
				d.Events,
				events,
			)
		}
		if err := s.looseVariants(ctx, tx, id); err != nil {
			return err
		}
		for _, q := range []struct {
			text string
			args []any
		}{
			{"DELETE FROM alias WHERE issue=?", []any{id}},
			{"DELETE FROM issue_list WHERE issue=?", []any{id}},
			{"DELETE FROM parked WHERE issue=?", []any{id}},
			{"DELETE FROM notice WHERE issue=?", []any{id}},
			{"DELETE FROM round_passed WHERE issue=?", []any{id}},
			{"DELETE a FROM delivery_attempt a JOIN delivery d ON d.id=a.delivery WHERE d.issue=?", []any{id}},
			{"DELETE FROM delivery WHERE issue=?", []any{id}},
			{"DELETE FROM alert_occurrence WHERE issue=?", []any{id}},
			{"DELETE FROM issue_word WHERE issue=?", []any{id}},
			{"UPDATE issue SET deleted=?, deleted_by=?, version=version+1 WHERE id=?", []any{db.Micros(s.db.Now()), who.Name, id}},
		} {
			if _, err := tx.ExecContext(ctx, q.text, q.args...); err != nil {
				return err
			}
		}
		if err := issues.MembersChanged(ctx, tx, project); err != nil {
			return err
		}
		if err := projects.Touch(ctx, tx, project); err != nil {
			return err
		}
		if err := projects.Record(ctx, tx, s.db.Now(), project, audit.Act{Action: "issue deleted", Target: name,
			Before: map[string]int64{"events": d.Events, "users": d.Users}}); err != nil {
			return err
		}
		words := fmt.Sprintf("deleted with %s of %s", text.Counted(d.Events, "event"), text.Counted(d.Users, "user"))
		return s.status.Record(ctx, tx, project, id,
			status.HistoryLine{Entry: issue.Entry{Kind: "delete", Text: words}, Who: who})
	})
	return d, err
}

// looseVariants gives the variants of an issue keys that nothing computes, so
// that new events make new ones.
func (s *Service) looseVariants(ctx context.Context, tx *sql.Tx, id int64) error {
	ids, err := db.Numbers(ctx, tx, "SELECT id FROM variant WHERE issue=?", id)
	for _, v := range ids {
		if err != nil {
			return err
		}
		var key [16]byte
		rand.Read(key[:])
		_, err = tx.ExecContext(
			ctx,
			"UPDATE variant SET hash=?, fingerprint=?, base=NULL, base_fingerprint=NULL, provisional=0, sketched=1 WHERE id=?",
			key[:],
			key[:],
			v,
		)
	}
	return err
}

// Emptying lists the projects with deleted issues whose events are still there.
func (s *Service) Emptying(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM issue WHERE emptied=0 AND deleted IS NOT NULL")
}

// emptyChunk is how many events go in one transaction.
const emptyChunk = 2000

// EmptyNext removes a part of the remaining rows of a deleted issue.
func (s *Service) EmptyNext(ctx context.Context, project int64) (more bool, err error) {
	var id, variant int64
	err = s.db.QueryRowContext(ctx, "SELECT i.id, COALESCE((SELECT MIN(v.id) FROM variant v WHERE v.issue=i.id), 0) FROM issue i WHERE i.emptied=0 AND i.deleted IS NOT NULL AND i.project=? ORDER BY i.id LIMIT 1", project).
		Scan(&id, &variant)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return true, s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		if variant == 0 {
			return s.emptyRows(ctx, tx, id)
		}
		n, err := s.emptyEvents(ctx, tx, project, variant)
		if err != nil || n > 0 {
			return err
		}
		for _, q := range []string{
			"DELETE FROM newest_body WHERE variant=?", "DELETE FROM exemplar WHERE variant=?",
			"DELETE FROM feedback WHERE variant=?", "DELETE FROM sketch WHERE variant=?",
			"UPDATE sketch_count c JOIN sketch_feature f ON f.project=c.project AND f.feature=c.feature SET c.variants=IF(c.variants>0, c.variants-1, 0) WHERE f.variant=?", "DELETE FROM sketch_feature WHERE variant=?",
			"DELETE FROM move_variant WHERE variant=?", "DELETE FROM variant_fact WHERE variant=?",
			"DELETE FROM variant WHERE id=?",
		} {
			if _, err := tx.ExecContext(ctx, q, variant); err != nil {
				return err
			}
		}
		return nil
	})
}

// emptyEvents removes some events of a variant.
func (s *Service) emptyEvents(ctx context.Context, tx *sql.Tx, project, variant int64) (int, error) {
	var keys []events.Key
	var gone []segments.Change
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var k events.Key
		err := r.Scan(&k.Position, &k.KeepDay)
		keys = append(keys, k)
		gone = append(gone, segments.Change{Position: k.Position, KeepDay: k.KeepDay, Patch: columns.Patch{Gone: true}})
		return err
	}, "SELECT filing, keep_day FROM event WHERE variant=? ORDER BY has_body, filing LIMIT ?", variant, emptyChunk)
	if err != nil || len(keys) == 0 {
		return 0, err
	}
	if err := segments.WriteChanges(ctx, tx, project, gone); err != nil {
		return 0, err
	}
	for cond, args := range events.ByKeys(project, keys) {
		for _, table := range []string{"event_body", "event"} {
			if _, err := tx.ExecContext(ctx, "DELETE e FROM "+table+" e WHERE "+cond, args...); err != nil {
				return 0, err
			}
		}
	}
	return len(keys), nil
}

// emptyRows removes what was counted of a deleted issue, once it has no events
// any more, a part of each table at a time.
func (s *Service) emptyRows(ctx context.Context, tx *sql.Tx, id int64) error {
	if err := releases.DropIssue(ctx, tx, id); err != nil {
		return err
	}
	left := int64(0)
	tables := []string{"issue_trend", "dictionary", "comment", "watcher", "ticket_issue"}
	for _, f := range moves.Followers {
		tables = append(tables, f.Table)
	}
	for _, table := range tables {
		res, err := tx.ExecContext(ctx, "DELETE FROM "+table+" WHERE issue=? LIMIT ?", id, emptyChunk)
		if err != nil {
			return err
		}
		n, err := res.RowsAffected()
		if err != nil {
			return err
		}
		left += n
	}
	if left > 0 {
		return nil
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue SET emptied=1 WHERE id=?", id)
	return err
}
