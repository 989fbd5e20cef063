package status

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
)

// Create makes a new issue and gives its id.
func Create(ctx context.Context, tx *sql.Tx, project, number int64, now time.Time) (int64, error) {
	res, err := tx.ExecContext(ctx, "INSERT INTO issue (project, number, state, created) VALUES (?,?,?,?)", project, number, string(issue.New), db.Micros(now))
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// ListRow is an issue's row in the list. Times are microseconds; ids are 0 for
// none.
type ListRow struct {
	Issue int64
	New   issues.StatusRow // where the row is not there yet: the state and owner it gets
	issues.Shown

	Events, Users                        int64
	WindowDay, WindowEvents, WindowUsers int64
	FirstSeen, LastSeen                  int64
	FirstRelease, LastRelease            int64
	FirstPosition, LastPosition          int64
	Bodies, GrownTo                      int64

	// The impact, in tenths, by which version of the scoring inputs it was
	// computed, and when time alone changes it; zero: it is to be computed.
	Impact, Version, StaleAt int64
}

// WriteRows writes rows of the list. Of a row that is there already state, owner
// and need of a decision stay as they are: Change changes them.
func (s *Service) WriteRows(ctx context.Context, tx *sql.Tx, project int64, list []ListRow) error {
	const columns = "issue, project, state, headline, place, message, search_text, origin_function, origin_file, origin_line, severity, events, users, window_day, window_events, window_users," +
		" unhandled, impact, first_seen, last_seen, first_release, last_release, first_filing, last_filing, bodies, scoring_version, stale_at, grown_to, needs_decision_at, owner"
	const tail = " ON DUPLICATE KEY UPDATE headline=VALUES(headline), place=VALUES(place), message=VALUES(message), worded=IF(search_text=VALUES(search_text), worded, 0), search_text=VALUES(search_text)," +
		" origin_function=VALUES(origin_function), origin_file=VALUES(origin_file), origin_line=VALUES(origin_line), severity=VALUES(severity)," +
		" events=VALUES(events), users=VALUES(users), window_day=VALUES(window_day), window_events=VALUES(window_events), window_users=VALUES(window_users)," +
		" unhandled=VALUES(unhandled), impact=VALUES(impact), first_seen=VALUES(first_seen), last_seen=VALUES(last_seen)," +
		" first_release=VALUES(first_release), last_release=VALUES(last_release), last_filing=VALUES(last_filing), bodies=VALUES(bodies), scoring_version=VALUES(scoring_version), stale_at=VALUES(stale_at), grown_to=VALUES(grown_to)"
	now := s.db.Now()
	rows := make([][]any, 0, len(list))
	for _, l := range list {
		needed := issues.NeededAt(issue.NeededSince(time.Time{}, "", l.New.State, issue.NeedByState, now))
		rows = append(rows, []any{l.Issue, project, string(l.New.State), l.Headline, l.Place, l.Message,
			issues.SearchText(l.Headline, l.Place, l.Message), l.OriginFunction, l.OriginFile, l.OriginLine, l.Severity,
			l.Events, l.Users, l.WindowDay, l.WindowEvents, l.WindowUsers, l.Unhandled, l.Impact, l.FirstSeen,
			l.LastSeen, db.NullID(l.FirstRelease), db.NullID(l.LastRelease), l.FirstPosition, l.LastPosition,
			l.Bodies, l.Version, l.StaleAt, l.GrownTo, needed, db.NullID(l.New.OwnerID)})
	}
	db.SortRows(rows, 1)
	return s.db.InsertFixed(ctx, tx, "INSERT INTO issue_list ("+columns+")", tail, rows)
}
