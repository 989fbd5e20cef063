package status

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/tickets"
)

// Change is what happens to one issue, whose project is locked.
type Change struct {
	Project, Issue int64
	Before         issues.StatusRow
	After          *issues.StatusRow // nil: the status stays as it is
	Person         bool              // a person decided: the version grows, so that others look first

	// Need says whether the issue needs a decision from now on. Since, for undo,
	// is since when it needed the one that is undone.
	Need  issue.Need
	Since time.Time

	// Entry is what the history says; without a kind it says nothing.
	Entry HistoryLine
}

// Change changes the status of an issue: its row, its row in the list with since
// when it needs a decision, its history, and the notices of those concerned.
// Nothing else writes these columns.
func (s *Service) Change(ctx context.Context, tx *sql.Tx, c Change) error {
	after := c.Before
	if c.After != nil {
		after = *c.After
		if err := s.save(ctx, tx, c); err != nil {
			return err
		}
	}
	listed := c.Person || c.Need != issue.NeedByState || after.State != c.Before.State ||
		after.OwnerID != c.Before.OwnerID || after.Severity != c.Before.Severity
	if listed { // else the list shows nothing of it
		if err := s.updateList(ctx, tx, c.Issue, after.State, c.Need, c.Since); err != nil {
			return err
		}
	}
	if after.OwnerID != c.Before.OwnerID && after.OwnerID != 0 && c.Entry.Kind != issue.Kind(issue.Undo) {
		if err := s.occurred(ctx, tx, c.Project, c.Issue, "assigned", c.Entry); err != nil {
			return err
		}
	}
	if was, is := closed(c.Before.State), closed(after.State); was != is {
		if err := tickets.Changed(ctx, tx, c.Issue, tracker(c.Entry.Who), s.db.Now()); err != nil {
			return err
		}
	}
	if c.Entry.Kind == "" {
		return nil
	}
	return s.Record(ctx, tx, c.Project, c.Issue, c.Entry)
}

// closed says whether tickets of an issue in this state are to be closed.
func closed(st issue.State) bool { return st == issue.Fixed || st == issue.Dismissed }

// tracker is the destination whose ticket caused a change; 0: none.
func tracker(who accounts.Actor) int64 {
	if who.Kind == accounts.Tracker {
		return who.ID
	}
	return 0
}

// save writes the status into the issue's own row.
func (s *Service) save(ctx context.Context, tx *sql.Tx, c Change) error {
	st := c.After
	var at, parked, until any
	if !st.FixedAt.IsZero() {
		at = db.Micros(st.FixedAt)
	}
	if st.State == issue.Parked {
		raw, err := json.Marshal(st.Parked)
		if err != nil {
			return err
		}
		parked = string(raw)
		if !st.Parked.Until.IsZero() {
			until = db.Micros(st.Parked.Until)
		}
	}
	grow := 0
	if c.Person {
		grow = 1
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue SET state=?, fixed_in=?, fix_kind=?, fix_after=?, fix_commit=?, fix_at=?, fix_by=?, parked=?, count_only=?, severity=?, owner=?, version=version+? WHERE id=?",
		string(st.State), st.FixedIn, string(st.Kind), st.After, st.Commit, at, st.FixedBy, parked, st.CountOnly,
		st.Severity, db.NullID(st.OwnerID), grow, c.Issue)
	if err != nil {
		return err
	}
	if st.State == issue.Parked {
		_, err = tx.ExecContext(ctx, "INSERT INTO parked (issue, project, until) VALUES (?,?,?) ON DUPLICATE KEY UPDATE until=VALUES(until)", c.Issue, c.Project, until)
	} else {
		_, err = tx.ExecContext(ctx, "DELETE FROM parked WHERE issue=?", c.Issue)
	}
	return err
}

// updateList brings into the list: the state, who has the issue, the impact,
// which depends on both, and since when the issue needs a decision.
func (s *Service) updateList(ctx context.Context, tx *sql.Tx, id int64, st issue.State, need issue.Need,
	restored time.Time) error {
	now := s.db.Now().UTC()
	var project, windowDay, needed int64
	var was issue.State
	var owner sql.NullInt64
	x := issues.Scored{State: st}
	err := db.FirstInto(ctx, tx, db.Into{"project": &project, "state": &was, "needs_decision_at": &needed, "owner": &owner, "window_day": &windowDay, "window_users": &x.Users, "window_events": &x.Events, "unhandled": &x.Unhandled, "first_seen": &x.FirstSeen, "first_release": &x.FirstRelease, "severity": &x.Severity, "grade": &x.Grade, "recent": &x.Recent}, "SELECT l.project, l.state, l.needs_decision_at, i.owner, l.window_day, l.window_users, l.window_events, l.unhandled, l.first_seen, COALESCE(l.first_release,0) AS first_release, l.severity, i.severity AS grade,"+
		" (SELECT COALESCE(SUM(t.events),0) FROM issue_trend t WHERE t.issue=l.issue AND t.day>=?) AS recent FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.issue=? FOR UPDATE", issues.FirstRecent(now), id)
	if err != nil {
		return err
	}
	today := int64(db.Day(now))
	if windowDay < today {
		windows, err := issues.MoveWindows(ctx, tx, []int64{id}, issues.WindowStart(now))
		if err != nil {
			return err
		}
		x.Events, x.Users = windows[id].Events, windows[id].Users
	}
	b, err := s.issues.ScoringInputs(ctx, tx, project)
	if err != nil {
		return err
	}
	since := issues.NeededAt(issue.NeededSince(issues.NeededSince(needed), was, st, need, now))
	if !restored.IsZero() {
		since = max(since, db.Micros(restored))
	}
	score := b.Score(x, now)
	_, err = tx.ExecContext(ctx, "UPDATE issue_list SET state=?, needs_decision_at=?, owner=?, window_day=?, window_events=?, window_users=?, impact=?, scoring_version=?, stale_at=? WHERE issue=?",
		string(st), since, owner, max(windowDay, today), x.Events, x.Users, score.Tenths(), b.Version,
		issues.StaleAt(score, x.Events, now), id)
	return err
}

// Repair brings state and owner of an issue into the list again; one whose state
// needs a decision needs one. An issue that was merged away has no row.
func (s *Service) Repair(ctx context.Context, tx *sql.Tx, id int64) error {
	const list = "UPDATE issue_list l JOIN issue i ON i.id=l.issue SET l.state=i.state, l.owner=i.owner, l.needs_decision_at=IF(i.state IN ('new','regressed'), GREATEST(l.needs_decision_at, 1), l.needs_decision_at) WHERE l.issue=?"
	if _, err := tx.ExecContext(ctx, list, id); err != nil {
		return err
	}
	return s.Refresh(ctx, tx, id)
}

// Refresh computes the impact of an issue again from what its row in the list
// says; an issue that was merged away has none.
func (s *Service) Refresh(ctx context.Context, tx *sql.Tx, id int64) error {
	var st issue.State
	err := tx.QueryRowContext(ctx, "SELECT state FROM issue_list WHERE issue=?", id).Scan(&st)
	if err == sql.ErrNoRows {
		return nil
	}
	if err != nil {
		return err
	}
	return s.updateList(ctx, tx, id, st, issue.NeedByState, time.Time{})
}
