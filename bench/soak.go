package main

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// soak runs the whole way for minutes at a rate, and shows the age of the
// inbox, how soon a new error is seen in the list, and the memory it takes.
func soak(ctx context.Context, opt settings) error {
	const batch = 50
	rate := time.Duration(opt.rate)
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	if opt.profile != "" {
		if err := s.again("--cpu-profile", opt.profile); err != nil {
			return err
		}
	}
	if err := s.known(s.issues); err != nil {
		return err
	}
	span := time.Duration(opt.minutes) * time.Minute
	began := time.Now()
	var sent atomic.Int64
	var wg sync.WaitGroup
	errs := make(chan error, 2)
	serviceA, dbA, benchA := s.usage()
	for range 2 {
		wg.Go(func() {
			for time.Since(began) < span {
				due := began.Add(time.Duration(sent.Add(batch)) * time.Second / rate)
				time.Sleep(time.Until(due))
				if err := s.post(batch, s.event); err != nil {
					errs <- err
					return
				}
			}
		})
	}
	var seen []float64
	wg.Go(func() { seen = s.probe(ctx, began.Add(span)) })
	var ages []float64
	tick := time.NewTicker(250 * time.Millisecond)
	defer tick.Stop()
	minute := 0
	for time.Since(began) < span {
		<-tick.C
		ages = append(ages, float64(s.count(fmt.Sprintf("SELECT COALESCE(%d-MIN(received),0) FROM inbox",
			time.Now().UnixMicro())))/1e6)
		if m := int(time.Since(began).Minutes()); m > minute {
			minute = m
			fmt.Printf("  minute %2d: %d sent, service %d MiB, database %d MiB\n", m, sent.Load(),
				resident(s.service.Process.Pid)>>20, resident(s.server.PID())>>20)
		}
	}
	wg.Wait()
	select {
	case err := <-errs:
		return err
	default:
	}
	if err := s.drained(); err != nil {
		return err
	}
	took := time.Since(began)
	serviceB, dbB, benchB := s.usage()
	n := float64(sent.Load())
	slices.Sort(ages)
	fmt.Printf("%.0f events in %s: %.0f a second processed; service %.0f µs, database %.0f µs, senders %.0f µs an event\n", n, took.Round(time.Second), n/took.Seconds(), (serviceB-serviceA)/n, (dbB-dbA)/n, (benchB-benchA)/n)
	fmt.Printf("age of the inbox: median %.2f s, p99 %.2f s, most %.2f s\n", ages[len(ages)/2], ages[len(ages)*99/100], ages[len(ages)-1])
	slices.Sort(seen)
	if len(seen) > 0 {
		fmt.Printf("a new error is in the list, with its count, after: median %.2f s, p99 %.2f s, most %.2f s (%d of them)\n", seen[len(seen)/2], seen[len(seen)*99/100], seen[len(seen)-1], len(seen))
	}
	return s.recounted(ctx)
}

// probePause is long enough that probes stay below what a project may make new in an hour: beyond it
// they share an issue, and are not found by their own type.
const probePause = 30 * time.Second

// probe sends an error that was never seen before every half minute, and measures
// how long it takes until the list shows it.
func (s *scene) probe(ctx context.Context, until time.Time) (seconds []float64) {
	for n := 0; time.Now().Before(until); n++ {
		kind := fmt.Sprintf("Probe%dx", n)
		at := time.Now()
		if s.post(1, func() []byte { return s.eventOf(kind, "p-1") }) != nil {
			return seconds
		}
		for {
			var list struct {
				Issues []shown `json:"issues"`
			}
			if s.cli(ctx, &list, "issue", "list", "--project", "quayside", "--order", "newest", "--text", kind,
				"--limit", "1") != nil {
				return seconds
			}
			if len(list.Issues) == 1 && list.Issues[0].Events == 1 {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
		seconds = append(seconds, time.Since(at).Seconds())
		time.Sleep(min(probePause, max(0, time.Until(until))))
	}
	return seconds
}
