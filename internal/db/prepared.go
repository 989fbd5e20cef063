package db

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"sync"
)

// statements keeps prepared statements of few fixed shapes: a statement costs
// the server half when its text is not parsed again.
type statements struct {
	mu sync.Mutex
	by map[string]*sql.Stmt
}

// fixedRows are the row counts that multi-row statements are prepared for: any number of rows
// needs few statements, and few texts are prepared.
var fixedRows = []int{128, 64, 32, 16, 8, 4, 2, 1}

// Prepared gives the prepared statement of a text.
func (d *DB) Prepared(ctx context.Context, query string) (*sql.Stmt, error) {
	d.stmts.mu.Lock()
	st := d.stmts.by[query]
	d.stmts.mu.Unlock()
	if st != nil {
		return st, nil
	}
	st, err := d.PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	d.stmts.mu.Lock()
	defer d.stmts.mu.Unlock()
	if old := d.stmts.by[query]; old != nil {
		st.Close()
		return old, nil
	}
	d.stmts.by[query] = st
	return st, nil
}

// ExecPrepared runs a prepared statement, in tx when there is one.
func (d *DB) ExecPrepared(ctx context.Context, tx *sql.Tx, query string, args []any) error {
	st, err := d.Prepared(ctx, query)
	if err != nil {
		return err
	}
	if tx != nil {
		st = tx.StmtContext(ctx, st)
	}
	_, err = st.ExecContext(ctx, args...)
	return err
}

// InsertFixed writes rows in prepared statements of fixed sizes; head is all
// before VALUES, tail what follows the rows.
func (d *DB) InsertFixed(ctx context.Context, tx *sql.Tx, head, tail string, rows [][]any) error {
	return d.execFixed(ctx, tx, rows, func(size int) string {
		return head + " VALUES " + values(len(rows[0]), size) + tail
	})
}

// UpdateFixed changes one row of a table for each of rows, in prepared statements of fixed sizes.
// The update reads the rows as the table x, whose columns are integers with the given names:
// "STRAIGHT_JOIN variant v ON v.id=x.id SET v.events=v.events+x.events". A key may occur once.
func (d *DB) UpdateFixed(ctx context.Context, tx *sql.Tx, columns []string, update string, rows [][]any) error {
	first := "SELECT "
	for i, c := range columns {
		if i > 0 {
			first += ", "
		}
		first += "CAST(? AS SIGNED) AS " + c
	}
	rest := " UNION ALL SELECT " + Marks(len(columns))
	return d.execFixed(ctx, tx, rows, func(size int) string {
		return "UPDATE (" + first + strings.Repeat(rest, size-1) + ") x " + update
	})
}

// execFixed runs statements over all rows; text is the one for so many.
func (d *DB) execFixed(ctx context.Context, tx *sql.Tx, rows [][]any, text func(size int) string) error {
	for _, size := range fixedRows {
		if len(rows) < size {
			continue
		}
		query := text(size)
		for len(rows) >= size {
			if err := d.ExecPrepared(ctx, tx, query, slices.Concat(rows[:size]...)); err != nil {
				return err
			}
			rows = rows[size:]
		}
	}
	return nil
}

// values is "(?,?),(?,?)" for so many rows of so many columns.
func values(columns, rows int) string {
	return strings.TrimSuffix(strings.Repeat("("+Marks(columns)+"),", rows), ",")
}
