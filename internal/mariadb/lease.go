package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"time"

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
	// The epoch grows only when a shard changes hands, so work under way keeps
	// its fence.
	if _, err := s.db.ExecContext(ctx, "UPDATE shard_lease SET until="+dbNow+"+? WHERE owner=?", hold.Microseconds(), owner[:]); err != nil {
		return nil, err
	}
	switch {
	case mine > share:
		_, err = s.db.ExecContext(ctx, "UPDATE shard_lease SET until=0, owner=? WHERE owner=? ORDER BY shard DESC LIMIT ?", uuid.Nil[:], owner[:], mine-share)
	case mine < share:
		_, err = s.db.ExecContext(ctx, "UPDATE shard_lease SET epoch=epoch+1, until="+dbNow+"+?, owner=? WHERE until<"+dbNow+" AND owner<>? ORDER BY shard LIMIT ?", hold.Microseconds(), owner[:], owner[:], share-mine)
	}
	if err != nil {
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

// ReleaseLeases lets go of all shards at once, so that another process need
// not wait.
func (s *Store) ReleaseLeases(ctx context.Context, owner uuid.UUID) error {
	_, err := s.db.ExecContext(ctx, "UPDATE shard_lease SET until=0, owner=? WHERE owner=?", uuid.Nil[:], owner[:])
	_, err2 := s.db.ExecContext(ctx, "DELETE FROM filer WHERE owner=?", owner[:])
	return errors.Join(err, err2)
}

// fence makes a transaction fail if the shard has changed hands.
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
