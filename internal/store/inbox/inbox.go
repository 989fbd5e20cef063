package inbox

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/pipeline"
)

// Delivery is one row of the inbox.
type Delivery struct {
	Shard   int
	Project int64
	ID      uuid.UUID
	Batches []*pipeline.Batch
	Err     error // the row cannot be read
	packed  []byte
	at      time.Time
}

// Limits of one claim.
const (
	claimRows   = 200
	claimEvents = 2000
	claimBytes  = 8 << 20 // compressed
)

// Claim is what one turn files: the oldest deliveries of a project.
type Claim struct {
	Project    int64
	Deliveries []Delivery
	// Tries is how often these deliveries were taken claimed; above 1 a process
	// has ended or failed over them.
	Tries int
	// Suspect is the event that was being processed alone when the process ended,
	// and Deaths how often that happened.
	Suspect uuid.UUID
	Deaths  int
	// Done tells, a bit for each event in order, which events an earlier try has
	// processed one by one. They are not touched again: they would count as repeats.
	Done []byte
	More bool // the project has more than this
}

// Claim takes a project's oldest deliveries claimed and writes that down
// before anything is done with them. again says that the last turn failed for
// a reason that lies not in them, so that it does not count.
func (s *Store) Claim(ctx context.Context, l Lease, project int64, again bool) (*Claim, error) {
	c := &Claim{Project: project}
	var ids, suspect []byte
	err := s.db.QueryRowContext(ctx, "SELECT deliveries, tries, suspect, deaths, done FROM claim WHERE project=?", project).Scan(&ids, &c.Tries, &suspect, &c.Deaths, &c.Done)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, err
	}
	if len(suspect) == 16 {
		c.Suspect = uuid.UUID(suspect)
	}
	if c.Deliveries, c.More, err = s.deliveries(ctx, l.Shard, project, ids); err != nil {
		return nil, err
	}
	if len(ids) > 0 && len(c.Deliveries) == 0 { // all of them were processed
		c.Tries, c.Deaths, c.Suspect, c.Done = 0, 0, uuid.Nil, nil
		if c.Deliveries, c.More, err = s.deliveries(ctx, l.Shard, project, nil); err != nil {
			return nil, err
		}
	}
	if len(c.Deliveries) == 0 {
		return c, nil
	}
	c.More = c.Tries > 0 || c.More
	if !again || c.Tries == 0 {
		c.Tries++
		if c.Suspect != uuid.Nil {
			c.Deaths++
		}
	}
	ids = ids[:0]
	for _, d := range c.Deliveries {
		ids = append(ids, d.ID[:]...)
	}
	return c, s.db.ExecPrepared(ctx, nil, "REPLACE INTO claim (project, deliveries, tries, suspect, deaths, done) VALUES (?,?,?,?,?,?)", []any{project, ids, min(c.Tries, 250), db.NullUUID(c.Suspect), min(c.Deaths, 250), c.Done})
}

// Suspect writes down which event is processed alone next.
func (s *Store) Suspect(ctx context.Context, c *Claim, event uuid.UUID) error {
	deaths := 0
	if event == c.Suspect {
		deaths = c.Deaths
	}
	return s.db.ExecPrepared(ctx, nil, "UPDATE claim SET suspect=?, deaths=? WHERE project=?",
		[]any{event[:], deaths, c.Project})
}

// deliveries reads the oldest rows of a project, or those of a former claim;
// more says that they are not all.
func (s *Store) deliveries(ctx context.Context, shard int, project int64,
	ids []byte) (out []Delivery, more bool, err error) {
	query, args := "SELECT id, received, events, body FROM inbox WHERE shard=? AND project=?", []any{shard, project}
	if n := len(ids) / 16; n > 0 {
		query += " AND id IN (" + db.Marks(n) + ")"
		for i := range n {
			args = append(args, ids[16*i:16*i+16])
		}
	}
	events, size := 0, 0
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		d := Delivery{Shard: shard, Project: project}
		var id []byte
		var received int64
		var n int
		var body sql.RawBytes
		if err := r.Scan(&id, &received, &n, &body); err != nil {
			return err
		}
		if len(out) > 0 && len(ids) == 0 && (events+n > claimEvents || size+len(body) > claimBytes) {
			events, more = claimEvents, true // the rest is for the next turn
			return nil
		}
		events, size = events+n, size+len(body)
		d.ID, d.at = uuid.UUID(id), db.FromMicros(received)
		d.Batches, d.Err = pipeline.Unpack(body, d.at)
		if errors.Is(d.Err, pipeline.ErrNewer) { // a process that knows the form takes it
			s.db.Log.Warn("events were stored by a newer version and wait for a process of that version", "project", project, "delivery", d.ID)
			return nil
		}
		if d.Err != nil {
			d.packed = append([]byte(nil), body...)
		}
		out = append(out, d)
		return nil
	}, query+" ORDER BY id LIMIT ?", append(args, claimRows)...)
	return out, more || len(out) == claimRows, err
}

// Unreadable is the failed event of a delivery that cannot be read.
func (d *Delivery) Unreadable() FailedEvent {
	return FailedEvent{Project: d.Project, Received: d.at, Why: d.Err.Error(), Packed: d.packed}
}

// Waiting lists the projects that have something in the inbox of the shards
// held.
func (s *Store) Waiting(ctx context.Context, leases []Lease) ([]int64, error) {
	if len(leases) == 0 {
		return nil, nil
	}
	args := make([]any, len(leases))
	for i, l := range leases {
		args[i] = l.Shard
	}
	var out []int64
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var shard int
		var id int64
		err := r.Scan(&shard, &id)
		out = append(out, id)
		return err
	}, "SELECT DISTINCT shard, project FROM inbox FORCE INDEX (PRIMARY) WHERE shard IN ("+db.Marks(len(args))+")", args...)
	return out, err
}

// RemoveDeliveries takes rows of a claim out of the inbox, and the claim with
// the last of them; it fails when one of them is not there.
func (s *Store) RemoveDeliveries(ctx context.Context, tx *sql.Tx, list []Delivery, more bool) error {
	st, err := s.db.Prepared(ctx, "DELETE FROM inbox WHERE shard=? AND project=? AND id=?")
	if err != nil {
		return err
	}
	st = tx.StmtContext(ctx, st)
	for _, d := range list {
		r, err := st.ExecContext(ctx, d.Shard, d.Project, d.ID[:])
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || n != 1 {
			return errors.Join(fmt.Errorf("inbox row %s is gone: %w", d.ID, ErrLeaseLost), err)
		}
	}
	if len(list) == 0 || more {
		return nil
	}
	return s.db.ExecPrepared(ctx, tx, "DELETE FROM claim WHERE project=?", []any{list[0].Project})
}
