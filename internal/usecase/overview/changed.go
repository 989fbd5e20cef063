package overview

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
	"firethorn/internal/store/events"
)

// ChangedIssue is an issue and its version now.
type ChangedIssue struct {
	Project, Number, Version int64
}

// MaxHistoryAfter is how many entries HistoryAfter lists at most.
const MaxHistoryAfter = 1000

// changedAtOnce is how many issues of a kind are listed; if there are more,
// anyone who listens reads everything again.
const changedAtOnce = 100

// Moment reads how things stand at one moment: no decision comes between two of
// its answers.
type Moment struct {
	q      db.Querier
	events *events.Store
}

// AtOneMoment calls read with a moment, which ends when read returns.
func (s *Service) AtOneMoment(ctx context.Context, read func(Moment) error) error {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }() // it changes nothing
	return read(Moment{tx, s.events})
}

// HistoryAfter lists the entries of all histories behind one, with the issue of
// each, oldest first. Entries of a transaction that took long can come late.
func (m Moment) HistoryAfter(ctx context.Context, id int64) (ids []int64, issues []ChangedIssue, err error) {
	err = db.Each(ctx, m.q, func(r *sql.Rows) error {
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
func (m Moment) LastHistory(ctx context.Context) (id int64, err error) {
	err = m.q.QueryRowContext(ctx, "SELECT COALESCE(MAX(id),0) FROM history").Scan(&id)
	return id, err
}

// IssuesAfter lists the numbers of the issues that got events behind a
// position; more says that there are more than it lists.
func (m Moment) IssuesAfter(ctx context.Context, project, position int64) (list []int64, more bool, err error) {
	cond, args, err := m.events.Behind(ctx, m.q, project, position)
	if err != nil {
		return nil, false, err
	}
	list, err = db.Numbers(ctx, m.q, "SELECT DISTINCT i.number FROM event e JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue WHERE "+cond+" LIMIT ?", append(args, changedAtOnce+1)...)
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
	return Moment{s.db, s.events}.Counters(ctx)
}

// Counters are the counters of all projects.
func (m Moment) Counters(ctx context.Context) (map[int64]Counter, error) {
	out := map[int64]Counter{}
	return out, db.Each(ctx, m.q, func(r *sql.Rows) error {
		var id int64
		var c Counter
		if err := r.Scan(&id, &c.Changes, &c.Position); err != nil {
			return err
		}
		out[id] = c
		return nil
	}, "SELECT project, changed, filing FROM project_counter")
}
