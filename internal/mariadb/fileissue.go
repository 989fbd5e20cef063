package mariadb

import (
	"context"
	"database/sql"
	"maps"
	"slices"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
)

// issueRow is an issue's row in issue_list, changed in memory and written back
// at the end; standing comes from the issue itself.
type issueRow struct {
	id       int64
	fresh    bool // has no row in issue_list yet
	standing standingRow
	shown
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
	dayUsers                  map[int64]int64 // what this batch adds to each day
	dictionary                *dictionary     // of this week, nil while there is none
	dictionaryMade            bool            // in this transaction
}

const issueListColumns = "issue, project, state, headline, place, message, words, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users, unhandled, impact, first_seen, last_seen, first_release, last_release, first_filing, last_filing, bodies, basis, stale_at, grown_to, calls_at, owner"

func (w *filing) windowStart() int { return windowStart(w.now) }

// windowStart is the first day of the window that impact looks at.
func windowStart(now time.Time) int { return Day(now) - impact.Window + 1 }

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
	for chunk := range slices.Chunk(ids, statementRows) {
		args := make([]any, len(chunk))
		for i, id := range chunk {
			args[i] = id
			w.issues[id] = &issueRow{id: id, fresh: true, dayUsers: map[int64]int64{}, windowDay: int64(Day(w.now))}
		}
		err := each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var st standingRow
			scan := standingScan{st: &st}
			if err := r.Scan(append([]any{&id}, scan.into()...)...); err != nil {
				return err
			}
			err := scan.done()
			w.issues[id].standing = st
			return err
		}, "SELECT i.id, "+standingColumns+" FROM issue i WHERE i.id IN ("+marks(len(chunk))+") ORDER BY i.id FOR UPDATE", args...)
		if err != nil {
			return err
		}
		err = each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var is issueRow
			var first, last sql.NullInt64
			if err := r.Scan(&id, &is.headline, &is.place, &is.message, &is.originFunction, &is.originFile, &is.originLine, &is.severity,
				&is.events, &is.users, &is.windowDay, &is.windowEvents, &is.windowUsers, &is.unhandled, &is.firstSeen, &is.lastSeen, &first, &last, &is.firstFiling, &is.lastFiling, &is.bodies, &is.grownTo, &is.callsAt); err != nil {
				return err
			}
			is.id, is.firstRelease, is.lastRelease = id, first.Int64, last.Int64
			is.standing, is.dayUsers, is.usersBefore = w.issues[id].standing, map[int64]int64{}, is.users
			w.issues[id] = &is
			return nil
		}, "SELECT issue, headline, place, message, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users, unhandled, first_seen, last_seen, first_release, last_release, first_filing, last_filing, bodies, grown_to, calls_at FROM issue_list WHERE issue IN ("+marks(len(chunk))+")", args...)
		if err != nil {
			return err
		}
	}
	for _, is := range w.issues {
		if is.windowDay != int64(Day(w.now)) {
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
	is.windowDay = int64(Day(w.now))
	return windowOf(ctx, w.tx, is.id, start, &is.windowEvents, &is.windowUsers)
}

// windowOf counts an issue's events and users since a day.
func windowOf(ctx context.Context, q querier, issue int64, start int, events, users *int64) error {
	return q.QueryRowContext(ctx, "SELECT (SELECT COALESCE(SUM(events),0) FROM issue_trend WHERE issue=? AND day>=?), (SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=? AND last_day>=?)",
		issue, start, issue, start).Scan(events, users)
}

// writeIssues shows the newest event of each issue, checks for regressions,
// and writes the list rows.
func (w *filing) writeIssues(ctx context.Context) error {
	for _, r := range w.rows {
		is, at := r.issue, min(micros(r.When.Thrown), micros(r.Received)) // seen is never after receipt
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
			is.callsAt = micros(w.now)
		}
		score := w.basis.score(is.scored(), w.now)
		rows = append(rows, []any{is.id, w.Project.ID, string(is.standing.State), is.headline, is.place, is.message, searchText(is.headline, is.place, is.message),
			is.originFunction, is.originFile, is.originLine, is.severity, is.events, is.users, is.windowDay, is.windowEvents, is.windowUsers, is.unhandled, score.Tenths(),
			is.firstSeen, is.lastSeen, nullID(is.firstRelease), nullID(is.lastRelease), is.firstFiling, is.lastFiling, is.bodies, w.basis.generation, staleAt(score, is.windowEvents, w.now), is.grownTo, is.callsAt, nullID(is.standing.OwnerID)})
	}
	const tail = " ON DUPLICATE KEY UPDATE state=VALUES(state), headline=VALUES(headline), place=VALUES(place), message=VALUES(message), words=VALUES(words)," +
		" origin_function=VALUES(origin_function), origin_file=VALUES(origin_file), origin_line=VALUES(origin_line), severity=VALUES(severity)," +
		" events=VALUES(events), users=VALUES(users), window_day=VALUES(window_day), window_events=VALUES(window_events), window_users=VALUES(window_users)," +
		" unhandled=VALUES(unhandled), impact=VALUES(impact), first_seen=VALUES(first_seen), last_seen=VALUES(last_seen)," +
		" first_release=VALUES(first_release), last_release=VALUES(last_release), last_filing=VALUES(last_filing), bodies=VALUES(bodies), basis=VALUES(basis), stale_at=VALUES(stale_at), grown_to=VALUES(grown_to), calls_at=VALUES(calls_at), owner=VALUES(owner)"
	if err := w.upsert(ctx, "INSERT INTO issue_list ("+issueListColumns+")", tail, rows, 1); err != nil || !w.heard {
		return err
	}
	return w.s.findReleases(ctx, w.tx, w.Project.ID)
}

