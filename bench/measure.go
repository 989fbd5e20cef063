package main

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

// figure is one measurement.
type figure struct {
	name               string
	rate               float64 // events a second
	service, db, bench float64 // µs of processor time an event
	p50, p99           time.Duration
}

// ticks is the processor time of a process in µs.
func ticks(pid int) float64 {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0
	}
	f := strings.Fields(string(raw[bytes.LastIndexByte(raw, ')')+1:]))
	var u, k float64
	fmt.Sscan(f[11], &u)
	fmt.Sscan(f[12], &k)
	return (u + k) * 1e4
}

// resident is the memory of a process in bytes.
func resident(pid int) int64 {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", pid))
	if err != nil {
		return 0
	}
	var size, pages int64
	fmt.Sscan(string(raw), &size, &pages)
	return pages * int64(os.Getpagesize())
}

func (s *scene) usage() (service, db, bench float64) {
	var r syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &r) == nil {
		bench = float64(r.Utime.Nano()+r.Stime.Nano()) / 1e3
	}
	if s.service != nil {
		service = ticks(s.service.Process.Pid)
	}
	return service, ticks(s.server.PID()), bench
}

// load is what is sent for a while: by so many senders, so many events at once.
type load struct {
	name            string
	span            time.Duration
	senders, events int
}

// timed runs senders side by side for a span; each call of send sends n
// events. settle, when there is one, ends the measurement.
func (s *scene) timed(l load, send, settle func() error) (figure, error) {
	name, span, senders, n := l.name, l.span, l.senders, l.events
	var events atomic.Int64
	var mu sync.Mutex
	var all []time.Duration
	var wg sync.WaitGroup
	errs := make(chan error, senders)
	serviceA, dbA, benchA := s.usage()
	began := time.Now()
	for range senders {
		wg.Go(func() {
			for time.Since(began) < span {
				at := time.Now()
				if err := send(); err != nil {
					errs <- err
					return
				}
				events.Add(int64(n))
				mu.Lock()
				all = append(all, time.Since(at))
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	select {
	case err := <-errs:
		return figure{}, fmt.Errorf("%s: %w", name, err)
	default:
	}
	if settle != nil {
		if err := settle(); err != nil {
			return figure{}, fmt.Errorf("%s: %w", name, err)
		}
	}
	took := time.Since(began).Seconds()
	serviceB, dbB, benchB := s.usage()
	slices.Sort(all)
	total := float64(events.Load())
	return figure{name, total / took, (serviceB - serviceA) / total, (dbB - dbA) / total, (benchB - benchA) / total,
		all[len(all)/2], all[len(all)*99/100]}, nil
}

// head prints the line above figures.
func head() {
	fmt.Printf("%-42s %9s %7s %11s %12s %10s %9s %9s\n", "", "events/s", "ratio", "service µs", "database µs",
		"senders µs", "p50", "p99")
}

// print shows a figure, with its ratio to a yardstick when there is one.
func (f figure) print(floor float64) {
	ratio := "-"
	if floor > 0 {
		ratio = fmt.Sprintf("%.2f", f.rate/floor)
	}
	fmt.Printf("%-42s %9.0f %7s %11.0f %12.0f %10.0f %9s %9s\n", f.name, f.rate, ratio, f.service, f.db, f.bench,
		f.p50.Round(100*time.Microsecond), f.p99.Round(100*time.Microsecond))
}
