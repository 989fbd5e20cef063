package db

import (
	"context"
	"database/sql"
	"strings"
	"sync"
)

// statements keeps prepared statements of few fixed shapes: a statement costs
// the server half when its text is not parsed again.
type statements struct {
	mu sync.Mutex
	by map[string]*sql.Stmt
}

// fixedRows are the row counts that multi-row statements are prepared for.
var fixedRows = []int{50, 10, 1}

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
	for _, size := range fixedRows {
		if len(rows) < size {
			continue
		}
		one := "(" + Marks(len(rows[0])) + ")"
		query := head + " VALUES " + strings.TrimSuffix(strings.Repeat(one+",", size), ",") + tail
		for len(rows) >= size {
			args := make([]any, 0, size*len(rows[0]))
			for _, r := range rows[:size] {
				args = append(args, r...)
			}
			if err := d.ExecPrepared(ctx, tx, query, args); err != nil {
				return err
			}
			rows = rows[size:]
		}
	}
	return nil
}
