package status

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
)

// Save writes where an issue stands now; human: a person decided, which
// others must see before they decide.
func (s *Service) Save(ctx context.Context, tx *sql.Tx, project, id int64, st issues.StatusRow, human bool) error {
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
	if human {
		grow = 1
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue SET state=?, fixed_in=?, fix_kind=?, fix_after=?, fix_commit=?, fix_at=?, fix_by=?, parked=?, count_only=?, severity=?, owner=?, version=version+? WHERE id=?",
		string(st.State), st.FixedIn, string(st.Kind), st.After, st.Commit, at, st.FixedBy, parked, st.CountOnly, st.Severity, db.NullID(st.OwnerID), grow, id)
	if err != nil {
		return err
	}
	if st.State == issue.Parked {
		_, err = tx.ExecContext(ctx, "INSERT INTO parked (issue, project, until) VALUES (?,?,?) ON DUPLICATE KEY UPDATE until=VALUES(until)", id, project, until)
	} else {
		_, err = tx.ExecContext(ctx, "DELETE FROM parked WHERE issue=?", id)
	}
	return err
}

// HistoryLine is an entry of a history with all that is kept beside it.
type HistoryLine struct {
	issue.Entry
	Before *issues.StatusRow // what undo restores
	Who    accounts.Actor
	Why    string
	Bulk   int64
	Detail any
}

// Record writes an entry of an issue's history, and a notice to each who should
// hear of it but did not do it.
func (s *Service) Record(ctx context.Context, tx *sql.Tx, project, id int64, t HistoryLine) error {
	var before, detail, rel any
	if t.Before != nil {
		raw, err := json.Marshal(t.Before)
		if err != nil {
			return err
		}
		before = string(raw)
	}
	if t.Detail != nil {
		raw, err := json.Marshal(t.Detail)
		if err != nil {
			return err
		}
		detail = string(raw)
	}
	if t.Release != "" {
		var n sql.NullInt64
		if err := tx.QueryRowContext(ctx, "SELECT (SELECT id FROM app_release WHERE project=? AND hash=?)", project, db.Hash16(t.Release)).Scan(&n); err != nil {
			return err
		}
		rel = n
	}
	at, words := db.Micros(s.db.Now()), event.TrimText(t.Words, 500)
	if _, err := tx.ExecContext(ctx, "INSERT INTO history (issue, at, actor_kind, actor_id, actor, kind, words, standing_before, app_release, why, bulk, detail) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)",
		id, at, t.Who.Kind, t.Who.ID, t.Who.Name, string(t.Kind), words, before, rel, event.TrimText(t.Why, 500), db.NullID(t.Bulk), detail); err != nil {
		return err
	}
	names := slices.Clone(t.Tell)
	if t.Before != nil || len(names) > 0 { // it is news to who watches the issue, too
		watching, err := s.Watching(ctx, tx, id)
		if err != nil {
			return err
		}
		names = append(names, watching...)
	}
	return Notification{project, id, at, t.Who, string(t.Kind), words}.To(ctx, tx, names)
}

// CopyState brings the state, the impact that depends on it, and who has the issue
// into the list.
func (s *Service) CopyState(ctx context.Context, tx *sql.Tx, id int64, st issue.State) error {
	now := s.db.Now().UTC()
	var project, windowDay, calls int64
	var was issue.State
	var owner sql.NullInt64
	x := issues.Scored{State: st}
	err := tx.QueryRowContext(ctx, "SELECT l.project, l.state, l.calls_at, i.owner, l.window_day, l.window_users, l.window_events, l.unhandled, l.first_seen, COALESCE(l.first_release,0), l.severity, i.severity,"+
		" (SELECT COALESCE(SUM(t.events),0) FROM issue_trend t WHERE t.issue=l.issue AND t.day>=?) FROM issue_list l JOIN issue i ON i.id=l.issue WHERE l.issue=? FOR UPDATE", issues.FirstRecent(now), id).
		Scan(&project, &was, &calls, &owner, &windowDay, &x.Users, &x.Events, &x.Unhandled, &x.FirstSeen, &x.FirstRelease, &x.Severity, &x.Grade, &x.Recent)
	if err != nil {
		return err
	}
	today := int64(db.Day(now))
	if windowDay < today {
		if err := issues.WindowOf(ctx, tx, id, issues.WindowStart(now), &x.Events, &x.Users); err != nil {
			return err
		}
	}
	b, err := s.issues.ScoringInputs(ctx, tx, project)
	if err != nil {
		return err
	}
	if issues.NeedsDecision(st) != issues.NeedsDecision(was) { // for somebody to decide
		calls = 0
		if issues.NeedsDecision(st) {
			calls = db.Micros(now)
		}
	}
	score := b.Score(x, now)
	_, err = tx.ExecContext(ctx, "UPDATE issue_list SET state=?, calls_at=?, owner=?, window_day=?, window_events=?, window_users=?, impact=?, basis=?, stale_at=? WHERE issue=?",
		string(st), calls, owner, max(windowDay, today), x.Events, x.Users, score.Tenths(), b.Version, issues.StaleAt(score, x.Events, now), id)
	return err
}
