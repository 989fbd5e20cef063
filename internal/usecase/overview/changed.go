package overview

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
)

// ChangedIssue is an issue and its version now.
type ChangedIssue struct {
	Project, Number, Version int64
}

// MaxHistoryAfter is how many entries HistoryAfter lists at most.
const MaxHistoryAfter = 1000

// changedAtOnce is how many issues of a kind are told of; where there are more,
// whoever listens reads everything again.
const changedAtOnce = 100

// HistoryAfter lists the entries of all histories behind one, with the issue of
// each, oldest first. Entries of a transaction that took long can come late.
func (s *Service) HistoryAfter(ctx context.Context, id int64) (ids []int64, issues []ChangedIssue, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var entry int64
		var i ChangedIssue
		if err := r.Scan(&entry, &i.Project, &i.Number, &i.Version); err != nil {
			return err
		}
		ids, issues = append(ids, entry), append(issues, i)
		return nil
	}, "SELECT h.id, i.project, i.number, i.version FROM history h JOIN issue i ON i.id=h.issue WHERE h.id>? ORDER BY h.id LIMIT ?", id, MaxHistoryAfter)
	return ids, issues, err
}

// LastHistory is the newest entry of all histories.
func (s *Service) LastHistory(ctx context.Context) (id int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(id),0) FROM history").Scan(&id)
	return id, err
}

// IssuesFiledAfter lists the numbers of the issues that got events behind a
// position; more says that there are more than it lists.
func (s *Service) IssuesFiledAfter(ctx context.Context, project, position int64) (list []int64, more bool, err error) {
	list, err = db.Numbers(ctx, s.db, "SELECT DISTINCT i.number FROM event e JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue WHERE e.project=? AND e.filing>? LIMIT ?", project, position, changedAtOnce+1)
	if len(list) > changedAtOnce {
		return nil, true, err
	}
	return list, false, err
}

// Counter is how far a project has come: the number of its changes, which grows
// whenever something that a reader can see has changed, and the position of its
// last event.
type Counter struct{ Changes, Position int64 }

// Counters are the counters of all projects.
func (s *Service) Counters(ctx context.Context) (map[int64]Counter, error) {
	out := map[int64]Counter{}
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var c Counter
		if err := r.Scan(&id, &c.Changes, &c.Position); err != nil {
			return err
		}
		out[id] = c
		return nil
	}, "SELECT project, changed, filing FROM project_counter")
}
