package triage

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/status"
)

// Act performs an action on an issue in one transaction. ifVersion, when not
// 0, must be the issue's version, else fault.Stale. why is what the person says
// to it, and may be empty.
func (s *Service) Act(ctx context.Context, id int64, a issue.Action, why string, who accounts.Actor, ifVersion int64) error {
	d, err := s.decide(ctx, a, why, who)
	if err != nil {
		return err
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error { return s.act(ctx, tx, id, d, ifVersion) })
}

// decision is an action on its way to issues.
type decision struct {
	issue.Action
	to   *accounts.Person // Assign
	why  string
	who  accounts.Actor
	bulk int64

	detail string // JSON, "" for none
}

func (s *Service) decide(ctx context.Context, a issue.Action, why string, who accounts.Actor) (decision, error) {
	d := decision{Action: a, why: strings.TrimSpace(why), who: who}
	d.At = s.db.Now().UTC().Truncate(time.Microsecond)
	if who.Kind == "person" {
		d.By = who.Name
	}
	if a.Verb == issue.Assign && a.To != "" {
		p, err := s.accounts.FindHere(ctx, a.To)
		if err != nil {
			return d, err
		}
		d.to, d.To = p, p.Name
	}
	return d, nil
}

func (s *Service) act(ctx context.Context, tx *sql.Tx, id int64, d decision, ifVersion int64) error {
	var st issues.StatusRow
	var version, project int64
	var into sql.NullInt64
	var name string
	// The project's counter comes before the issue in the lock order.
	if err := tx.QueryRowContext(ctx, "SELECT p.id, p.name FROM issue i JOIN project p ON p.id=i.project WHERE i.id=?", id).Scan(&project, &name); err != nil {
		return err
	}
	if err := projects.Lock(ctx, tx, project); err != nil {
		return err
	}
	scan := issues.StatusScan{St: &st}
	err := tx.QueryRowContext(ctx, "SELECT i.version, i.merged_into, COALESCE((SELECT l.calls_at FROM issue_list l WHERE l.issue=i.id),0), "+issues.StatusColumns+" FROM issue i WHERE i.id=? AND i.deleted IS NULL FOR UPDATE", id).Scan(append([]any{&version, &into, &st.CallsAt}, scan.Into()...)...)
	if errors.Is(err, sql.ErrNoRows) {
		return fault.New(fault.NotFound, "this issue was deleted in between")
	}
	if err == nil {
		err = scan.Done()
	}
	if err != nil {
		return err
	}
	if ifVersion != 0 && ifVersion != version {
		return s.staleNow(ctx, tx, id)
	}
	nextOwner, calls := st.OwnerID, int64(0)
	switch d.Verb {
	case issue.Undo:
		last, err := lastUndoable(ctx, tx, id)
		if err != nil {
			return err
		}
		if last.move == 0 && into.Valid {
			return fault.New(fault.Conflict, "this number leads to %s now; there is nothing to undo here", s.issues.IssueName(ctx, tx, into.Int64))
		}
		if last.move != 0 {
			return s.moves.UndoMove(ctx, tx, &projects.Project{Project: pipeline.Project{ID: project, Name: name}}, last.move, d.who)
		}
		if last.before != nil {
			d.Before, d.Undone, nextOwner, calls = &last.before.Standing, last.kind, last.before.OwnerID, last.before.CallsAt
			if _, err := tx.ExecContext(ctx, "UPDATE history SET undone=1 WHERE id=?", last.entry); err != nil {
				return err
			}
		}
	case issue.Fixing:
		if err := s.completeFix(ctx, tx, project, &d.Fix); err != nil {
			return err
		}
	case issue.Parking:
		if err := s.completePark(ctx, tx, project, id, &d.Park); err != nil {
			return err
		}
	}
	next, entry, err := issue.Apply(st.Standing, d.Action)
	if err != nil {
		return err
	}
	if d.Verb == issue.Assign {
		nextOwner = 0
		if d.to != nil {
			nextOwner = d.to.ID
		}
	}
	if d.Verb == issue.Parking { // what came since counts anew
		if _, err := tx.ExecContext(ctx, "DELETE FROM parked WHERE issue=?", id); err != nil {
			return err
		}
	}
	if err := s.status.Save(ctx, tx, project, id, issues.StatusRow{Standing: next, OwnerID: nextOwner}, true); err != nil {
		return err
	}
	if err := s.status.CopyState(ctx, tx, id, next.State); err != nil {
		return err
	}
	switch {
	case d.Verb == issue.Undo && calls != 0: // it calls again, as it did
		_, err = tx.ExecContext(ctx, "UPDATE issue_list SET calls_at=GREATEST(calls_at, ?) WHERE issue=?", calls, id)
	case d.Verb != issue.Undo && d.Verb != issue.Grade: // it was decided about
		_, err = tx.ExecContext(ctx, "UPDATE issue_list SET calls_at=0 WHERE issue=?", id)
	}
	if err != nil {
		return err
	}
	if err := passedBy(ctx, tx, id, d, db.Micros(s.db.Now())); err != nil {
		return err
	}
	t := status.HistoryLine{Entry: entry, Who: d.who, Why: d.why, Bulk: d.bulk}
	if d.detail != "" {
		t.Detail = json.RawMessage(d.detail)
	}
	if entry.Before != nil {
		t.Before = &st
	}
	if err := s.status.Record(ctx, tx, project, id, t); err != nil {
		return err
	}
	if next.State == issue.Fixed && next.FixedIn == "" {
		if err := s.status.FindReleasesOf(ctx, tx, project, id); err != nil {
			return err
		}
	}
	_, err = tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", project)
	return err
}

