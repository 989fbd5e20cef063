package inbox

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
)

// Shards is the number of shards that projects are spread over.
const Shards = 64

// ShardOf is the shard of a project.
func ShardOf(project int64) int {
	h := db.NameHash(string(db.BigEndian(project)))
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

// TakeLeases renews this process's shards until now+hold, takes free ones up
// to its share, and releases those beyond it. The share is the shards
// divided by the processes alive.
func (s *Store) TakeLeases(ctx context.Context, owner uuid.UUID, hold time.Duration) ([]Lease, error) {
	_, err := s.db.ExecContext(ctx,
		"INSERT INTO processor (owner, until) VALUES (?, "+db.Clock+"+?) ON DUPLICATE KEY UPDATE until=VALUES(until)",
		owner[:], hold.Microseconds())
	if err != nil {
		return nil, err
	}
	var rows, alive, mine int
	const counts = "SELECT (SELECT COUNT(*) FROM shard_lease), (SELECT COUNT(*) FROM processor WHERE until>=" + db.Clock + "), (SELECT COUNT(*) FROM shard_lease WHERE owner=?)"
	if err := s.db.QueryRowContext(ctx, counts, owner[:]).Scan(&rows, &alive, &mine); err != nil {
		return nil, err
	}
	if rows < Shards {
		var fresh [][]any
		for i := range Shards {
			fresh = append(fresh, []any{i, uuid.Nil[:], 0, 0, 0})
		}
		if err := db.InsertRows(ctx, s.db, "INSERT IGNORE INTO shard_lease (shard, owner, epoch, until, beat)", "", fresh); err != nil {
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
	if err != nil && !db.LockTimeout(err) {
		return nil, err
	}
	if _, err := s.db.ExecContext(ctx, "DELETE FROM processor WHERE until<"+db.Clock+"-3600000000"); err != nil {
		return nil, err
	}
	var out []Lease
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		l := Lease{owner: owner}
		err := r.Scan(&l.Shard, &l.Epoch)
		out = append(out, l)
		return err
	}, "SELECT shard, epoch FROM shard_lease WHERE owner=? ORDER BY shard", owner[:])
	return out, err
}

// renewShards renews this process's shards: all at once, and where the row of
// one is locked, one at a time. The epoch grows only when a shard changes hands,
// so that work under way keeps its fence.
func (s *Store) renewShards(ctx context.Context, owner uuid.UUID, hold time.Duration) error {
	_, err := s.db.ExecContext(ctx, db.NoWait+"UPDATE shard_lease SET until="+db.Clock+"+? WHERE owner=?",
		hold.Microseconds(), owner[:])
	if !db.LockTimeout(err) {
		return err
	}
	list, err := db.Numbers(ctx, s.db, "SELECT shard FROM shard_lease WHERE owner=?", owner[:])
	for _, shard := range list {
		if err != nil {
			break
		}
		_, err = s.db.ExecContext(ctx,
			db.NoWait+"UPDATE shard_lease SET until="+db.Clock+"+? WHERE shard=? AND owner=?", hold.Microseconds(),
			shard, owner[:])
		if db.LockTimeout(err) { // by a batch of our own that is about to commit, or by a process that is claiming it
			err = nil
		}
	}
	return err
}

// takeShards takes up to so many shards whose leases have run out, one at a time.
func (s *Store) takeShards(ctx context.Context, owner uuid.UUID, hold time.Duration, limit int) error {
	free, err := db.Numbers(ctx, s.db,
		"SELECT shard FROM shard_lease WHERE until<"+db.Clock+" AND owner<>? ORDER BY shard", owner[:])
	if err != nil {
		return err
	}
	for _, shard := range free {
		if limit <= 0 {
			return nil
		}
		r, err := s.db.ExecContext(ctx,
			db.NoWait+"UPDATE shard_lease SET epoch=epoch+1, until="+db.Clock+"+?, owner=? WHERE shard=? AND until<"+
				db.Clock+" AND owner<>?", hold.Microseconds(), owner[:], shard, owner[:])
		if db.LockTimeout(err) {
			continue
		}
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil {
			return err
		} else if n == 1 {
			limit--
		}
	}
	return nil
}

// ReleaseLeases releases all shards at once, so that another process need
// not wait.
func (s *Store) ReleaseLeases(ctx context.Context, owner uuid.UUID) error {
	_, err := s.db.ExecContext(ctx, "UPDATE shard_lease SET until=0, owner=? WHERE owner=?", uuid.Nil[:], owner[:])
	_, err2 := s.db.ExecContext(ctx, "DELETE FROM processor WHERE owner=?", owner[:])
	return errors.Join(err, err2)
}

// Fence makes a transaction fail if the shard has changed hands. It is the last
// statement before the commit, so that the shard's row is locked for a moment
// only.
func (s *Store) Fence(ctx context.Context, tx *sql.Tx, l Lease) error {
	st, err := s.db.Prepared(ctx, "UPDATE shard_lease SET beat=beat+1 WHERE shard=? AND epoch=? AND owner=?")
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

// Filers counts the processes that file.
func (s *Store) Filers(ctx context.Context) (n int, err error) {
	return n, s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM processor WHERE until>="+db.Clock).Scan(&n)
}
