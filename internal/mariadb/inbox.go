package mariadb

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
)

// Shards is the number of shards that projects are spread over.
const Shards = 64

// ShardOf is the shard of a project.
func ShardOf(project int64) int {
	var b [8]byte
	binary.BigEndian.PutUint64(b[:], uint64(project))
	h := nameHash(string(b[:]))
	return int(h[0]) % Shards
}

// Delivery is one row of the inbox.
type Delivery struct {
	Shard   int
	ID      uuid.UUID
	Project int64
	Batch   *pipeline.Batch
	Err     error // the row cannot be read
}

const appendSQL = "INSERT INTO inbox (shard, id, project, received, events, body) VALUES (?, ?, ?, ?, ?, ?)"

// Append stores a batch. When it returns nil the batch is written and synced.
func (s *Store) Append(ctx context.Context, project int64, b *pipeline.Batch) error {
	body := b.Pack()
	id, err := uuid.NewV7()
	if err != nil {
		return err
	}
	// A row written twice after a lost answer does no harm: event ids count once.
	for try := 0; ; try++ {
		_, err = s.hot.ExecContext(ctx, appendSQL, ShardOf(project), id[:], project, micros(b.Received), len(b.Events), body)
		if err == nil || !Away(err) || try == 2 {
			return err
		}
		id, _ = uuid.NewV7()
	}
}

// Lease is this process's hold on a shard.
type Lease struct {
	Shard int
	Epoch uint64
	owner uuid.UUID
}

// ErrLeaseLost says that another process has taken a shard.
var ErrLeaseLost = errors.New("another process has taken this shard")

// TakeLeases takes every shard that is free, ours, or whose holder did not
// renew in time, until now+hold.
func (s *Store) TakeLeases(ctx context.Context, owner uuid.UUID, hold time.Duration) ([]Lease, error) {
	now := s.now()
	var out []Lease
	have := map[int]bool{}
	type held struct {
		shard int
		owner []byte
		until int64
	}
	var rows []held
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var h held
		if err := r.Scan(&h.shard, &h.owner, &h.until); err != nil {
			return err
		}
		rows = append(rows, h)
		return nil
	}, "SELECT shard, owner, until FROM shard_lease")
	if err != nil {
		return nil, err
	}
	for _, h := range rows {
		have[h.shard] = true
	}
	if len(rows) < Shards {
		var fresh [][]any
		zero := uuid.Nil
		for i := range Shards {
			if !have[i] {
				fresh = append(fresh, []any{i, zero[:], 0, 0, 0})
				rows = append(rows, held{shard: i, owner: zero[:]})
			}
		}
		if err := insertRows(ctx, s.db, "INSERT IGNORE INTO shard_lease (shard, owner, epoch, until, beat)", "", fresh); err != nil {
			return nil, err
		}
	}
	// One statement for those we hold and those that ran out; the epoch grows
	// only when a shard changes hands, so work under way keeps its fence.
	_, err = s.db.ExecContext(ctx, "UPDATE shard_lease SET epoch=IF(owner=?, epoch, epoch+1), until=?, owner=? WHERE until<? OR owner=?",
		owner[:], micros(now.Add(hold)), owner[:], micros(now), owner[:])
	if err != nil {
		return nil, err
	}
	err = each(ctx, s.db, func(r *sql.Rows) error {
		l := Lease{owner: owner}
		if err := r.Scan(&l.Shard, &l.Epoch); err != nil {
			return err
		}
		out = append(out, l)
		return nil
	}, "SELECT shard, epoch FROM shard_lease WHERE owner=? ORDER BY shard", owner[:])
	return out, err
}

// ReleaseLeases lets go of all shards at once, so that another process need
// not wait.
func (s *Store) ReleaseLeases(ctx context.Context, owner uuid.UUID) error {
	_, err := s.db.ExecContext(ctx, "UPDATE shard_lease SET until=0 WHERE owner=?", owner[:])
	return err
}

