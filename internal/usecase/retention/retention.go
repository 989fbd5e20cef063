package retention

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/scoring"
)

// Retire drops the partitions whose day is past, after what their events
// counted has been written down by variant, and trims what is kept by age. It
// returns the days dropped.
func (s *Service) Retire(ctx context.Context) ([]int, error) {
	skew, err := s.db.ClockSkew(ctx)
	if err != nil {
		return nil, err
	}
	if skew > s.db.MaxSkew || skew < -s.db.MaxSkew {
		return nil, fmt.Errorf("%w by %s: nothing is dropped until they agree", db.ErrClocks, skew.Round(time.Second))
	}
	days, err := s.schema.PartitionDays(ctx, "event")
	if err != nil {
		return nil, err
	}
	today := db.Day(s.db.Now())
	var dropped []int
	if len(days) > 0 { // left by a process that ended just after a drop
		if _, err := s.db.Slow.ExecContext(ctx, "DELETE FROM archived WHERE day<?", days[0]); err != nil {
			return nil, err
		}
	}
	for _, d := range days {
		if d >= today-projects.GraceDays {
			break
		}
		if err := s.RetireDay(ctx, d); err != nil {
			return dropped, fmt.Errorf("events kept until day %d: %w", d, err)
		}
		dropped = append(dropped, d)
	}
	return dropped, s.Trim(ctx, today)
}

// RetireDay writes down what a day's events counted, then drops them.
func (s *Service) RetireDay(ctx context.Context, day int) error {
	for {
		more, err := s.foldSome(ctx, day)
		if err != nil {
			return err
		}
		if !more {
			break
		}
	}
	if err := s.ingest.KeepIDs(ctx, day); err != nil {
		return err
	}
	release, err := s.schema.PartitionLease(ctx)
	if err != nil {
		return err
	}
	defer release()
	// The index first, so that nothing is found that is gone; rows last: they say what is folded.
	for _, table := range []string{"segment_column", "segment", "event_body", "event"} {
		err := s.schema.Alter(ctx, fmt.Sprintf("ALTER TABLE %s DROP PARTITION IF EXISTS p%d", table, day))
		if err != nil {
			return err
		}
	}
	for _, q := range []string{"DELETE FROM archived WHERE day=?", "DELETE FROM event_span WHERE keep_day=?"} {
		if _, err := s.db.Slow.ExecContext(ctx, q, day); err != nil {
			return err
		}
	}
	return nil
}

// maxFold is how many variants are folded in one transaction.
const maxFold = 100

// foldSome writes down what the next variants of a partition counted; in the
// same transaction it notes that it did, so that it is done once.
func (s *Service) foldSome(ctx context.Context, day int) (more bool, err error) {
	part := fmt.Sprintf("event PARTITION (p%d) e", day)
	var variant, project int64
	err = s.db.Slow.QueryRowContext(ctx, "SELECT e.variant, e.project FROM "+part+" WHERE e.variant>(SELECT COALESCE(MAX(variant),0) FROM archived WHERE day=?) ORDER BY e.variant LIMIT 1", day).Scan(&variant, &project)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return true, s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		sums, err := foldSums(ctx, tx, part, project, variant)
		if err != nil {
			return err
		}
		issues, err := issuesOf(ctx, tx, slices.Collect(maps.Keys(sums)))
		if err != nil {
			return err
		}
		for _, v := range slices.Sorted(maps.Keys(sums)) {
			if err := sums[v].write(ctx, tx, v, issues[v]); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, "INSERT INTO archived (day, variant) VALUES (?,?)", day, v); err != nil {
				return err
			}
		}
		return nil
	})
}

// foldSum is what the events of one variant in one partition counted.
type foldSum struct {
	events, bodies    int64
	hours, days       map[int64]int64
	releases, environ map[int64]int64
}

