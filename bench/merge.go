package main

import (
	"context"
	"fmt"
	"sync"
	"time"
)

// shown is what an issue says of itself.
type shown struct {
	ID         string `json:"id"`
	Events     int64  `json:"events"`
	Users      int64  `json:"users"`
	Recounting bool   `json:"recounting"`
}

func (s *scene) look(ctx context.Context, what string, ids ...string) error {
	fmt.Printf("%-36s", what)
	for _, id := range ids {
		var v shown
		if err := s.cli(ctx, &v, "issue", "show", id); err != nil {
			return err
		}
		state := ""
		if v.Recounting {
			state = " (recounting)"
		}
		fmt.Printf("  %s: %d events, %d users%s", v.ID, v.Events, v.Users, state)
	}
	fmt.Println()
	return nil
}

// merging merges two issues of 200,000 events and 60,000 users in all while
// events of both flow in, undoes it, and drops the oldest day.
func merging(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	s.issues = 2
	if err := s.known(2); err != nil {
		return err
	}
	if err := s.seed(ctx, 200_000, 60_000, false); err != nil {
		return err
	}
	if err := s.look(ctx, "before", "quayside/1", "quayside/2"); err != nil {
		return err
	}
	flow, enough := context.WithCancel(ctx)
	defer enough()
	var wg sync.WaitGroup
	var sent int64
	wg.Go(func() {
		for flow.Err() == nil {
			if s.post(10, s.event) == nil {
				sent += 10
			}
			time.Sleep(50 * time.Millisecond)
		}
	})
	for _, step := range []struct{ name, at string }{{"merged", "merge"}, {"undone", "undo"}} {
		began := time.Now()
		args := []string{"issue", "undo", "quayside/2"}
		if step.at == "merge" {
			args = []string{"issue", "merge", "quayside/2", "--into", "quayside/1"}
		}
		var v any
		if err := s.cli(ctx, &v, args...); err != nil {
			return err
		}
		if err := s.look(ctx, fmt.Sprintf("%s, answered after %s", step.name, time.Since(began).Round(time.Millisecond)), "quayside/1", "quayside/2"); err != nil {
			return err
		}
		for s.count("SELECT COUNT(*) FROM move WHERE following=1") > 0 {
			time.Sleep(20 * time.Millisecond)
		}
		if err := s.look(ctx, fmt.Sprintf("all rows have followed after %s", time.Since(began).Round(10*time.Millisecond)), "quayside/1", "quayside/2"); err != nil {
			return err
		}
	}
	enough()
	wg.Wait()
	if err := s.drained(); err != nil {
		return err
	}
	fmt.Printf("%d events flowed in meanwhile\n", sent)
	if err := s.look(ctx, "at the end", "quayside/1", "quayside/2"); err != nil {
		return err
	}
	if err := s.recounted(ctx); err != nil {
		return err
	}
	return s.dropDays(ctx)
}

// dropDays sets the service's clock ahead by days, so that partitions are
// dropped, and shows that totals stay.
func (s *scene) dropDays(ctx context.Context) error {
	const ahead = 12 * 24 * time.Hour
	before := s.count("SELECT COUNT(*) FROM event")
	if err := s.again("--clock-offset", ahead.String()); err != nil {
		return err
	}
	began := time.Now()
	for until := time.Now().Add(time.Minute); s.count("SELECT COUNT(*) FROM event") == before && time.Now().Before(until); {
		time.Sleep(100 * time.Millisecond)
	}
	for until := time.Now().Add(time.Minute); s.count("SELECT until FROM lease WHERE name='sweep'") != 0 && time.Now().Before(until); {
		time.Sleep(50 * time.Millisecond)
	}
	fmt.Printf("12 days on: %d of %d event rows are left, after %s\n", s.count("SELECT COUNT(*) FROM event"), before, time.Since(began).Round(100*time.Millisecond))
	if err := s.look(ctx, "after partitions were dropped", "quayside/1", "quayside/2"); err != nil {
		return err
	}
	return s.recounted(ctx)
}
