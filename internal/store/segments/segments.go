// Package segments keeps the search index: segments of columns, what became of single
// events since, which positions are missing, and the names and numbers that columns
// hold in place of texts.
package segments

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
)

// Tiers of segments: a batch's, and what merges make of them.
const (
	Fresh  = 0
	Middle = 1
	Large  = 2 // its columns stand in rows of their own
)

// Key names a segment within its project.
type Key struct {
	KeepDay int
	First   int64 // position
}

// Meta is a segment without its columns. Times are microseconds.
type Meta struct {
	Key
	Last             int64 // position
	Version, Tier    int
	Events           int
	MinTime, MaxTime int64
	Damaged          bool
}

// MetaOf describes a segment that is about to be written.
func MetaOf(keepDay, version, tier int, s *columns.Segment) Meta {
	m := Meta{Key: Key{keepDay, s.Positions[0]}, Last: s.Positions[s.Rows()-1], Version: version, Tier: tier,
		Events: s.Rows(), MinTime: s.Times[0], MaxTime: s.Times[0]}
	for _, t := range s.Times {
		m.MinTime, m.MaxTime = min(m.MinTime, t), max(m.MaxTime, t)
	}
	return m
}

const metaColumns = "keep_day, first_position, last_position, version, tier, events, min_time, max_time, damaged"

func scanMeta(r *sql.Rows) (m Meta, err error) {
	err = db.ScanNames(r, db.Into{"keep_day": &m.KeepDay, "first_position": &m.First, "last_position": &m.Last,
		"version": &m.Version, "tier": &m.Tier, "events": &m.Events, "min_time": &m.MinTime, "max_time": &m.MaxTime,
		"damaged": &m.Damaged})
	return m, err
}

// List gives a project's segments that may have events of a time, in the order of
// their days and positions. to does not belong to the time.
func List(ctx context.Context, q db.Querier, project, from, to int64) ([]Meta, error) {
	return db.List(ctx, q, scanMeta, "SELECT "+metaColumns+
		" FROM segment WHERE project=? AND max_time>=? AND min_time<? ORDER BY keep_day, first_position", project, from, to)
}

// OfTier gives segments of a tier, at most so many of a project and day, in order.
func OfTier(ctx context.Context, q db.Querier, project int64, keepDay, tier, limit int) ([]Meta, error) {
	return db.List(ctx, q, scanMeta, "SELECT "+metaColumns+
		" FROM segment WHERE tier=? AND project=? AND keep_day=? ORDER BY first_position LIMIT ?", tier, project, keepDay, limit)
}

// Full is a project and day with enough segments of a tier to be merged.
type Full struct {
	Project int64
	KeepDay int
}

// FullDays lists the days of projects that have at least so many segments, or events, in a tier.
func FullDays(ctx context.Context, q db.Querier, tier, rows, events int) ([]Full, error) {
	return db.List(ctx, q, func(r *sql.Rows) (f Full, err error) {
		err = r.Scan(&f.Project, &f.KeepDay)
		return f, err
	}, "SELECT project, keep_day FROM segment WHERE tier=? GROUP BY project, keep_day HAVING COUNT(*)>=? OR SUM(events)>=? AND COUNT(*)>1",
		tier, rows, events)
}

// Bodies reads segments that are one part each.
func Bodies(ctx context.Context, q db.Querier, project int64, keys []Key, got func(Key, []byte)) error {
	return inChunks(keys, 200, func(in string, args []any) error {
		return db.Each(ctx, q, func(r *sql.Rows) error {
			var k Key
			var body []byte
			if err := r.Scan(&k.KeepDay, &k.First, &body); err != nil {
				return err
			}
			got(k, body)
			return nil
		}, "SELECT keep_day, first_position, body FROM segment WHERE project=? AND "+in,
			append([]any{project}, args...)...)
	})
}

// CoreColumn is the number under which the core of a large segment stands among its
// columns.
const CoreColumn = 0

// Heads reads the heads of a column of large segments.
func Heads(ctx context.Context, q db.Querier, project int64, column uint32, keys []Key, got func(Key, []byte)) error {
	return parts(ctx, q, "head", project, column, keys, got)
}

