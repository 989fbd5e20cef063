// Package segments keeps the search index: segments of columns, later changes to single events,
// missing positions, and the dictionaries of names and numbers.
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

// Full is a day of a project with segments of a tier that are to be merged.
type Full struct {
	Project int64
	KeepDay int
	Past    bool // no events are expected any more
}

// FullQuery says which days are to be merged: those with at least so many segments, or
// events, in a tier; and those past days that have more than a few.
type FullQuery struct {
	Project            int64 // 0: all
	Tier, Rows, Events int
	Today              int
}

// FullDays lists the days that are to be merged.
func FullDays(ctx context.Context, q db.Querier, f FullQuery) ([]Full, error) {
	const few = 4
	cond, args := "", []any{f.Today - 1, f.Tier}
	if f.Project != 0 {
		cond = " AND s.project=?"
		args = append(args, f.Project)
	}
	return db.List(ctx, q, func(r *sql.Rows) (f Full, err error) {
		err = r.Scan(&f.Project, &f.KeepDay, &f.Past)
		return f, err
	}, "SELECT s.project, s.keep_day, s.keep_day<?+p.keep_days FROM segment s JOIN project p ON p.id=s.project WHERE s.tier=? AND s.damaged=0"+cond+
		" GROUP BY s.project, s.keep_day, p.keep_days HAVING COUNT(*)>=? OR COUNT(*)>1 AND SUM(s.events)>=? OR COUNT(*)>=? AND s.keep_day<?+p.keep_days",
		append(args, f.Rows, f.Events, few, f.Today-1)...)
}

// OfDay gives the segments of a project and day, in order.
func OfDay(ctx context.Context, q db.Querier, project int64, keepDay int) ([]Meta, error) {
	return db.List(
		ctx,
		q,
		scanMeta,
		"SELECT "+metaColumns+" FROM segment WHERE project=? AND keep_day=? ORDER BY first_position",
		project,
		keepDay,
	)
}

// DaysOf lists the days of a project that have segments.
func DaysOf(ctx context.Context, q db.Querier, project int64) ([]int64, error) {
	return db.Numbers(ctx, q, "SELECT DISTINCT keep_day FROM segment WHERE project=? ORDER BY keep_day", project)
}

// DamagedOf lists the segments of a project that cannot be read.
func DamagedOf(ctx context.Context, q db.Querier, project int64) ([]Meta, error) {
	return db.List(ctx, q, scanMeta, "SELECT "+metaColumns+" FROM segment WHERE project=? AND damaged=1", project)
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
	return parts(ctx, q, part{project, column, "head"}, keys, got)
}

// Columns reads the codes of a column of large segments.
func Columns(ctx context.Context, q db.Querier, project int64, column uint32, keys []Key, got func(Key, []byte)) error {
	return parts(ctx, q, part{project, column, "body"}, keys, got)
}

// part is what is read of a column.
type part struct {
	project int64
	column  uint32
	which   string // head or body
}

func parts(ctx context.Context, q db.Querier, p part, keys []Key, got func(Key, []byte)) error {
	return inChunks(keys, 100, func(in string, args []any) error {
		return db.Each(ctx, q, func(r *sql.Rows) error {
			var k Key
			var b []byte
			if err := r.Scan(&k.KeepDay, &k.First, &b); err != nil {
				return err
			}
			got(k, b)
			return nil
		}, "SELECT keep_day, first_position, "+p.which+" FROM segment_column WHERE project=? AND attribute=? AND "+in,
			append([]any{p.project, p.column}, args...)...)
	})
}

// Read reads a segment whole.
func Read(ctx context.Context, q db.Querier, codec *columns.Codec, project int64, m Meta) (*columns.Segment, error) {
	if m.Tier < Large {
		var body []byte
		if err := q.QueryRowContext(ctx, "SELECT body FROM segment WHERE project=? AND keep_day=? AND first_position=?", project, m.KeepDay, m.First).Scan(&body); err != nil {
			return nil, err
		}
		return codec.ReadWhole(body)
	}
	type whole struct {
		column     uint32
		head, body []byte
	}
	parts, err := db.List(ctx, q, func(r *sql.Rows) (p whole, err error) {
		err = r.Scan(&p.column, &p.head, &p.body)
		return p, err
	}, "SELECT attribute, head, body FROM segment_column WHERE project=? AND keep_day=? AND first_position=? ORDER BY attribute", project, m.KeepDay, m.First)
	if err != nil {
		return nil, err
	}
	if len(parts) == 0 || parts[0].column != CoreColumn {
		return nil, fmt.Errorf("%w: the core of the segment of position %d is missing", columns.ErrDamaged, m.First)
	}
	core, err := codec.ReadCore(parts[0].body)
	if err != nil {
		return nil, err
	}
	s := &columns.Segment{Core: *core, Columns: map[uint32]*columns.Column{}}
	for _, p := range parts[1:] {
		head, err := codec.ReadHead(p.head)
		if err != nil {
			return nil, err
		}
		if s.Columns[p.column], err = codec.ReadColumn(head, p.body, m.Events); err != nil {
			return nil, err
		}
	}
	return s, nil
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

// Encoded is a segment as it is written.
type Encoded struct {
	Meta
	body  []byte
	parts [][]any // column, head, body
}

// Encode makes the rows of a segment. A large one takes a row for
// each column.
func Encode(codec *columns.Codec, m Meta, s *columns.Segment) Encoded {
	e := Encoded{Meta: m}
	if m.Tier < Large {
		e.body = codec.Whole(s)
		return e
	}
	head, body := codec.CoreParts(&s.Core)
	e.parts = append(e.parts, []any{CoreColumn, head, body})
	for _, id := range slices.Sorted(maps.Keys(s.Columns)) {
		head, body := codec.ColumnParts(&s.Core, s.Columns[id])
		e.parts = append(e.parts, []any{id, head, body})
	}
	return e
}

// Write writes a segment.
func Write(ctx context.Context, tx *sql.Tx, project int64, e Encoded) error {
	m := e.Meta
	if _, err := tx.ExecContext(ctx,
		"INSERT INTO segment (project, "+metaColumns+", body) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
		project, m.KeepDay, m.First, m.Last, m.Version, m.Tier, m.Events, m.MinTime, m.MaxTime, false,
		e.body); err != nil {
		return fmt.Errorf("segment of position %d: %w", m.First, err)
	}
	rows := make([][]any, len(e.parts))
	for i, p := range e.parts {
		rows[i] = append([]any{project, m.KeepDay, m.First}, p...)
	}
	for chunk := range slices.Chunk(rows, 10) {
		if err := db.InsertRows(ctx, tx, "INSERT INTO segment_column (project, keep_day, first_position, attribute, head, body)", "", chunk); err != nil {
			return fmt.Errorf("columns of the segment of position %d: %w", m.First, err)
		}
	}
	return nil
}

// Remove takes segments away that are still as they were read; ok is false where
// one is not.
func Remove(ctx context.Context, tx *sql.Tx, project int64, list []Meta) (ok bool, err error) {
	for _, m := range list {
		r, err := tx.ExecContext(
			ctx,
			"DELETE FROM segment WHERE project=? AND keep_day=? AND first_position=? AND version=?",
			project,
			m.KeepDay,
			m.First,
			m.Version,
		)
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

// Damage notes that a segment cannot be read, so that it is rebuilt.
func Damage(ctx context.Context, q db.Querier, project int64, k Key) error {
	_, err := q.ExecContext(
		ctx,
		"UPDATE segment SET damaged=1 WHERE project=? AND keep_day=? AND first_position=?",
		project,
		k.KeepDay,
		k.First,
	)
	return err
}
