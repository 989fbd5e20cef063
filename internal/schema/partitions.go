package schema

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"

	"firethorn/internal/db"
)

// partitioned are the tables with a partition for each keep_day.
var partitioned = []string{"event", "event_body", "segment", "segment_column"}

// PartitionLease lets one process change partitions at a time: two that make
// the same ones at once would fail. One that dies with it holds the others up
// for no longer than such a change takes.
func (s *Schema) PartitionLease(ctx context.Context) (release func(), err error) {
	me := uuid.New()
	return s.db.WaitLease(ctx, "partitions", me[:], 30*time.Second)
}

// EnsurePartitions makes the day partitions that events of the next days need
// in every class of retention that a project has. Rows that found none would
// stand in pmax.
func (s *Schema) EnsurePartitions(ctx context.Context) error {
	var longest int
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(keep_days), 0) FROM project").Scan(&longest); err != nil ||
		longest == 0 {
		return err
	}
	if add, err := s.missingPartitions(ctx, longest); err != nil || len(add) == 0 {
		return err // at most starts nothing is missing, and no lease is needed
	}
	release, err := s.PartitionLease(ctx)
	if err != nil {
		return err
	}
	defer release()
	add, err := s.missingPartitions(ctx, longest) // another may have made them
	if err != nil {
		return err
	}
	for table, list := range add {
		list = append(list, "PARTITION pmax VALUES LESS THAN MAXVALUE")
		if err := s.Alter(ctx,
			"ALTER TABLE "+table+" REORGANIZE PARTITION pmax INTO ("+strings.Join(list, ", ")+")"); err != nil {
			return fmt.Errorf("partitions of %s: %w", table, err)
		}
	}
	return nil
}

// missingPartitions lists, by table, the partitions that are to be made.
func (s *Schema) missingPartitions(ctx context.Context, longest int) (map[string][]string, error) {
	out := map[string][]string{}
	today := db.Day(s.db.Now())
	for _, table := range partitioned {
		days, err := s.PartitionDays(ctx, table)
		if err != nil {
			return nil, err
		}
		from := today
		if len(days) > 0 {
			from = max(from, days[len(days)-1]+1)
		}
		for d := from; d <= today+longest+aheadDays; d++ {
			out[table] = append(out[table], fmt.Sprintf("PARTITION p%d VALUES LESS THAN (%d)", d, d+1))
		}
	}
	return out, nil
}

// PartitionDays lists the days that have a partition of a table, oldest first.
func (s *Schema) PartitionDays(ctx context.Context, table string) ([]int, error) {
	var days []int
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var name string
		if err := r.Scan(&name); err != nil {
			return err
		}
		if d, err := strconv.Atoi(strings.TrimPrefix(name, "p")); err == nil {
			days = append(days, d)
		}
		return nil
	}, "SELECT partition_name FROM information_schema.partitions WHERE table_schema=DATABASE() AND table_name=?", table)
	slices.Sort(days)
	return days, err
}

// aheadDays is how many days partitions are made ahead.
const aheadDays = 3

// Partitions says how partitions stand.
type Partitions struct {
	Ahead int   // days beyond what today's events need
	Stray int64 // rows in no day's partition
	// Needed says that there are projects: without one no event comes, and there are no
	// partitions yet.
	Needed bool
}

// PartitionState looks whether partitions reach as far as events need.
func (s *Schema) PartitionState(ctx context.Context) (Partitions, error) {
	var p Partitions
	var longest int
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(keep_days),0), (SELECT COUNT(*) FROM (SELECT 1 FROM event PARTITION (pmax) LIMIT 1000) x) FROM project").Scan(&longest, &p.Stray); err != nil {
		return p, err
	}
	days, err := s.PartitionDays(ctx, "event")
	if err != nil || longest == 0 {
		return p, err
	}
	p.Ahead, p.Needed = -longest, true
	if len(days) > 0 {
		p.Ahead = days[len(days)-1] - db.Day(s.db.Now()) - longest
	}
	return p, nil
}

const alterTries = 60

const alterPause = 500 * time.Millisecond

// Alter changes a table that transactions use. While a change waits for them,
// all who come after it wait for the change; and a transaction that needs
// another connection, to prepare a statement, would wait for itself. So it
// waits a second only, lets the others through, and tries again.
func (s *Schema) Alter(ctx context.Context, query string) error {
	for try := 1; ; try++ {
		_, err := s.db.Slow.ExecContext(ctx, "SET STATEMENT lock_wait_timeout=1 FOR "+query)
		if e, ok := errors.AsType[*mysql.MySQLError](err); !ok || e.Number != db.LockWait || try == alterTries {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(alterPause):
		}
	}
}