// foldSums sums the next variants of one project, from variant on; another
// project's variant ends it, so that one lock is enough.
func foldSums(ctx context.Context, tx *sql.Tx, part string, project, variant int64) (map[int64]*foldSum, error) {
	last := variant
	err := tx.QueryRowContext(ctx, "SELECT COALESCE(MAX(v.id), ?) FROM (SELECT id FROM variant WHERE project=? AND id>=? ORDER BY id LIMIT ?) v", variant, project, variant, maxFold).Scan(&last)
	if err != nil {
		return nil, err
	}
	var other sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT MIN(id) FROM variant WHERE id BETWEEN ? AND ? AND project<>?", variant, last, project).Scan(&other); err != nil {
		return nil, err
	}
	if other.Valid {
		last = other.Int64 - 1
	}
	out := map[int64]*foldSum{}
	err = db.Each(ctx, tx, func(r *sql.Rows) error {
		var v, hour, release, environment, events, bodies int64
		if err := r.Scan(&v, &hour, &release, &environment, &events, &bodies); err != nil {
			return err
		}
		f := out[v]
		if f == nil {
			f = &foldSum{hours: map[int64]int64{}, days: map[int64]int64{}, releases: map[int64]int64{},
				environ: map[int64]int64{}}
			out[v] = f
		}
		f.events, f.bodies = f.events+events, f.bodies+bodies
		f.hours[hour] += events
		f.days[hour/24] += events
		if release != 0 {
			f.releases[release] += events
		}
		f.environ[environment] += events
		return nil
	}, "SELECT e.variant, e.thrown DIV 3600000000 h, COALESCE(e.app_release,0), e.environment, SUM(e.stands_for), SUM(e.has_body) FROM "+part+
		" WHERE e.project=? AND e.variant BETWEEN ? AND ? GROUP BY 1,2,3,4", project, variant, last)
	return out, err
}

func issuesOf(ctx context.Context, tx *sql.Tx, variants []int64) (map[int64]int64, error) {
	out := map[int64]int64{}
	args := make([]any, len(variants))
	for i, v := range variants {
		args[i] = v
	}
	return out, db.Each(ctx, tx, func(r *sql.Rows) error {
		var v, issue int64
		err := r.Scan(&v, &issue)
		out[v] = issue
		return err
	}, "SELECT id, issue FROM variant WHERE id IN ("+db.Marks(len(args))+")", args...)
}

// write adds a sum to what dropped days carried. Derived rows may still be on
// their way to the variant's issue, so they are found by variant under any
// issue that a move names.
func (f *foldSum) write(ctx context.Context, tx *sql.Tx, variant, issue int64) error {
	if _, err := tx.ExecContext(ctx, "UPDATE variant SET dropped_events=dropped_events+?, bodies=bodies-? WHERE id=?", f.events, f.bodies, variant); err != nil {
		return err
	}
	if err := issues.DropBodies(ctx, tx, issue, f.bodies); err != nil {
		return err
	}
	where, err := whereIssues(ctx, tx, variant, issue)
	if err != nil {
		return err
	}
	for _, t := range []struct {
		table, column string
		counts        map[int64]int64
	}{{"issue_hour", "hour", f.hours}, {"issue_day", "day", f.days}, {"issue_release", "app_release",
		f.releases}, {"issue_env", "environment", f.environ}} {
		for _, k := range slices.Sorted(maps.Keys(t.counts)) {
			n := t.counts[k]
			for _, at := range where { // as much as each row can carry
				var can int64
				err := tx.QueryRowContext(ctx,
					"SELECT events-dropped FROM "+t.table+" WHERE issue=? AND "+t.column+"=? AND variant=?", at, k,
					variant).Scan(&can)
				if errors.Is(err, sql.ErrNoRows) || n == 0 {
					continue
				}
				if err != nil {
					return err
				}
				add := min(n, can)
				if _, err := tx.ExecContext(ctx,
					"UPDATE "+t.table+" SET dropped=dropped+? WHERE issue=? AND "+t.column+"=? AND variant=?", add, at,
					k, variant); err != nil {
					return err
				}
				n -= add
			}
		}
	}
	return nil
}

// whereIssues lists the issues under which derived rows of a variant may
// stand: its own, and those of moves that are not followed to the end.
func whereIssues(ctx context.Context, tx *sql.Tx, variant, issue int64) ([]int64, error) {
	out := []int64{issue}
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var from, to int64
		err := r.Scan(&from, &to)
		for _, id := range []int64{from, to} {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
		return err
	}, "SELECT o.from_issue, o.to_issue FROM move_variant m JOIN move o ON o.id=m.move WHERE m.variant=? AND o.following=1", variant)
	return out, err
}

