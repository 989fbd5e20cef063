package mariadb

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
)

// partitioned are the tables with a partition for each keep_day.
var partitioned = []string{"event", "event_body"}

// partitionLease lets one process change partitions at a time: two that make
// the same ones at once would fail.
func (s *Store) partitionLease(ctx context.Context) (release func(), err error) {
	me := uuid.New()
	return s.waitLease(ctx, "partitions", me[:], 10*time.Minute)
}

// EnsurePartitions makes the day partitions that events of the next days need
// in every class of retention that a project has. Rows that found none would
// stand in pmax.
func (s *Store) EnsurePartitions(ctx context.Context) error {
	var longest int
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(keep_days), 0) FROM project").Scan(&longest); err != nil {
		return err
	}
	if longest == 0 {
		return nil
	}
	release, err := s.partitionLease(ctx)
	if err != nil {
		return err
	}
	defer release()
	today := Day(s.now())
	for _, table := range partitioned {
		have := map[string]bool{}
		newest := 0
		err := each(ctx, s.db, func(r *sql.Rows) error {
			var name string
			if err := r.Scan(&name); err != nil {
				return err
			}
			have[name] = true
			var d int
			if _, err := fmt.Sscanf(name, "p%d", &d); err == nil {
				newest = max(newest, d)
			}
			return nil
		}, "SELECT partition_name FROM information_schema.partitions WHERE table_schema=DATABASE() AND table_name=?", table)
		if err != nil {
			return err
		}
		var add []string
		for d := max(today, newest+1); d <= today+longest+aheadDays; d++ {
			if name := fmt.Sprintf("p%d", d); !have[name] {
				add = append(add, fmt.Sprintf("PARTITION %s VALUES LESS THAN (%d)", name, d+1))
			}
		}
		if len(add) == 0 {
			continue
		}
		add = append(add, "PARTITION pmax VALUES LESS THAN MAXVALUE")
		if _, err := s.slow.ExecContext(ctx, "ALTER TABLE "+table+" REORGANIZE PARTITION pmax INTO ("+strings.Join(add, ", ")+")"); err != nil {
			return fmt.Errorf("partitions of %s: %w", table, err)
		}
	}
	return nil
}

// aheadDays is how many days partitions are made ahead.
const aheadDays = 3

// Partitions says how partitions stand.
type Partitions struct {
	Ahead int   // days beyond what today's events need
	Stray int64 // rows in no day's partition
}

// PartitionState looks whether partitions reach as far as events need.
func (s *Store) PartitionState(ctx context.Context) (Partitions, error) {
	var p Partitions
	var longest int
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(keep_days),0), (SELECT COUNT(*) FROM (SELECT 1 FROM event PARTITION (pmax) LIMIT 1000) x) FROM project").Scan(&longest, &p.Stray); err != nil {
		return p, err
	}
	days, err := s.partitionDays(ctx)
	if err != nil || longest == 0 {
		return p, err
	}
	p.Ahead = -longest
	if len(days) > 0 {
		p.Ahead = days[len(days)-1] - Day(s.now()) - longest
	}
	return p, nil
}
