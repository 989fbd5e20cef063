package db

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"math/rand/v2"
	"net"
	"slices"
	"time"

	"github.com/go-sql-driver/mysql"
)

// retryable are the server's error numbers after which the same transaction
// may succeed: deadlock, lock wait, snapshot conflict, cluster not ready,
// too many connections, shutdown, killed.
var retryable = []uint16{1213, 1205, 1020, 1047, 1040, 1053, 1927}

// unusable are those that say that the server cannot write now: disk full,
// table full for the same reason, error writing a file, read only.
var unusable = []uint16{1021, 1114, 1026, 1290, 1836}

// Away says whether err means that the database cannot be reached or used now.
func Away(err error) bool {
	if e, ok := errors.AsType[*mysql.MySQLError](err); ok {
		return slices.Contains(retryable, e.Number) || slices.Contains(unusable, e.Number)
	}
	var netErr net.Error
	return errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, driver.ErrBadConn) || errors.As(err, &netErr)
}

// InTx runs fn in a transaction and runs it again, whole, when the database
// asks for that; fn keeps no state between tries.
func (d *DB) InTx(ctx context.Context, fn func(tx *sql.Tx) error) error {
	return d.InTxOf(ctx, d.DB, fn)
}

// InTxOf is InTx on one of the two pools.
func (d *DB) InTxOf(ctx context.Context, db *sql.DB, fn func(tx *sql.Tx) error) error {
	for try := 1; ; try++ {
		err := Once(ctx, db, fn)
		if err == nil || !Away(err) || try == 5 || ctx.Err() != nil {
			return err
		}
		d.Log.Debug("a transaction is tried again", "try", try, "err", err)
		select {
		case <-ctx.Done():
			return errors.Join(err, ctx.Err())
		case <-time.After(time.Duration(5+rand.IntN(40*try)) * time.Millisecond):
		}
	}
}

// Once runs fn in a transaction and does not try again.
func Once(ctx context.Context, db *sql.DB, fn func(tx *sql.Tx) error) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback() // after a commit it does nothing
	if err := fn(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// Duplicate says whether a statement failed because such a row exists.
func Duplicate(err error) bool {
	e, ok := errors.AsType[*mysql.MySQLError](err)
	return ok && e.Number == 1062
}
