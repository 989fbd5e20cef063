package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
)

// Shards is the number of shards that projects are spread over.
const Shards = 64

// ShardOf is the shard of a project.
func ShardOf(project int64) int {
	h := nameHash(string(bigEndian(project)))
	return int(h[0]) % Shards
}

// Lease is this process's hold on a shard.
type Lease struct {
	Shard int
	Epoch uint64
	owner uuid.UUID
}

// ErrLeaseLost says that another process has taken a shard.
var ErrLeaseLost = errors.New("another process has taken this shard")

// dbNow is the database's clock in microseconds: leases of processes whose
// clocks differ are measured by one.
const dbNow = "CAST(UNIX_TIMESTAMP(NOW(6))*1000000 AS SIGNED)"

// TakeLeases renews this process's shards until now+hold, takes free ones up
// to its share, and lets go of those beyond it. The share is the shards
// divided by the processes alive.
func (s *Store) TakeLeases(ctx context.Context, owner uuid.UUID, hold time.Duration) ([]Lease, error) {
	_, err := s.db.ExecContext(ctx, "INSERT INTO filer (owner, until) VALUES (?, "+dbNow+"+?) ON DUPLICATE KEY UPDATE until=VALUES(until)", owner[:], hold.Microseconds())
	if err != nil {
		return nil, err
	}
	var rows, alive, mine int
	const counts = "SELECT (SELECT COUNT(*) FROM shard_lease), (SELECT COUNT(*) FROM filer WHERE until>=" + dbNow + "), (SELECT COUNT(*) FROM shard_lease WHERE owner=?)"
	if err := s.db.QueryRowContext(ctx, counts, owner[:]).Scan(&rows, &alive, &mine); err != nil {
		return nil, err
	}
	if rows < Shards {
		var fresh [][]any
		for i := range Shards {
			fresh = append(fresh, []any{i, uuid.Nil[:], 0, 0, 0})
		}
		if err := insertRows(ctx, s.db, "INSERT IGNORE INTO shard_lease (shard, owner, epoch, until, beat)", "", fresh); err != nil {
			return nil, err
		}
	}
	share := (Shards + max(alive, 1) - 1) / max(alive, 1)
	if err := s.renewShards(ctx, owner, hold); err != nil {
		return nil, err
	}
	switch {
	case mine > share:
		_, err = s.db.ExecContext(ctx, "UPDATE shard_lease SET until=0, owner=? WHERE owner=? ORDER BY shard DESC LIMIT ?", uuid.Nil[:], owner[:], mine-share)
	case mine < share:
		err = s.takeShards(ctx, owner, hold, share-mine)
	}
	if err != nil && !lockTimeout(err) {
		return nil, err
	}
	if _, err := s.db.ExecContext(ctx, "DELETE FROM filer WHERE until<"+dbNow+"-3600000000"); err != nil {
		return nil, err
	}
	var out []Lease
	err = each(ctx, s.db, func(r *sql.Rows) error {
		l := Lease{owner: owner}
		err := r.Scan(&l.Shard, &l.Epoch)
		out = append(out, l)
		return err
	}, "SELECT shard, epoch FROM shard_lease WHERE owner=? ORDER BY shard", owner[:])
	return out, err
}

// A process on a host that vanished may hold the lock of a shard's row until the
// server ends its transaction (transactionIdle). Nobody waits for it: what is
// locked is passed over, and looked at again the next time.
const noWait = "SET STATEMENT innodb_lock_wait_timeout=0 FOR "

// lockTimeout says whether a statement gave up because a row was locked.
func lockTimeout(err error) bool {
	e, ok := errors.AsType[*mysql.MySQLError](err)
	return ok && e.Number == lockWait
}

// renewShards renews this process's shards: all at once, and where the row of
// one is locked, one at a time. The epoch grows only when a shard changes hands,
// so that work under way keeps its fence.
func (s *Store) renewShards(ctx context.Context, owner uuid.UUID, hold time.Duration) error {
	_, err := s.db.ExecContext(ctx, noWait+"UPDATE shard_lease SET until="+dbNow+"+? WHERE owner=?", hold.Microseconds(), owner[:])
	if !lockTimeout(err) {
		return err
	}
	list, err := numbers(ctx, s.db, "SELECT shard FROM shard_lease WHERE owner=?", owner[:])
	for _, shard := range list {
		if err != nil {
			break
		}
		_, err = s.db.ExecContext(ctx, noWait+"UPDATE shard_lease SET until="+dbNow+"+? WHERE shard=? AND owner=?", hold.Microseconds(), shard, owner[:])
		if lockTimeout(err) { // by a batch of our own that is about to commit, or by whoever is taking it
			err = nil
		}
	}
	return err
}

// takeShards takes up to so many shards whose leases have run out, one at a time.
func (s *Store) takeShards(ctx context.Context, owner uuid.UUID, hold time.Duration, most int) error {
	free, err := numbers(ctx, s.db, "SELECT shard FROM shard_lease WHERE until<"+dbNow+" AND owner<>? ORDER BY shard", owner[:])
	if err != nil {
		return err
	}
	for _, shard := range free {
		if most <= 0 {
			return nil
		}
		r, err := s.db.ExecContext(ctx, noWait+"UPDATE shard_lease SET epoch=epoch+1, until="+dbNow+"+?, owner=? WHERE shard=? AND until<"+dbNow+" AND owner<>?", hold.Microseconds(), owner[:], shard, owner[:])
		if lockTimeout(err) {
			continue
		}
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil {
			return err
		} else if n == 1 {
			most--
		}
	}
	return nil
}

// ReleaseLeases lets go of all shards at once, so that another process need
// not wait.
func (s *Store) ReleaseLeases(ctx context.Context, owner uuid.UUID) error {
	_, err := s.db.ExecContext(ctx, "UPDATE shard_lease SET until=0, owner=? WHERE owner=?", uuid.Nil[:], owner[:])
	_, err2 := s.db.ExecContext(ctx, "DELETE FROM filer WHERE owner=?", owner[:])
	return errors.Join(err, err2)
}

// fence makes a transaction fail if the shard has changed hands. It is the last
// statement before the commit, so that the shard's row is locked for a moment
// only.
func (l Lease) fence(ctx context.Context, s *Store, tx *sql.Tx) error {
	st, err := s.prepare(ctx, "UPDATE shard_lease SET beat=beat+1 WHERE shard=? AND epoch=? AND owner=?")
	if err != nil {
		return err
	}
	r, err := tx.StmtContext(ctx, st).ExecContext(ctx, l.Shard, l.Epoch, l.owner[:])
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n != 1 {
		return errors.Join(ErrLeaseLost, err)
	}
	return nil
}
