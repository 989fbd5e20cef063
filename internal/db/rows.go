package db

import (
	"context"
	"database/sql"
	"slices"
	"strings"
)

// Querier is a pool or a transaction.
type Querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// Each calls scan for every row of a query.
func Each(ctx context.Context, q Querier, scan func(*sql.Rows) error, query string, args ...any) error {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := scan(rows); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Numbers reads the one column of a query.
func Numbers(ctx context.Context, q Querier, query string, args ...any) (list []int64, err error) {
	err = Each(ctx, q, func(r *sql.Rows) error {
		var n int64
		err := r.Scan(&n)
		list = append(list, n)
		return err
	}, query, args...)
	return list, err
}

// Texts reads a column of texts.
func Texts(ctx context.Context, q Querier, query string, args ...any) (list []string, err error) {
	err = Each(ctx, q, func(r *sql.Rows) error {
		var t string
		err := r.Scan(&t)
		list = append(list, t)
		return err
	}, query, args...)
	return list, err
}

// Marks is "?,?,?" for n values.
func Marks(n int) string { return strings.TrimSuffix(strings.Repeat("?,", n), ",") }

// StatementRows is how many rows one statement writes or asks for at most.
const StatementRows = 200

// InsertRows writes rows in statements of at most StatementRows; head is all
// before VALUES, tail what follows the rows.
func InsertRows(ctx context.Context, q Querier, head, tail string, rows [][]any) error {
	for chunk := range slices.Chunk(rows, StatementRows) {
		var b strings.Builder
		b.WriteString(head)
		b.WriteString(" VALUES ")
		args := make([]any, 0, len(chunk)*len(chunk[0]))
		for i, r := range chunk {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteByte('(')
			b.WriteString(Marks(len(r)))
			b.WriteByte(')')
			args = append(args, r...)
		}
		b.WriteString(tail)
		if _, err := q.ExecContext(ctx, b.String(), args...); err != nil {
			return err
		}
	}
	return nil
}