// staleNow says who decided in between, and what.
func (s *Service) staleNow(ctx context.Context, tx *sql.Tx, id int64) error {
	var who, what string
	err := tx.QueryRowContext(ctx, "SELECT actor, words FROM history WHERE issue=? AND actor<>'' ORDER BY id DESC LIMIT 1", id).Scan(&who, &what)
	if errors.Is(err, sql.ErrNoRows) {
		return fault.New(fault.Stale, "somebody changed this issue in between; load it again and decide anew")
	}
	if err != nil {
		return err
	}
	return fault.New(fault.Stale, "%s changed this issue in between (%s); look again and decide anew", who, what)
}

// passedBy notes that who decides has seen an issue as it stands, so that it is
// in their round no more; what they take back is again.
func passedBy(ctx context.Context, tx *sql.Tx, id int64, d decision, at int64) error {
	switch {
	case d.By == "" || d.Verb == issue.Grade:
		return nil
	case d.Verb == issue.Undo:
		_, err := tx.ExecContext(ctx, "DELETE FROM round_passed WHERE issue=? AND person=(SELECT id FROM person WHERE name=?)", id, d.By)
		return err
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO round_passed (person, issue, at) SELECT id, ?, ? FROM person WHERE name=? ON DUPLICATE KEY UPDATE at=VALUES(at)", id, at, d.By)
	return err
}

// completeFix fills in what a fix means that only the service knows.
func (s *Service) completeFix(ctx context.Context, tx *sql.Tx, project int64, f *issue.Fix) error {
	switch f.Kind {
	case issue.FixNext:
		newest, err := s.newestRelease(ctx, tx, project)
		f.After = newest
		return err
	case issue.FixCommit:
		f.Commit = strings.ToLower(f.Commit)
		if !releases.CommitForm.MatchString(f.Commit) {
			return fault.New(fault.BadInput, "%q is no commit: write its hash, 7 to 64 hexadecimal digits", event.TrimText(f.Commit, 80))
		}
		g, err := s.releases.GraphIn(ctx, tx, project)
		f.Commit = releases.FullCommit(g, f.Commit)
		return err
	}
	return nil
}

// completePark fills in where an issue stands when it is parked.
func (s *Service) completePark(ctx context.Context, tx *sql.Tx, project, id int64, p *issue.Park) (err error) {
	if p.NextRelease {
		if p.After, err = s.newestRelease(ctx, tx, project); err != nil {
			return err
		}
	}
	if p.Doubled {
		err = tx.QueryRowContext(ctx, "SELECT COALESCE(SUM(events),0)/? FROM issue_trend WHERE issue=? AND day>?", issue.RateDays, id, db.Day(s.db.Now())-issue.RateDays).Scan(&p.Rate)
	}
	return err
}

func (s *Service) newestRelease(ctx context.Context, tx *sql.Tx, project int64) (string, error) {
	k, err := s.releases.Known(ctx, tx, project)
	if err != nil {
		return "", err
	}
	list, err := s.releases.Ordered(ctx, tx, project, k)
	if err != nil || len(list) == 0 {
		return "", err
	}
	return list[len(list)-1].Version, nil
}

// undoable is what the newest decision that was not undone has changed: a
// standing, or variants that a merge or a split moved here or away from here.
type undoable struct {
	entry, move int64
	kind        issue.Kind
	before      *issues.StatusRow
}

func lastUndoable(ctx context.Context, tx *sql.Tx, id int64) (u undoable, err error) {
	var text sql.NullString
	var move sql.NullInt64
	err = tx.QueryRowContext(ctx, "SELECT id, kind, standing_before, move FROM history WHERE issue=? AND (standing_before IS NOT NULL OR move IS NOT NULL) AND undone=0 ORDER BY id DESC LIMIT 1", id).Scan(&u.entry, &u.kind, &text, &move)
	if errors.Is(err, sql.ErrNoRows) {
		return undoable{}, nil
	}
	u.move = move.Int64
	if err != nil || move.Valid {
		return u, err
	}
	u.before = &issues.StatusRow{}
	return u, json.Unmarshal([]byte(text.String), u.before)
}
