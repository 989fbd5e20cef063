package ingest

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/usecase/status"
)

// issueRow is an issue's row in issue_list, changed in memory and written back
// at the end; standing comes from the issue itself.
type issueRow struct {
	id     int64
	fresh  bool // has no row in issue_list yet
	status issues.StatusRow
	issues.Shown
	events, users               int64
	usersBefore                 int64 // this batch
	windowDay                   int64
	windowEvents, windowUsers   int64
	firstSeen, lastSeen         int64
	firstRelease, lastRelease   int64
	firstPosition, lastPosition int64
	bodies                      int64
	recent                      int64 // events of the last days, once the batch is counted
	grownTo                     int64
	dayUsers                    map[int64]int64    // what this batch adds to each day
	dictionary                  *events.Dictionary // of this week, nil while there is none
	dictionaryMade              bool               // in this transaction
}

func (w *batchTx) windowStart() int { return issues.WindowStart(w.now) }

// loadIssues reads and locks every issue of the batch.
func (w *batchTx) loadIssues(ctx context.Context) error {
	var ids []int64
	for _, r := range w.rows {
		ids = append(ids, r.variant.issue)
	}
	for _, u := range w.lateUsers {
		ids = append(ids, u.issue)
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	for chunk := range slices.Chunk(ids, db.AskedRows) {
		args := make([]any, len(chunk))
		for i, id := range chunk {
			args[i] = id
			w.issues[id] = &issueRow{id: id, fresh: true, dayUsers: map[int64]int64{}, windowDay: int64(db.Day(w.now))}
		}
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var st issues.StatusRow
			if err := issues.ScanStatus(r, &st, db.Into{"id": &id}); err != nil {
				return err
			}
			w.issues[id].status = st
			return nil
		}, "SELECT i.id, "+issues.StatusColumns+" FROM issue i WHERE i.id IN ("+db.Marks(len(chunk))+
			") ORDER BY i.id FOR UPDATE", args...)
		if err != nil {
			return err
		}
		err = db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var is issueRow
			var first, last sql.NullInt64
			if err := db.ScanNames(r,
				db.Into{"issue": &id, "headline": &is.Headline, "place": &is.Place, "message": &is.Message,
					"origin_function": &is.OriginFunction, "origin_file": &is.OriginFile, "origin_line": &is.OriginLine,
					"severity": &is.Severity, "events": &is.events, "users": &is.users, "window_day": &is.windowDay,
					"window_events": &is.windowEvents, "window_users": &is.windowUsers, "unhandled": &is.Unhandled,
					"first_seen": &is.firstSeen, "last_seen": &is.lastSeen, "first_release": &first,
					"last_release": &last, "first_filing": &is.firstPosition, "last_filing": &is.lastPosition,
					"bodies": &is.bodies, "grown_to": &is.grownTo}); err != nil {
				return err
			}
			is.id, is.firstRelease, is.lastRelease = id, first.Int64, last.Int64
			is.status, is.dayUsers, is.usersBefore = w.issues[id].status, map[int64]int64{}, is.users
			w.issues[id] = &is
			return nil
		}, "SELECT issue, headline, place, message, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users, unhandled, first_seen, last_seen, first_release, last_release, first_filing, last_filing, bodies, grown_to FROM issue_list WHERE issue IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return err
		}
	}
	if err := w.moveWindows(ctx); err != nil {
		return err
	}
	for _, r := range w.rows {
		r.issue = w.issues[r.variant.issue]
	}
	return nil
}

