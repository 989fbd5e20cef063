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
	id       int64
	fresh    bool // has no row in issue_list yet
	standing issues.StatusRow
	Shown
	events, users             int64
	usersBefore               int64 // this batch
	windowDay                 int64
	windowEvents, windowUsers int64
	firstSeen, lastSeen       int64
	firstRelease, lastRelease int64
	firstFiling, lastFiling   int64
	bodies                    int64
	recent                    int64 // events of the last days, once the batch is counted
	grownTo, callsAt          int64
	dayUsers                  map[int64]int64    // what this batch adds to each day
	dictionary                *events.Dictionary // of this week, nil while there is none
	dictionaryMade            bool               // in this transaction
}

// IssueListColumns are the columns of a row in the list, in the order of writing.
const IssueListColumns = "issue, project, state, headline, place, message, words, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users, unhandled, impact, first_seen, last_seen, first_release, last_release, first_filing, last_filing, bodies, basis, stale_at, grown_to, calls_at, owner"

func (w *filing) windowStart() int { return issues.WindowStart(w.now) }

// loadIssues reads and locks every issue of the batch.
func (w *filing) loadIssues(ctx context.Context) error {
	var ids []int64
	for _, r := range w.rows {
		ids = append(ids, r.variant.issue)
	}
	for _, u := range w.lateUsers {
		ids = append(ids, u.issue)
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	for chunk := range slices.Chunk(ids, db.StatementRows) {
		args := make([]any, len(chunk))
		for i, id := range chunk {
			args[i] = id
			w.issues[id] = &issueRow{id: id, fresh: true, dayUsers: map[int64]int64{}, windowDay: int64(db.Day(w.now))}
		}
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var st issues.StatusRow
			scan := issues.StatusScan{St: &st}
			if err := r.Scan(append([]any{&id}, scan.Into()...)...); err != nil {
				return err
			}
			err := scan.Done()
			w.issues[id].standing = st
			return err
		}, "SELECT i.id, "+issues.StatusColumns+" FROM issue i WHERE i.id IN ("+db.Marks(len(chunk))+") ORDER BY i.id FOR UPDATE", args...)
		if err != nil {
			return err
		}
		err = db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var is issueRow
			var first, last sql.NullInt64
			if err := r.Scan(&id, &is.Headline, &is.Place, &is.Message, &is.OriginFunction, &is.OriginFile, &is.OriginLine, &is.Severity,
				&is.events, &is.users, &is.windowDay, &is.windowEvents, &is.windowUsers, &is.Unhandled, &is.firstSeen, &is.lastSeen, &first, &last, &is.firstFiling, &is.lastFiling, &is.bodies, &is.grownTo, &is.callsAt); err != nil {
				return err
			}
			is.id, is.firstRelease, is.lastRelease = id, first.Int64, last.Int64
			is.standing, is.dayUsers, is.usersBefore = w.issues[id].standing, map[int64]int64{}, is.users
			w.issues[id] = &is
			return nil
		}, "SELECT issue, headline, place, message, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users, unhandled, first_seen, last_seen, first_release, last_release, first_filing, last_filing, bodies, grown_to, calls_at FROM issue_list WHERE issue IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return err
		}
	}
	for _, is := range w.issues {
		if is.windowDay != int64(db.Day(w.now)) {
			if err := w.refreshWindow(ctx, is); err != nil {
				return err
			}
		}
	}
	for _, r := range w.rows {
		r.issue = w.issues[r.variant.issue]
	}
	return nil
}

// refreshWindow counts an issue's window anew on the first filing of a day.
func (w *filing) refreshWindow(ctx context.Context, is *issueRow) error {
	start := w.windowStart()
	is.windowDay = int64(db.Day(w.now))
	return issues.WindowOf(ctx, w.tx, is.id, start, &is.windowEvents, &is.windowUsers)
}