// Columns reads the codes of a column of large segments.
func Columns(ctx context.Context, q db.Querier, project int64, column uint32, keys []Key, got func(Key, []byte)) error {
	return parts(ctx, q, "body", project, column, keys, got)
}

func parts(ctx context.Context, q db.Querier, part string, project int64, column uint32, keys []Key,
	got func(Key, []byte)) error {
	return inChunks(keys, 100, func(in string, args []any) error {
		return db.Each(ctx, q, func(r *sql.Rows) error {
			var k Key
			var b []byte
			if err := r.Scan(&k.KeepDay, &k.First, &b); err != nil {
				return err
			}
			got(k, b)
			return nil
		}, "SELECT keep_day, first_position, "+part+" FROM segment_column WHERE project=? AND attribute=? AND "+in,
			append([]any{project, column}, args...)...)
	})
}

// ColumnsOf lists which columns a large segment has.
func ColumnsOf(ctx context.Context, q db.Querier, project int64, k Key) ([]int64, error) {
	return db.Numbers(ctx, q, "SELECT attribute FROM segment_column WHERE project=? AND keep_day=? AND first_position=? AND attribute<>0", project, k.KeepDay, k.First)
}

func inChunks(keys []Key, size int, read func(where string, args []any) error) error {
	for chunk := range slices.Chunk(keys, size) {
		byDay := map[int][]any{}
		for _, k := range chunk {
			byDay[k.KeepDay] = append(byDay[k.KeepDay], k.First)
		}
		where, args := "", []any{}
		for _, day := range slices.Sorted(maps.Keys(byDay)) {
			if where != "" {
				where += " OR "
			}
			where += "keep_day=? AND first_position IN (" + db.Marks(len(byDay[day])) + ")"
			args = append(append(args, day), byDay[day]...)
		}
		if err := read("("+where+")", args); err != nil {
			return err
		}
	}
	return nil
}

// Add writes a segment. One that is large stands in a row for each column.
func Add(ctx context.Context, tx *sql.Tx, codec *columns.Codec, project int64, m Meta, s *columns.Segment) error {
	var body []byte
	if m.Tier < Large {
		body = codec.Whole(s)
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO segment (project, "+metaColumns+", body) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
		project, m.KeepDay, m.First, m.Last, m.Version, m.Tier, m.Events, m.MinTime, m.MaxTime, m.Damaged, body); err != nil {
		return fmt.Errorf("segment of position %d: %w", m.First, err)
	}
	if m.Tier < Large {
		return nil
	}
	add := func(column uint32, head, body []byte) error {
		_, err := tx.ExecContext(ctx, "INSERT INTO segment_column (project, keep_day, first_position, attribute, head, body) VALUES (?,?,?,?,?,?)",
			project, m.KeepDay, m.First, column, head, body)
		return err
	}
	head, body := codec.CoreParts(&s.Core)
	if err := add(CoreColumn, head, body); err != nil {
		return err
	}
	for id, c := range s.Columns {
		head, body := codec.ColumnParts(&s.Core, c)
		if err := add(id, head, body); err != nil {
			return fmt.Errorf("column %d of the segment of position %d: %w", id, m.First, err)
		}
	}
	return nil
}

// Remove takes segments away that are still as they were read; ok is false where
// one is not.
func Remove(ctx context.Context, tx *sql.Tx, project int64, list []Meta) (ok bool, err error) {
	for _, m := range list {
		r, err := tx.ExecContext(ctx, "DELETE FROM segment WHERE project=? AND keep_day=? AND first_position=? AND version=?",
			project, m.KeepDay, m.First, m.Version)
		if err != nil {
			return false, err
		}
		if n, err := r.RowsAffected(); err != nil || n == 0 {
			return false, err
		}
		if m.Tier < Large {
			continue
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM segment_column WHERE project=? AND keep_day=? AND first_position=?",
			project, m.KeepDay, m.First); err != nil {
			return false, err
		}
	}
	return true, nil
}

// Damage notes that a segment cannot be read, so that it is made anew.
func Damage(ctx context.Context, q db.Querier, project int64, k Key) error {
	_, err := q.ExecContext(ctx, "UPDATE segment SET damaged=1 WHERE project=? AND keep_day=? AND first_position=?", project, k.KeepDay, k.First)
	return err
}
