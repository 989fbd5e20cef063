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

// apart is the user whose events are split off: every third.
const apart = "p-apart"

func (s *scene) apartOrNot() []byte {
	if n := s.n.Add(1); n%3 == 0 {
		return s.eventOf(fmt.Sprintf("TypeError%d", n/3%s.issues), apart)
	}
	return s.event()
}

// merging merges two issues of 200,000 events and 60,000 users in all while
// events of both flow in, and undoes it; splits one user's events off, and
// undoes that; and drops the oldest days.
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
			if s.post(10, s.apartOrNot) == nil {
				sent += 10
			}
			time.Sleep(50 * time.Millisecond)
		}
	})
	time.Sleep(2 * time.Second) // some bodies to split by
	for _, step := range []struct {
		name string
		args []string
		show []string
	}{
		{"merged", []string{"merge", "quayside/2", "--into", "quayside/1"}, []string{"quayside/1", "quayside/2"}},
		{"undone", []string{"undo", "quayside/2"}, []string{"quayside/1", "quayside/2"}},
		{"split off", []string{"split", "quayside/1", "--attribute", "user.id=" + apart},
			[]string{"quayside/1", "quayside/3"}},
		{"undone", []string{"undo", "quayside/3"}, []string{"quayside/1", "quayside/2"}},
	} {
		began := time.Now()
		var v any
		if err := s.cli(ctx, &v, append([]string{"issue"}, step.args...)...); err != nil {
			return err
		}
		if err := s.look(ctx,
			fmt.Sprintf("%s, answered after %s", step.name, time.Since(began).Round(time.Millisecond)),
			step.show...); err != nil {
			return err
		}
		for s.count("SELECT (SELECT COUNT(*) FROM move WHERE following=1)+(SELECT COUNT(*) FROM split WHERE looking=1)") > 0 {
			time.Sleep(20 * time.Millisecond)
		}
		if err := s.look(ctx, fmt.Sprintf("all has arrived after %s", time.Since(began).Round(10*time.Millisecond)),
			step.show...); err != nil {
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
	for until := time.Now().Add(time.Minute); s.count("SELECT COUNT(*) FROM event") == before &&
		time.Now().Before(until); {
		time.Sleep(100 * time.Millisecond)
	}
	for until := time.Now().Add(time.Minute); s.count("SELECT until FROM lease WHERE name='sweep'") != 0 &&
		time.Now().Before(until); {
		time.Sleep(50 * time.Millisecond)
	}
	fmt.Printf("12 days on: %d of %d event rows are left, after %s\n", s.count("SELECT COUNT(*) FROM event"), before,
		time.Since(began).Round(100*time.Millisecond))
	if err := s.look(ctx, "after partitions were dropped", "quayside/1", "quayside/2"); err != nil {
		return err
	}
	return s.recounted(ctx)
}