const receivedDays = 400

const trimAtOnce = 5000

// Trim deletes, in small steps, what is kept for a limited time.
func (s *Service) Trim(ctx context.Context, today int) error {
	if err := s.inbox.ExpireFailed(ctx); err != nil {
		return err
	}
	longest := projects.KeepClasses[len(projects.KeepClasses)-1]
	for _, q := range []struct {
		text string
		arg  any
	}{
		{"DELETE FROM odd_event WHERE keep_day<? LIMIT ?",
			today - projects.GraceDays - ingest.DroppedDays}, // as long as the ids of the others
		{"DELETE FROM dropped_id WHERE keep_day<? LIMIT ?", today - projects.GraceDays - ingest.DroppedDays},
		{"DELETE FROM segment_change WHERE keep_day<? LIMIT ?", today - projects.GraceDays},
		{"DELETE FROM body_first WHERE day<? LIMIT ?", today - 1},
		{"DELETE FROM received WHERE hour<? LIMIT ?", (today - receivedDays) * 24},
		{"DELETE FROM received_example WHERE at<? LIMIT ?", int64(today-receivedDays) * 86400_000_000},
		{"DELETE FROM feedback WHERE keep_day<? LIMIT ?", today - projects.GraceDays},
		{"DELETE FROM newest_body WHERE keep_day<? LIMIT ?", today - projects.GraceDays},
		{"DELETE FROM project_class WHERE until_day<? LIMIT ?", today - projects.GraceDays},
		{"DELETE FROM dictionary WHERE week<? LIMIT ?", int(events.Week(today-longest)) - 1},
	} {
		for {
			r, err := s.db.Slow.ExecContext(ctx, q.text, q.arg, trimAtOnce)
			if err != nil {
				return err
			}
			if n, err := r.RowsAffected(); err != nil || n < trimAtOnce {
				break
			}
		}
	}
	if err := s.TrimSessions(ctx); err != nil {
		return err
	}
	if err := s.symbolstore.DropSymbols(ctx); err != nil {
		return err
	}
	return s.trimHours(ctx, int64(today-scoring.HourDays)*24)
}

// TrimSessions deletes the sessions that began before a project's events
// are kept, and of who had them; their counts stay. What runs on is kept until it is
// cut off.
func (s *Service) TrimSessions(ctx context.Context) error {
	type kept struct{ project, days int64 }
	var list []kept
	err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var k kept
		err := r.Scan(&k.project, &k.days)
		list = append(list, k)
		return err
	}, "SELECT id, keep_days FROM project")
	if err != nil {
		return err
	}
	for _, k := range list {
		before := int64(db.Day(s.db.Now())) - k.days - projects.GraceDays
		for _, old := range []struct {
			rows   string
			before int64
		}{
			{"DELETE FROM app_session WHERE project=? AND started<? AND outcome<>0 LIMIT ?", before * 86400_000_000},
			{"DELETE FROM session_minute WHERE project=? AND minute<? LIMIT ?", before * 86400_000_000},
			{"DELETE FROM session_user WHERE project=? AND day<? LIMIT ?", before},
		} {
			for n := int64(trimAtOnce); n == trimAtOnce; {
				r, err := s.db.Slow.ExecContext(ctx, old.rows, k.project, old.before, trimAtOnce)
				if err != nil {
					return err
				}
				if n, err = r.RowsAffected(); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// trimHours walks the issues, since hours have no index of their own: one on a
// table that is written all the time would cost more than this walk once a day.
func (s *Service) trimHours(ctx context.Context, before int64) error {
	var last int64
	if err := s.db.Slow.QueryRowContext(ctx, "SELECT COALESCE(MAX(id),0) FROM issue").Scan(&last); err != nil {
		return err
	}
	for from := int64(0); from <= last; from += 500 {
		if _, err := s.db.Slow.ExecContext(ctx, "DELETE FROM issue_hour WHERE issue BETWEEN ? AND ? AND hour<?", from, from+499, before); err != nil {
			return err
		}
	}
	return nil
}
