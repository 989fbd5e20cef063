package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
)

// bare writes the same bytes in multi-row inserts, one commit each.
func (s *scene) bare(rows int) (func() error, error) {
	if _, err := s.db.Exec("CREATE TABLE IF NOT EXISTS bare (id BINARY(16) PRIMARY KEY, payload MEDIUMBLOB NOT NULL)"); err != nil {
		return nil, err
	}
	payload := make([]byte, len(reference))
	rand.Read(payload)
	stmt, err := s.db.Prepare("INSERT INTO bare (id, payload) VALUES " +
		strings.TrimSuffix(strings.Repeat("(?,?),", rows), ","))
	return func() error {
		args := make([]any, 0, 2*rows)
		for range rows {
			id := uuid.Must(uuid.NewV7())
			args = append(args, id[:], payload)
		}
		_, err := stmt.Exec(args...)
		return err
	}, err
}

// kind is one of the measurements of way.
type kind struct {
	name       string
	senders, n int
	processed  bool
}

// way measures the yardsticks: each in turn with the bare insert.
func way(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	insert, err := s.bare(20)
	if err != nil {
		return err
	}
	kinds := []kind{
		{"bare insert, 2 connections, 20 rows", 2, 20, false},
		{"stored: 64 senders of 1", 64, 1, false}, {"stored: 2 senders of 50", 2, 50, false}, {"stored: 1 sender of 1",
			1, 1, false},
		{"stored and processed: 2 senders of 50", 2, 50, true}, {"stored and processed: 64 senders of 1", 64, 1, true},
		{"stored and processed: 1 sender of 1", 1, 1, true},
	}
	best := map[string]figure{}
	for range opt.rounds {
		for i, k := range kinds {
			send := func() error { return s.post(k.n, s.event) }
			settle := s.drained
			if i == 0 {
				send = insert
			}
			if !k.processed { // the worker rests, so that storing alone is measured
				settle = nil
				if err := s.again("--store-only"); err != nil {
					return err
				}
			}
			f, err := s.timed(load{k.name, opt.span, k.senders, k.n}, send, settle)
			if err != nil {
				return err
			}
			if f.rate > best[k.name].rate {
				best[k.name] = f
			}
			if !k.processed {
				if err := s.again(); err != nil {
					return err
				}
				if err := s.drained(); err != nil {
					return err
				}
			}
			if _, err := s.db.Exec("TRUNCATE TABLE bare"); err != nil {
				return err
			}
		}
	}
	fmt.Printf("reference event: %d bytes; each figure is the best of %d turns of %s\n", len(reference), opt.rounds, opt.span)
	head()
	for _, k := range kinds {
		best[k.name].print(best[kinds[0].name].rate)
	}
	fmt.Printf("on disk: %.0f bytes an event, with all that is derived from it (%d events in %d issues)\n", float64(s.disk())/float64(s.count("SELECT COUNT(*) FROM event")), s.count("SELECT COUNT(*) FROM event"), s.count("SELECT COUNT(*) FROM issue"))
	return s.reads(ctx)
}

// reads times what the console asks for.
func (s *scene) reads(ctx context.Context) error {
	fmt.Printf("reading, with %d events in %d issues:\n", s.count("SELECT COUNT(*) FROM event"),
		s.count("SELECT COUNT(*) FROM issue"))
	for _, args := range [][]string{{"issue", "list", "--project", "quayside"},
		{"issue", "list", "--project", "quayside", "--order", "events"}, {"issue", "list", "--project", "quayside",
			"--text", "typeerror77"}, {"event", "list", "--issue", "quayside/1"}, {"issue", "show", "quayside/1"},
		{"status"}} {
		var all []time.Duration
		for range 60 {
			var v any
			at := time.Now()
			if err := s.cli(ctx, &v, args...); err != nil {
				return err
			}
			all = append(all, time.Since(at))
		}
		slices.Sort(all)
		fmt.Printf("  %-52s p50 %8s  p95 %8s\n", strings.Join(args, " "), all[len(all)/2].Round(10*time.Microsecond),
			all[len(all)*95/100].Round(10*time.Microsecond))
	}
	return nil
}
