package mariadb

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

func (s *Store) prepare(ctx context.Context, query string) (*sql.Stmt, error) {
	s.stmts.mu.Lock()
	st := s.stmts.by[query]
	s.stmts.mu.Unlock()
	if st != nil {
		return st, nil
	}
	st, err := s.db.PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	s.stmts.mu.Lock()
	defer s.stmts.mu.Unlock()
	if old := s.stmts.by[query]; old != nil {
		st.Close()
		return old, nil
	}
	s.stmts.by[query] = st
	return st, nil
}

// exec runs a prepared statement, in tx when there is one.
func (s *Store) exec(ctx context.Context, tx *sql.Tx, query string, args []any) error {
	st, err := s.prepare(ctx, query)
	if err != nil {
		return err
	}
	if tx != nil {
		st = tx.StmtContext(ctx, st)
	}
	_, err = st.ExecContext(ctx, args...)
	return err
}

// insertFixed writes rows in prepared statements of fixed sizes; head is all
// before VALUES, tail what follows the rows.
func (s *Store) insertFixed(ctx context.Context, tx *sql.Tx, head, tail string, rows [][]any) error {
	for _, size := range fixedRows {
		if len(rows) < size {
			continue
		}
		one := "(" + marks(len(rows[0])) + ")"
		query := head + " VALUES " + strings.TrimSuffix(strings.Repeat(one+",", size), ",") + tail
		for len(rows) >= size {
			args := make([]any, 0, size*len(rows[0]))
			for _, r := range rows[:size] {
				args = append(args, r...)
			}
			if err := s.exec(ctx, tx, query, args); err != nil {
				return err
			}
			rows = rows[size:]
		}
	}
	return nil
}