// show makes r the event that the issue is shown by.
func (is *issueRow) show(r *row, at int64) {
	// One that says no place does not hide it: another report of the same
	// exception may have told it.
	if is.place == "" || r.Print.Place != "" || r.Event.Log == nil {
		is.shown = shownBy(r.Print, r.Event)
	}
	is.lastSeen, is.lastRelease = at, r.release
}

// shown is what of an event its issue is shown by in lists.
type shown struct {
	headline, place, message   string
	originFunction, originFile string
	originLine                 int
	severity                   string
	unhandled                  bool
}

func shownBy(p fingerprint.Result, e *event.Event) shown {
	return shown{
		headline: p.Headline, place: event.TrimText(p.Place, 490), message: event.TrimText(p.Message, 990),
		originFunction: event.TrimText(p.Origin.Function, 290), originFile: event.TrimText(p.Origin.File, 490), originLine: p.Origin.Line,
		severity: string(e.Severity), unhandled: e.Handled != nil && !*e.Handled,
	}
}

func (is *issueRow) scored() scored {
	return scored{
		users: is.windowUsers, events: is.windowEvents, recent: is.recent, firstSeen: is.firstSeen, firstRelease: is.firstRelease, unhandled: is.unhandled,
		state: is.standing.State, severity: is.severity, grade: is.standing.Severity,
	}
}

// countRecent reads what the last days brought, this batch among it.
func (w *filing) countRecent(ctx context.Context) error {
	ids := slices.Sorted(maps.Keys(w.issues))
	for chunk := range slices.Chunk(ids, statementRows) {
		args := []any{firstRecent(w.now)}
		for _, id := range chunk {
			args = append(args, id)
		}
		err := each(ctx, w.tx, func(r *sql.Rows) error {
			var id, n int64
			err := r.Scan(&id, &n)
			w.issues[id].recent = n
			return err
		}, "SELECT issue, SUM(events) FROM issue_trend WHERE day>=? AND issue IN ("+marks(len(chunk))+") GROUP BY issue", args...)
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
		is.callsAt = micros(w.now)
		if err := w.s.tell(ctx, w.tx, w.Project.ID, id, historyLine{Entry: *e, who: service}); err != nil {
			return err
		}
	}
	return nil
}