// writeIssues shows the newest event of each issue, checks for regressions,
// and writes the list rows.
func (w *filing) writeIssues(ctx context.Context) error {
	for _, r := range w.rows {
		is, at := r.issue, min(db.Micros(r.When.Thrown), db.Micros(r.Received)) // seen is never after receipt
		if is.firstSeen == 0 || at < is.firstSeen {
			is.firstSeen = at
			is.firstRelease = r.release
		}
		if at >= is.lastSeen {
			is.show(r, at)
		}
		if is.firstFiling == 0 {
			is.firstFiling = r.filing
		}
		is.lastFiling = r.filing
	}
	for _, step := range []func(context.Context) error{w.checkLife, w.grow, w.give, w.countRecent} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	rows := make([][]any, 0, len(w.issues))
	for _, is := range w.issues {
		if is.fresh {
			is.callsAt = db.Micros(w.now)
		}
		score := w.basis.Score(is.scored(), w.now)
		rows = append(rows, []any{is.id, w.Project.ID, string(is.standing.State), is.Headline, is.Place, is.Message, issues.SearchText(is.Headline, is.Place, is.Message),
			is.OriginFunction, is.OriginFile, is.OriginLine, is.Severity, is.events, is.users, is.windowDay, is.windowEvents, is.windowUsers, is.Unhandled, score.Tenths(),
			is.firstSeen, is.lastSeen, db.NullID(is.firstRelease), db.NullID(is.lastRelease), is.firstFiling, is.lastFiling, is.bodies, w.basis.Version, issues.StaleAt(score, is.windowEvents, w.now), is.grownTo, is.callsAt, db.NullID(is.standing.OwnerID)})
	}
	const tail = " ON DUPLICATE KEY UPDATE state=VALUES(state), headline=VALUES(headline), place=VALUES(place), message=VALUES(message), words=VALUES(words)," +
		" origin_function=VALUES(origin_function), origin_file=VALUES(origin_file), origin_line=VALUES(origin_line), severity=VALUES(severity)," +
		" events=VALUES(events), users=VALUES(users), window_day=VALUES(window_day), window_events=VALUES(window_events), window_users=VALUES(window_users)," +
		" unhandled=VALUES(unhandled), impact=VALUES(impact), first_seen=VALUES(first_seen), last_seen=VALUES(last_seen)," +
		" first_release=VALUES(first_release), last_release=VALUES(last_release), last_filing=VALUES(last_filing), bodies=VALUES(bodies), basis=VALUES(basis), stale_at=VALUES(stale_at), grown_to=VALUES(grown_to), calls_at=VALUES(calls_at), owner=VALUES(owner)"
	if err := w.upsert(ctx, "INSERT INTO issue_list ("+IssueListColumns+")", tail, rows, 1); err != nil || !w.heard {
		return err
	}
	return w.s.status.FindReleases(ctx, w.tx, w.Project.ID)
}

// show makes r the event that the issue is shown by.
func (is *issueRow) show(r *row, at int64) {
	// One that says no place does not hide it: another report of the same
	// exception may have told it.
	if is.Place == "" || r.Print.Place != "" || r.Event.Log == nil {
		is.Shown = ShownBy(r.Print, r.Event)
	}
	is.lastSeen, is.lastRelease = at, r.release
}

// Shown is what of an event its issue is shown by in lists.
type Shown struct {
	Headline, Place, Message   string
	OriginFunction, OriginFile string
	OriginLine                 int
	Severity                   string
	Unhandled                  bool
}

// ShownBy is what the list shows of an issue by one of its events.
func ShownBy(p fingerprint.Result, e *event.Event) Shown {
	return Shown{
		Headline: p.Headline, Place: event.TrimText(p.Place, 490), Message: event.TrimText(p.Message, 990),
		OriginFunction: event.TrimText(p.Origin.Function, 290), OriginFile: event.TrimText(p.Origin.File, 490), OriginLine: p.Origin.Line,
		Severity: string(e.Severity), Unhandled: e.Handled != nil && !*e.Handled,
	}
}

func (is *issueRow) scored() issues.Scored {
	return issues.Scored{
		Users: is.windowUsers, Events: is.windowEvents, Recent: is.recent, FirstSeen: is.firstSeen, FirstRelease: is.firstRelease, Unhandled: is.Unhandled,
		State: is.standing.State, Severity: is.Severity, Grade: is.standing.Severity,
	}
}

// countRecent reads what the last days brought, this batch among it.
func (w *filing) countRecent(ctx context.Context) error {
	ids := slices.Sorted(maps.Keys(w.issues))
	for chunk := range slices.Chunk(ids, db.StatementRows) {
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

// grow says of issues that they hit ten times as many users as once.
func (w *filing) grow(ctx context.Context) error {
	for _, id := range slices.Sorted(maps.Keys(w.issues)) {
		is := w.issues[id]
		to := issue.GrownTo(is.users)
		if to <= is.grownTo {
			continue
		}
		is.grownTo = to
		e := issue.Grow(is.standing.Standing, to)
		if e == nil {
			continue
		}
		is.callsAt = db.Micros(w.now)
		if err := w.s.status.Record(ctx, w.tx, w.Project.ID, id, status.HistoryLine{Entry: *e, Who: accounts.Service}); err != nil {
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
