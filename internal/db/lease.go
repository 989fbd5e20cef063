package db

import (
	"context"
	"errors"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
)

// Clock is the database's clock in microseconds: leases of processes whose
// clocks differ are measured by one.
const Clock = "CAST(UNIX_TIMESTAMP(NOW(6))*1000000 AS SIGNED)"

// NoWait stands before a statement that does not wait for a lock. A process on a
// host that vanished may hold the lock of a shard's row until the server ends its
// transaction (TransactionIdle). Nobody waits for it: a locked row is passed over,
// and looked at again the next time.
const NoWait = "SET STATEMENT innodb_lock_wait_timeout=0 FOR "

// LockWait is the server's number of a lock that took too long.
const LockWait = 1205

// LockTimeout says whether a statement gave up because a row was locked.
func LockTimeout(err error) bool {
	e, ok := errors.AsType[*mysql.MySQLError](err)
	return ok && e.Number == LockWait
}

// KeepLease renews a lease that this process holds until stop is called.
func (d *DB) KeepLease(ctx context.Context, name string, owner uuid.UUID, hold time.Duration) (stop func()) {
	ctx, cancel := context.WithCancel(ctx)
	var done sync.WaitGroup
	done.Go(func() {
		tick := time.NewTicker(hold / 4)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			// It is not cut off: a statement that the database runs after the release would take the lease again.
			renewal, end := context.WithTimeout(context.WithoutCancel(ctx), hold)
			_, err := d.ExecContext(renewal, "UPDATE lease SET until="+Clock+"+? WHERE name=? AND owner=?",
				hold.Microseconds(), name, owner[:])
			end()
			if err != nil && ctx.Err() == nil {
				d.Log.Warn("a lease could not be renewed", "lease", name, "err", err)
			}
		}
	})
	return func() { cancel(); done.Wait() }
}

// HoldLease takes the lease of a name and renews it until it is released, so that
// a process that ends holds the others up for no longer than hold. release is nil
// when another process has it.
func (d *DB) HoldLease(ctx context.Context, name string, owner uuid.UUID,
	hold time.Duration) (release func(), err error) {
	let, err := d.TryLease(ctx, name, owner, hold)
	if err != nil || let == nil {
		return nil, err
	}
	stop := d.KeepLease(ctx, name, owner, hold)
	return func() { stop(); let() }, nil
}

// WaitLease takes the lease of a name, waiting for another holder.
func (d *DB) WaitLease(ctx context.Context, name string, owner []byte, hold time.Duration) (release func(), err error) {
	for {
		release, err := d.TryLease(ctx, name, uuid.UUID(owner), hold)
		if err != nil || release != nil {
			return release, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// TryLease takes the lease of a name for at most hold; release is nil when
// another has it.
func (d *DB) TryLease(ctx context.Context, name string, owner uuid.UUID,
	hold time.Duration) (release func(), err error) {
	if _, err := d.ExecContext(ctx, "INSERT IGNORE INTO lease (name, owner, until) VALUES (?, ?, 0)", name, owner[:]); err != nil {
		return nil, err
	}
	r, err := d.ExecContext(ctx, "UPDATE lease SET owner=?, until="+Clock+"+? WHERE name=? AND until<"+Clock, owner[:],
		hold.Microseconds(), name)
	if err != nil {
		return nil, err
	}
	if n, err := r.RowsAffected(); err != nil || n != 1 {
		return nil, err
	}
	return func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		_, _ = d.ExecContext(ctx, "UPDATE lease SET until=0 WHERE name=? AND owner=?", name,
			owner[:]) // else it runs out
	}, nil
}