// fence makes a transaction fail if the shard has changed hands.
func (l Lease) fence(ctx context.Context, tx *sql.Tx) error {
	r, err := tx.ExecContext(ctx, "UPDATE shard_lease SET beat=beat+1 WHERE shard=? AND epoch=? AND owner=?", l.Shard, l.Epoch, l.owner[:])
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n != 1 {
		return errors.Join(ErrLeaseLost, err)
	}
	return nil
}

// Deliveries reads up to most rows of the inbox in the shards held, oldest
// first within each shard.
func (s *Store) Deliveries(ctx context.Context, leases []Lease, most int) ([]Delivery, error) {
	if len(leases) == 0 {
		return nil, nil
	}
	args := []any{}
	for _, l := range leases {
		args = append(args, l.Shard)
	}
	var out []Delivery
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var d Delivery
		var id, body []byte
		var received int64
		if err := r.Scan(&d.Shard, &id, &d.Project, &received, &body); err != nil {
			return err
		}
		d.ID = uuid.UUID(id)
		if d.Batch, d.Err = pipeline.UnpackBatch(body); d.Err != nil {
			d.Batch = &pipeline.Batch{}
		}
		d.Batch.Received = fromMicros(received)
		out = append(out, d)
		return nil
	}, "SELECT shard, id, project, received, body FROM inbox WHERE shard IN ("+marks(len(args))+") ORDER BY shard, id LIMIT ?", append(args, most)...)
	return out, err
}

// Aside is an event that could not be filed.
type Aside struct {
	Project  int64
	Received time.Time
	Why      string
	Body     []byte
}

func setAside(ctx context.Context, tx *sql.Tx, list []Aside) error {
	rows := make([][]any, len(list))
	for i, a := range list {
		id := uuid.New()
		rows[i] = []any{id[:], a.Project, micros(a.Received), a.Why, pipeline.Compress(a.Body)}
	}
	return insertRows(ctx, tx, "INSERT INTO set_aside (id, project, received, error, body)", "", rows)
}

// removeDelivery takes a row out of the inbox; it fails when it is not there.
func removeDelivery(ctx context.Context, tx *sql.Tx, d Delivery) error {
	r, err := tx.ExecContext(ctx, "DELETE FROM inbox WHERE shard=? AND id=?", d.Shard, d.ID[:])
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n != 1 {
		return errors.Join(fmt.Errorf("inbox row %s is gone: %w", d.ID, ErrLeaseLost), err)
	}
	return nil
}

// InboxState is how much waits.
type InboxState struct {
	Rows, Events, SetAside int64
	Oldest                 time.Time // zero when nothing waits
}

// Inbox says how much waits and how much was set aside.
func (s *Store) Inbox(ctx context.Context) (InboxState, error) {
	var st InboxState
	var oldest sql.NullInt64
	err := s.db.QueryRowContext(ctx, "SELECT COUNT(*), COALESCE(SUM(events),0), MIN(received), (SELECT COUNT(*) FROM set_aside) FROM inbox").Scan(&st.Rows, &st.Events, &oldest, &st.SetAside)
	if oldest.Valid {
		st.Oldest = fromMicros(oldest.Int64)
	}
	return st, err
}

// ClientDrops adds to the counts of what clients say they lost.
func (s *Store) ClientDrops(ctx context.Context, project int64, drops map[string]int64) error {
	var rows [][]any
	hour := s.now().Unix() / 3600
	for cause, n := range drops {
		if n > 0 && len(cause) <= 40 {
			rows = append(rows, []any{project, hour, cause, n})
		}
	}
	if len(rows) == 0 {
		return nil
	}
	return insertRows(ctx, s.db, "INSERT INTO client_drop (project, hour, cause, events)", " ON DUPLICATE KEY UPDATE events=events+VALUES(events)", rows)
}

// newSecret gives n random bytes.
func newSecret(n int) []byte {
	b := make([]byte, n)
	rand.Read(b)
	return b
}
