package releases

import (
	"context"
	"database/sql"
	"slices"

	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// counted is the number of issues of a release, and the changes of its total when they were counted.
type counted struct{ changes, issues int64 }

func newCounted() *cache.Cache[int64, counted] {
	return cache.New(1<<20, func(int64, counted) int { return 24 })
}

// addCounts adds the numbers of events and issues of releases. Events are counted as they come; the
// issues of a release are counted again if it has changed since.
func (s *Store) addCounts(ctx context.Context, list []*ReleaseRow) error {
	by, ids := byID(list)
	for chunk := range slices.Chunk(ids, db.StatementRows) {
		changes, err := s.addTotals(ctx, by, chunk)
		if err != nil {
			return err
		}
		if err := s.addIssues(ctx, by, changes); err != nil {
			return err
		}
		err = db.Each(ctx, s.db, func(r *sql.Rows) error {
			var id, n int64
			err := r.Scan(&id, &n)
			by[id].New = n
			return err
		}, "SELECT first_release, COUNT(*) FROM issue_list WHERE first_release IN ("+db.Marks(len(chunk))+") GROUP BY 1",
			chunk...)
		if err != nil {
			return err
		}
	}
	return nil
}

// addTotals adds the events of releases, and gives the changes of each total.
func (s *Store) addTotals(ctx context.Context, by map[int64]*ReleaseRow, ids []any) (map[int64]int64, error) {
	changes := map[int64]int64{}
	return changes, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id, events, first, n int64
		if err := r.Scan(&id, &events, &first, &n); err != nil {
			return err
		}
		x := by[id]
		x.Events, changes[id] = events, n
		if at := db.FromMicros(first); at.Before(x.FirstSeen) && events > 0 {
			x.FirstSeen = at
		}
		return nil
	}, "SELECT app_release, events, first_seen, changes FROM release_total WHERE app_release IN ("+
		db.Marks(len(ids))+")", ids...)
}

func (s *Store) addIssues(ctx context.Context, by map[int64]*ReleaseRow, changes map[int64]int64) error {
	var again []any
	for id, n := range changes {
		if c, ok := s.counted.Get(id); ok && c.changes == n {
			by[id].Issues = c.issues
			continue
		}
		again = append(again, id)
	}
	if len(again) == 0 {
		return nil
	}
	return db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id, n int64
		err := r.Scan(&id, &n)
		by[id].Issues = n
		s.counted.Put(id, counted{changes[id], n})
		return err
	}, "SELECT app_release, COUNT(DISTINCT issue) FROM issue_release FORCE INDEX (in_release) WHERE app_release IN ("+
		db.Marks(len(again))+") GROUP BY 1", again...)
}

// IssueMoved makes the releases of an issue count their issues again.
func IssueMoved(ctx context.Context, tx *sql.Tx, issue int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE release_total t JOIN (SELECT DISTINCT app_release FROM issue_release WHERE issue=?) x ON x.app_release=t.app_release SET t.changes=t.changes+1", issue)
	return err
}

// DropIssue subtracts an issue from the totals of its releases, and deletes its counts by release.
func DropIssue(ctx context.Context, tx *sql.Tx, issue int64) error {
	if _, err := tx.ExecContext(ctx, "UPDATE release_total t JOIN (SELECT app_release, SUM(events) n FROM issue_release WHERE issue=? GROUP BY 1) x ON x.app_release=t.app_release SET t.events=t.events-x.n, t.changes=t.changes+1", issue); err != nil {
		return err
	}
	// If the issue held the first event of a release, the first of the others is found.
	const first = "UPDATE release_total t JOIN (SELECT app_release, MIN(first_seen) first FROM issue_release WHERE issue=? GROUP BY 1) x ON x.app_release=t.app_release AND x.first=t.first_seen" +
		" SET t.first_seen=COALESCE((SELECT MIN(o.first_seen) FROM issue_release o WHERE o.app_release=t.app_release AND o.issue<>?), t.first_seen)"
	if _, err := tx.ExecContext(ctx, first, issue, issue); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "DELETE FROM issue_release WHERE issue=?", issue)
	return err
}

// Recount makes the totals of a project's releases again. The project's lock is held.
func Recount(ctx context.Context, tx *sql.Tx, project int64) error {
	if _, err := tx.ExecContext(ctx, "UPDATE release_total t JOIN app_release r ON r.id=t.app_release SET t.events=0, t.changes=t.changes+1 WHERE r.project=?", project); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO release_total (app_release, events, first_seen, changes) SELECT x.app_release, SUM(x.events), MIN(x.first_seen), 1 FROM issue_release x JOIN app_release r ON r.id=x.app_release WHERE r.project=? GROUP BY 1"+
		" ON DUPLICATE KEY UPDATE events=VALUES(events), first_seen=VALUES(first_seen)", project)
	return err
}