// moveWindows counts the issues' windows on the first batch of a day.
func (w *batchTx) moveWindows(ctx context.Context) error {
	today := int64(db.Day(w.now))
	var ids []int64
	for id, is := range w.issues {
		if is.windowDay != today {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	for chunk := range slices.Chunk(ids, db.AskedRows) {
		windows, err := issues.MoveWindows(ctx, w.tx, chunk, w.windowStart())
		if err != nil {
			return err
		}
		for _, id := range chunk {
			is := w.issues[id]
			is.windowDay, is.windowEvents, is.windowUsers = today, windows[id].Events, windows[id].Users
		}
	}
	return nil
}

// writeIssues shows the newest event of each issue, checks for regressions,
// and writes the list rows.
func (w *batchTx) writeIssues(ctx context.Context) error {
	for _, r := range w.rows {
		is, at := r.issue, min(db.Micros(r.When.Thrown), db.Micros(r.Received)) // seen is never after receipt
		if is.firstSeen == 0 || at < is.firstSeen {
			is.firstSeen = at
			is.firstRelease = r.release
		}
		if at >= is.lastSeen {
			is.show(r, at)
		}
		if is.firstPosition == 0 {
			is.firstPosition = r.position
		}
		is.lastPosition = r.position
	}
	if err := w.countRecent(ctx); err != nil {
		return err
	}
	grown := w.grown()
	if err := w.writeRows(ctx); err != nil {
		return err
	}
	if err := w.checkLife(ctx); err != nil {
		return err
	}
	if err := w.recordGrowth(ctx, grown); err != nil {
		return err
	}
	if err := w.give(ctx); err != nil || !w.newRelease {
		return err
	}
	return w.s.status.FindReleases(ctx, w.tx, w.Project.ID)
}

// writeRows writes the rows of the list; what changes a status comes after it.
func (w *batchTx) writeRows(ctx context.Context) error {
	list := make([]status.ListRow, 0, len(w.issues))
	for _, is := range w.issues {
		score := w.inputs.Score(is.scored(), w.now)
		list = append(list, status.ListRow{
			Issue: is.id, New: is.status, Shown: is.Shown, Events: is.events, Users: is.users,
			WindowDay: is.windowDay, WindowEvents: is.windowEvents, WindowUsers: is.windowUsers,
			FirstSeen: is.firstSeen, LastSeen: is.lastSeen, FirstRelease: is.firstRelease, LastRelease: is.lastRelease,
			FirstPosition: is.firstPosition, LastPosition: is.lastPosition,
			Bodies: is.bodies, GrownTo: is.grownTo, Impact: int64(score.Tenths()), Version: w.inputs.Version,
			StaleAt: issues.StaleAt(score, is.windowEvents, w.now),
		})
	}
	return w.s.status.WriteRows(ctx, w.tx, w.Project.ID, list)
}

// show makes r the event that the issue is shown by.
func (is *issueRow) show(r *row, at int64) {
	// One that says no place does not hide it: another report of the same
	// exception may have named it.
	if is.Place == "" || r.Print.Place != "" || r.Event.Log == nil {
		is.Shown = ShownBy(r.Print, r.Event)
	}
	is.lastSeen, is.lastRelease = at, r.release
}

// ShownBy is what the list shows of an issue by one of its events.
func ShownBy(p fingerprint.Result, e *event.Event) issues.Shown {
	return issues.Shown{
		Headline: p.Headline, Place: event.TrimText(p.Place, 490), Message: event.TrimText(p.Message, 990),
		OriginFunction: event.TrimText(p.Origin.Function, 290), OriginFile: event.TrimText(p.Origin.File, 490),
		OriginLine: p.Origin.Line,
		Severity:   string(e.Severity), Unhandled: e.Handled != nil && !*e.Handled,
	}
}

func (is *issueRow) scored() issues.Scored {
	return issues.Scored{
		Users: is.windowUsers, Events: is.windowEvents, Recent: is.recent, FirstSeen: is.firstSeen,
		FirstRelease: is.firstRelease, Unhandled: is.Unhandled,
		State: is.status.State, Severity: is.Severity, Grade: is.status.Severity,
	}
}

// countRecent reads what the last days brought, this batch among it.
func (w *batchTx) countRecent(ctx context.Context) error {
	ids := slices.Sorted(maps.Keys(w.issues))
	for chunk := range slices.Chunk(ids, db.AskedRows) {
		args := []any{issues.FirstRecent(w.now)}
		for _, id := range chunk {
			args = append(args, id)
		}
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id, n int64
			err := r.Scan(&id, &n)
			w.issues[id].recent = n
			return err
		}, "SELECT issue, SUM(events) FROM issue_trend WHERE day>=? AND issue IN ("+db.Marks(len(chunk))+") GROUP BY issue", args...)
		if err != nil {
			return err
		}
	}
	return nil
}

// grown lists the issues that now affect ten times as many users as the last
// time that was said, and notes so.
func (w *batchTx) grown() (list []*issueRow) {
	for _, id := range slices.Sorted(maps.Keys(w.issues)) {
		is := w.issues[id]
		if to := issue.GrownTo(is.users); to > is.grownTo {
			is.grownTo = to
			list = append(list, is)
		}
	}
	return list
}

func (w *batchTx) recordGrowth(ctx context.Context, grown []*issueRow) error {
	for _, is := range grown {
		e := issue.Grow(is.status.Status, is.grownTo)
		if e == nil {
			continue
		}
		c := status.Change{Project: w.Project.ID, Issue: is.id, Before: is.status, Need: issue.NeedNow,
			Entry: status.HistoryLine{Entry: *e, Who: accounts.Service}}
		if err := w.s.status.Change(ctx, w.tx, c); err != nil {
			return err
		}
	}
	return nil
}

// AskMoved has a new issue compared with those that are known, in the
// transaction that makes it.
func AskMoved(ctx context.Context, tx *sql.Tx, project, issue int64) error {
	_, err := tx.ExecContext(ctx, "INSERT IGNORE INTO moved_check (issue, project) VALUES (?,?)", issue, project)
	return err
}
