package db

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
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

// List reads all rows of a query, each with scan.
func List[T any](ctx context.Context, q Querier, scan func(*sql.Rows) (T, error), query string,
	args ...any) (list []T, err error) {
	err = Each(ctx, q, func(r *sql.Rows) error {
		x, err := scan(r)
		list = append(list, x)
		return err
	}, query, args...)
	return list, err
}

// First reads the first row of a query with scan; sql.ErrNoRows if there is
// none.
func First[T any](ctx context.Context, q Querier, scan func(*sql.Rows) (T, error), query string,
	args ...any) (x T, err error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return x, err
	}
	return first(rows, scan)
}

// first reads the first row, and closes rows.
func first[T any](rows *sql.Rows, scan func(*sql.Rows) (T, error)) (x T, err error) {
	defer rows.Close()
	if !rows.Next() {
		return x, cmp.Or(rows.Err(), sql.ErrNoRows)
	}
	if x, err = scan(rows); err != nil {
		return x, err
	}
	return x, rows.Err()
}

// FirstInto reads the first row of a query by the names of its columns;
// sql.ErrNoRows if there is none.
func FirstInto(ctx context.Context, q Querier, into Into, query string, args ...any) error {
	_, err := First(ctx, q, into.scan, query, args...)
	return err
}

// FirstPrepared is FirstInto by a prepared statement.
func (d *DB) FirstPrepared(ctx context.Context, tx *sql.Tx, into Into, query string, args ...any) error {
	st, err := d.Prepared(ctx, query)
	if err != nil {
		return err
	}
	rows, err := tx.StmtContext(ctx, st).QueryContext(ctx, args...)
	if err != nil {
		return err
	}
	_, err = first(rows, into.scan)
	return err
}

// Into says where the columns of a row go, by name.
type Into map[string]any

func (into Into) scan(r *sql.Rows) (struct{}, error) { return struct{}{}, ScanNames(r, into) }

// ScanNames reads a row by the names of its columns, so that their order in the
// statement does not matter. Every column must have a place, and every place a
// column.
func ScanNames(r *sql.Rows, into Into) error {
	columns, err := r.Columns()
	if err != nil {
		return err
	}
	places := make([]any, len(columns))
	for i, c := range columns {
		p, ok := into[c]
		if !ok || slices.Contains(columns[:i], c) {
			return fmt.Errorf("the statement gives a column %q that nothing reads", c)
		}
		places[i] = p
	}
	if len(into) != len(columns) {
		for c := range into {
			if !slices.Contains(columns, c) {
				return fmt.Errorf("the statement gives no column %q", c)
			}
		}
	}
	return r.Scan(places...)
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

// StatementRows is how many rows one statement writes or asks for at most; AskedRows how many the
// statements of a batch ask for by their keys: as many as a batch has events, about.
const (
	StatementRows = 200
	AskedRows     = 500
)

// EachOf calls scan for what a query finds of rows, which it reads as the table x with the given
// columns, in statements of at most AskedRows. A join with x costs the server half of what
// as many conditions cost that are joined by OR.
func EachOf(ctx context.Context, q Querier, columns string, rows [][]any, scan func(*sql.Rows) error,
	query string) error {
	for chunk := range slices.Chunk(rows, AskedRows) {
		with := "WITH x(" + columns + ") AS (VALUES " + values(len(chunk[0]), len(chunk)) + ") "
		if err := Each(ctx, q, scan, with+query, slices.Concat(chunk...)...); err != nil {
			return err
		}
	}
	return nil
}

// InsertRows writes rows in statements of at most StatementRows; head is all
// before VALUES, tail what follows the rows.
func InsertRows(ctx context.Context, q Querier, head, tail string, rows [][]any) error {
	for chunk := range slices.Chunk(rows, StatementRows) {
		query := head + " VALUES " + values(len(chunk[0]), len(chunk)) + tail
		if _, err := q.ExecContext(ctx, query, slices.Concat(chunk...)...); err != nil {
			return err
		}
	}
	return nil
}
