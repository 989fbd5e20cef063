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

// EnsurePartitions makes the day partitions that events of the next two days
// need in every class of retention that a project has. Rows that found none
// would stand in pmax.
func (s *Store) EnsurePartitions(ctx context.Context) error {
	var longest int
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(MAX(keep_days), 0) FROM project").Scan(&longest); err != nil {
		return err
	}
	if longest == 0 {
		return nil
	}
	// Two that make the same partitions at once would fail: a lease lets one work.
	me := uuid.New()
	release, err := s.waitLease(ctx, "partitions", me[:], time.Minute)
	if err != nil {
		return err
	}
	defer release()
	today := Day(s.now())
	for _, table := range partitioned {
		have := map[string]bool{}
		err := each(ctx, s.db, func(r *sql.Rows) error {
			var name string
			if err := r.Scan(&name); err != nil {
				return err
			}
			have[name] = true
			return nil
		}, "SELECT partition_name FROM information_schema.partitions WHERE table_schema=DATABASE() AND table_name=?", table)
		if err != nil {
			return err
		}
		var add []string
		for d := today; d <= today+longest+2; d++ {
			if name := fmt.Sprintf("p%d", d); !have[name] {
				add = append(add, fmt.Sprintf("PARTITION %s VALUES LESS THAN (%d)", name, d+1))
			}
		}
		if len(add) == 0 {
			continue
		}
		add = append(add, "PARTITION pmax VALUES LESS THAN MAXVALUE")
		if _, err := s.db.ExecContext(ctx, "ALTER TABLE "+table+" REORGANIZE PARTITION pmax INTO ("+strings.Join(add, ", ")+")"); err != nil {
			return fmt.Errorf("partitions of %s: %w", table, err)
		}
	}
	return nil
}
