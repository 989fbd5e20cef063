package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"
)

// The flood: events of one error, and of a hundred others beside it.
const (
	floodEvents = 1_000_000
	otherKinds  = 100
	otherEvery  = 500 // one of the others for so many of the flood
)

// flood sends a million events of one error among a hundred others.
func flood(ctx context.Context, opt settings) error {
	s, err := openScene(ctx, opt.program)
	if err != nil {
		return err
	}
	defer s.close()
	s.issues = 1
	var others [otherKinds]atomic.Int64
	var sent atomic.Int64
	next := func() []byte {
		if rand.IntN(otherEvery) == 0 {
			k := rand.IntN(otherKinds)
			others[k].Add(1)
			return s.eventOf(fmt.Sprintf("Other%d", k), fmt.Sprintf("p-%d", rand.IntN(5000)))
		}
		return s.event()
	}
	before := s.disk()
	began := time.Now()
	serviceA, dbA, _ := s.usage()
	var wg sync.WaitGroup
	errs := make(chan error, 2)
	for range 2 {
		wg.Go(func() {
			for sent.Add(50) <= floodEvents {
				if err := s.post(50, next); err != nil {
					errs <- err
					return
				}
				if n := sent.Load(); n%100_000 == 0 {
					fmt.Printf("  %d sent after %s; %d wait; service %d MiB\n", n, time.Since(began).Round(time.Second),
						s.count("SELECT COALESCE(SUM(events),0) FROM inbox"), resident(s.service.Process.Pid)>>20)
				}
			}
		})
	}
	wg.Wait()
	select {
	case err := <-errs:
		return err
	default:
	}
	sentAfter := time.Since(began)
	if err := s.drained(); err != nil {
		return err
	}
	took := time.Since(began)
	serviceB, dbB, _ := s.usage()
	n := float64(s.count("SELECT COUNT(*) FROM event"))
	fmt.Printf("%.0f events sent in %s, all processed after %s (%.0f a second); service %.0f µs, database %.0f µs an event\n", n, sentAfter.Round(time.Second), took.Round(time.Second), n/took.Seconds(), (serviceB-serviceA)/n, (dbB-dbA)/n)
	fmt.Printf("on disk: %.0f MiB, %.0f bytes an event; %d bodies are kept\n", float64(s.disk()-before)/(1<<20), float64(s.disk()-before)/n, s.count("SELECT COUNT(*) FROM event_body"))
	complete := 0
	for k := range others {
		got := s.count(fmt.Sprintf("SELECT COALESCE(SUM(events),0) FROM issue_list WHERE headline LIKE 'Other%d in %%' OR headline='Other%d'", k, k))
		if got == others[k].Load() {
			complete++
		}
	}
	fmt.Printf("of %d other errors %d are complete\n", otherKinds, complete)
	if err := s.reads(ctx); err != nil {
		return err
	}
	return s.recounted(ctx)
}
