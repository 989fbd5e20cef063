package triage

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/status"
)

// Act performs an action on an issue in one transaction. ifVersion, when not
// 0, must be the issue's version, else problem.Stale. why is what the person says
// to it, and may be empty.
func (s *Service) Act(ctx context.Context, id int64, a issue.Action, why string, who accounts.Actor,
	ifVersion int64) error {
	d, err := s.decide(ctx, a, why, who)
	if err != nil {
		return err
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error { return s.act(ctx, tx, id, d, ifVersion) })
}

// ActIn is Act within a transaction.
func (s *Service) ActIn(ctx context.Context, tx *sql.Tx, id int64, a issue.Action, why string,
	who accounts.Actor) error {
	d, err := s.decide(ctx, a, why, who)
	if err != nil {
		return err
	}
	return s.act(ctx, tx, id, d, 0)
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

// act decides about one issue: its status is read and locked, what only the
// service knows is filled in, the state machine answers, and all of it is written.
func (s *Service) act(ctx context.Context, tx *sql.Tx, id int64, d decision, ifVersion int64) error {
	is, err := s.lock(ctx, tx, id)
	if err != nil {
		return err
	}
	if ifVersion != 0 && ifVersion != is.version {
		return s.staleNow(ctx, tx, id)
	}
	after := issues.StatusRow{OwnerID: is.status.OwnerID}
	var since time.Time // Undo: since when the issue needed the decision
	switch d.Verb {
	case issue.Undo:
		last, err := lastUndoable(ctx, tx, id)
		if err != nil {
			return err
		}
		if last.move == 0 && is.into.Valid {
			return problem.New(problem.Conflict, "this issue is now part of %s; there is nothing to undo here", s.issues.IssueName(ctx, tx, is.into.Int64))
		}
		if last.move != 0 {
			return s.moves.UndoMove(ctx, tx, is.project, last.move, d.who)
		}
		if last.before != nil {
			d.Before, d.Undone, after.OwnerID, since = &last.before.Status, last.kind, last.before.OwnerID,
				issues.NeededSince(last.before.NeedsDecisionAt)
			if err := status.TakeBack(ctx, tx, last.entry); err != nil {
				return err
			}
		}
	case issue.Assign:
		after.OwnerID = d.toID()
	case issue.Fixing:
		err = s.completeFix(ctx, tx, is.project.ID, &d.Fix)
	case issue.Parking:
		err = s.completePark(ctx, tx, is.project.ID, id, &d.Park)
	}
	if err != nil {
		return err
	}
	next, entry, err := issue.Apply(is.status.Status, d.Action)
	if err != nil {
		return err
	}
	after.Status = next
	if d.Verb == issue.Parking { // what came since counts again
		if _, err := tx.ExecContext(ctx, "DELETE FROM parked WHERE issue=?", id); err != nil {
			return err
		}
	}
	c := status.Change{Project: is.project.ID, Issue: id, Before: is.status, After: &after, Person: true, Since: since,
		Entry: d.line(entry, &is.status)}
	if d.Verb != issue.Undo && d.Verb != issue.Grade {
		c.Need = issue.NeedNone
	}
	if err := s.status.Change(ctx, tx, c); err != nil {
		return err
	}
	if err := passedBy(ctx, tx, id, d, db.Micros(s.db.Now())); err != nil {
		return err
	}
	if next.State == issue.Fixed && next.FixedIn == "" {
		if err := s.status.FindReleasesOf(ctx, tx, is.project.ID, id); err != nil {
			return err
		}
	}
	return projects.Touch(ctx, tx, is.project.ID)
}

// line is what the history says of a decision.
func (d decision) line(e issue.Entry, before *issues.StatusRow) status.HistoryLine {
	line := status.HistoryLine{Entry: e, Who: d.who, Why: d.why, Bulk: d.bulk}
	if d.detail != "" {
		line.Detail = json.RawMessage(d.detail)
	}
	if e.Before != nil {
		line.Before = before
	}
	return line
}

// toID is the person or team an issue is assigned to, 0: none.
func (d decision) toID() int64 {
	if d.to == nil {
		return 0
	}
	return d.to.ID
}

// decided is an issue that is about to be decided about, locked.
type decided struct {
	project *projects.Project
	version int64
	into    sql.NullInt64 // the issue that it was merged into
	status  issues.StatusRow
}

// lock locks the project's counter and then the issue, in the order that all
// transactions keep.
func (s *Service) lock(ctx context.Context, tx *sql.Tx, id int64) (*decided, error) {
	is := &decided{project: &projects.Project{}}
	if err := tx.QueryRowContext(ctx, "SELECT p.id, p.name FROM issue i JOIN project p ON p.id=i.project WHERE i.id=?", id).Scan(&is.project.ID, &is.project.Name); err != nil {
		return nil, err
	}
	if err := projects.Lock(ctx, tx, is.project.ID); err != nil {
		return nil, err
	}
	const query = "SELECT i.version, i.merged_into, COALESCE((SELECT l.needs_decision_at FROM issue_list l WHERE l.issue=i.id),0) AS needs_decision_at, " + issues.StatusColumns + " FROM issue i WHERE i.id=? AND i.deleted IS NULL FOR UPDATE"
	err := issues.LockStatus(ctx, tx, &is.status, db.Into{"version": &is.version, "merged_into": &is.into,
		"needs_decision_at": &is.status.NeedsDecisionAt}, query, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "this issue was deleted in between")
	}
	if err != nil {
		return nil, err
	}
	return is, nil
}

// staleNow says who decided in between, and what.
func (s *Service) staleNow(ctx context.Context, tx *sql.Tx, id int64) error {
	var who, what string
	err := tx.QueryRowContext(ctx, "SELECT actor, text FROM history WHERE issue=? AND actor<>'' ORDER BY id DESC LIMIT 1", id).Scan(&who, &what)
	if errors.Is(err, sql.ErrNoRows) {
		return problem.New(problem.Stale, "this issue was changed since you loaded it; load it again, then decide")
	}
	if err != nil {
		return err
	}
	return problem.New(problem.Stale, "%s changed this issue in between (%s); look again and decide again", who, what)
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
			return problem.New(problem.BadInput, "%q is no commit: write its hash, 7 to 64 hexadecimal digits", event.TrimText(f.Commit, 80))
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
	k, err := s.releases.Facts(ctx, tx, project)
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

// lastUndoable finds the newest decision about an issue that was not undone.
func lastUndoable(ctx context.Context, tx *sql.Tx, id int64) (u undoable, err error) {
	var text sql.NullString
	var move sql.NullInt64
	err = tx.QueryRowContext(ctx, "SELECT id, kind, status_before, move FROM history WHERE issue=? AND (status_before IS NOT NULL OR move IS NOT NULL) AND undone=0 ORDER BY id DESC LIMIT 1", id).Scan(&u.entry, &u.kind, &text, &move)
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
