package main

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"strings"
	"time"

	_ "github.com/go-sql-driver/mysql" // the driver
	"github.com/google/uuid"

	"firethorn/internal/contract"
	"firethorn/internal/localdb"
)

// judge compares what was acknowledged with what is in the database.
func (s *stage) judge(ctx context.Context) error {
	db, err := sql.Open("mysql", s.db.DSN(localdb.Database))
	if err != nil {
		return err
	}
	defer db.Close()
	filed, err := tally(ctx, db, "SELECT id, COUNT(*) FROM event GROUP BY project, id")
	if err != nil {
		return err
	}
	dropped, err := droppedIDs(ctx, db)
	if err != nil {
		return err
	}
	failed, err := tally(ctx, db, "SELECT event, COUNT(*) FROM failed_event WHERE event IS NOT NULL GROUP BY project, event")
	if err != nil {
		return err
	}
	x := s.sender
	s.report.Acknowledged = len(x.acked)
	all := maps.Clone(x.known)
	maps.Copy(all, x.tried)
	for id := range all {
		h := sha256.Sum256(id[:])
		if n := dropped[binary.BigEndian.Uint64(h[:8])]; n > 0 {
			filed[id] += n
			if x.known[id] {
				s.report.Dropped++
			}
		}
	}
	for id := range x.known {
		switch n := filed[id] + failed[id]; {
		case n == 0:
			s.report.Missing = append(s.report.Missing, id.String())
		case n > 1:
			s.report.Doubled = append(s.report.Doubled, id.String())
		case failed[id] == 1:
			s.report.Failed++
		default:
			s.report.Processed++
		}
	}
	for id, n := range filed {
		if x.known[id] {
			continue
		}
		s.report.Unexpected++
		if n > 1 || !x.tried[id] {
			s.report.Doubled = append(s.report.Doubled, id.String())
		}
	}
	if !s.opt.Freeze && s.report.Dropped == 0 && time.Duration(s.offset.Load()) > (keepDays+3)*24*time.Hour {
		return errors.New("no event has had its day: nothing was shown of repeats that come after it")
	}
	var v contract.Recount
	if err := s.services[1].call(ctx, http.MethodGet, "/api/recount", "", &v); err != nil {
		return err
	}
	for _, d := range v.Differences {
		s.report.Difference = append(s.report.Difference,
			fmt.Sprintf("%s of issue %d: stored %d, the rows say %d", d.What, d.Issue, d.Stored, d.Rows))
	}
	errs := []error{s.judgeAlerts(ctx, db)}
	for what, list := range map[string][]string{"acknowledged and nowhere": s.report.Missing,
		"processed more than once, or never sent": s.report.Doubled, "counters that differ": s.report.Difference} {
		if len(list) > 0 {
			errs = append(errs, fmt.Errorf("%s: %d, for example %s", what, len(list),
				strings.Join(list[:min(len(list), 8)], "; ")))
		}
	}
	return errors.Join(errs...)
}

// droppedIDs reads what is kept of the ids of events whose partition was dropped.
func droppedIDs(ctx context.Context, db *sql.DB) (map[uint64]int, error) {
	rows, err := db.QueryContext(ctx, "SELECT hashes FROM dropped_id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[uint64]int{}
	for rows.Next() {
		var hashes []byte
		if err := rows.Scan(&hashes); err != nil {
			return nil, err
		}
		for ; len(hashes) >= 8; hashes = hashes[8:] {
			out[binary.BigEndian.Uint64(hashes)]++
		}
	}
	return out, rows.Err()
}

func tally(ctx context.Context, db *sql.DB, query string) (map[uuid.UUID]int, error) {
	rows, err := db.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[uuid.UUID]int{}
	for rows.Next() {
		var id []byte
		var n int
		if err := rows.Scan(&id, &n); err != nil {
			return nil, err
		}
		out[uuid.UUID(id)] += n
	}
	return out, rows.Err()
}
