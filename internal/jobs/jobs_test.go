package jobs

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"
)

// world is a clock that the sleeping runner turns, until an end.
type world struct {
	mu   sync.Mutex
	now  time.Time
	end  time.Time
	stop context.CancelFunc
	did  []string
	log  bytes.Buffer
}

func run(t *testing.T, lasts time.Duration, jobs func(w *world) []Job, more ...func(*Runner)) *world {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	w := &world{now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), stop: stop}
	w.end = w.now.Add(lasts)
	r := &Runner{
		Jobs: jobs(w), Mine: func(id int64) bool { return id < 10 }, Quiet: func(error) bool { return false },
		Log: slog.New(slog.NewTextHandler(&w.log, &slog.HandlerOptions{Level: slog.LevelDebug})),
		Now: w.at, Sleep: func(_ context.Context, d time.Duration) { w.pass(d) },
		Lease: func(context.Context, string) (func(), error) { return func() {}, nil },
	}
	for _, f := range more {
		f(r)
	}
	r.Run(ctx)
	return w
}

func (w *world) at() time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.now
}

func (w *world) pass(d time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.now = w.now.Add(d); !w.now.Before(w.end) {
		w.stop()
	}
}

func (w *world) note(format string, args ...any) { w.did = append(w.did, fmt.Sprintf(format, args...)) }

func list(ids ...int64) func(context.Context) ([]int64, error) {
	return func(context.Context) ([]int64, error) { return slices.Clone(ids), nil }
}

func TestRun_ProjectsTakeTurns(t *testing.T) {
	w := run(t, 500*time.Millisecond, func(w *world) []Job {
		left := map[int64]int{1: 2, 2: 1, 12: 5}
		return []Job{
			{Name: "follow", Every: time.Second, List: list(1, 2, 12), Then: "after", Step: func(_ context.Context, id int64) (bool, error) {
				w.note("follow %d", id)
				left[id]--
				return left[id] > 0, nil
			}},
			{Name: "after", Every: time.Second, Step: func(context.Context, int64) (bool, error) {
				w.note("after")
				return false, nil
			}},
		}
	})
	// 12 is another process's.
	if want := []string{"follow 1", "after", "follow 2", "after", "follow 1", "after", "after"}; !slices.Equal(w.did, want) {
		t.Errorf("%q, want %q", w.did, want)
	}
}

func TestRun_EndsAtItsLimit(t *testing.T) {
	w := run(t, 10*time.Second, func(w *world) []Job {
		return []Job{
			{Name: "long", Every: 5 * time.Second, Limit: 2 * time.Second, List: list(1), Step: func(context.Context, int64) (bool, error) {
				w.note("long")
				w.pass(time.Second)
				return true, nil
			}},
			{Name: "other", Every: 5 * time.Second, Step: func(context.Context, int64) (bool, error) {
				w.note("other")
				return false, nil
			}},
		}
	})
	if want := []string{"long", "long", "other", "long", "long", "other"}; !slices.Equal(w.did, want) {
		t.Errorf("%q, want %q", w.did, want)
	}
}

// What fails is said each time, waits longer each time, and holds up no other
// project.
func TestRun_WaitsAfterFailures(t *testing.T) {
	var at []time.Duration
	well := 0
	var seen []error
	var start time.Time
	w := run(t, 32*time.Second, func(w *world) []Job {
		start = w.now
		return []Job{{Name: "sketch", Every: time.Second, List: list(1, 2), Step: func(_ context.Context, id int64) (bool, error) {
			if id == 2 {
				well++
				return false, nil
			}
			at = append(at, w.at().Sub(start))
			return false, errors.New("a broken row")
		}}}
	}, func(r *Runner) { r.Watch = func(_ string, _ time.Duration, err error) { seen = append(seen, err) } })
	if want := []time.Duration{0, time.Second, 3 * time.Second, 7 * time.Second, 15 * time.Second, 31 * time.Second}; !slices.Equal(at, want) {
		t.Errorf("tried at %v, want %v", at, want)
	}
	if well < 30 {
		t.Errorf("the project beside it had %d turns", well)
	}
	if n := strings.Count(w.log.String(), "a broken row"); n != len(at) {
		t.Errorf("%d failures are in the log, want %d:\n%s", n, len(at), w.log.String())
	}
	if len(seen) != len(at)+well {
		t.Errorf("%d runs were watched, want %d", len(seen), len(at)+well)
	}
}

func TestRun_ListFails(t *testing.T) {
	asked := 0
	quiet := errors.New("the database is away")
	w := run(t, 10*time.Second, func(w *world) []Job {
		return []Job{{Name: "follow", Every: time.Second, Step: func(context.Context, int64) (bool, error) { return false, nil }, List: func(context.Context) ([]int64, error) {
			if asked++; asked == 1 {
				return nil, errors.New("no such table")
			}
			return nil, quiet
		}}}
	}, func(r *Runner) { r.Quiet = func(err error) bool { return err == quiet } })
	if asked != 4 { // at 0, 1, 3 and 7 seconds
		t.Errorf("asked %d times", asked)
	}
	if log := w.log.String(); !strings.Contains(log, "no such table") || strings.Contains(log, "away") {
		t.Errorf("the log says\n%s", log)
	}
}

// A job of no project that lists its work waits longer each time, too, although
// its list succeeds.
func TestRun_WaitsAfterFailuresOfNoProject(t *testing.T) {
	var at []time.Duration
	var start time.Time
	w := run(t, 16*time.Second, func(w *world) []Job {
		start = w.now
		return []Job{{Name: "compile", Every: time.Second, Lease: "compile", List: list(0), Step: func(context.Context, int64) (bool, error) {
			at = append(at, w.at().Sub(start))
			return false, errors.New("a broken map")
		}}}
	})
	if want := []time.Duration{0, time.Second, 3 * time.Second, 7 * time.Second, 15 * time.Second}; !slices.Equal(at, want) {
		t.Errorf("tried at %v, want %v", at, want)
	}
	if strings.Contains(w.log.String(), "project") {
		t.Errorf("the log names a project:\n%s", w.log.String())
	}
}

func TestRun_LeaseOfAnother(t *testing.T) {
	tries, held := 0, 0
	w := run(t, 100*time.Second, func(w *world) []Job {
		return []Job{{Name: "sweep", Every: time.Hour, Retry: 30 * time.Second, Lease: "sweep", Step: func(context.Context, int64) (bool, error) {
			w.note("swept")
			return false, nil
		}}}
	}, func(r *Runner) {
		r.Lease = func(_ context.Context, name string) (func(), error) {
			if tries++; tries < 3 {
				return nil, nil
			}
			held++
			return func() { held-- }, nil
		}
	})
	if tries != 3 || held != 0 || len(w.did) != 1 {
		t.Errorf("tried %d times, %d leases held, did %q", tries, held, w.did)
	}
}

func TestRun_ReportsJobsWithTheirDuration(t *testing.T) {
	w := run(t, time.Second, func(w *world) []Job {
		return []Job{
			{Name: "follow", Every: time.Minute, List: list(7), Step: func(context.Context, int64) (bool, error) {
				w.pass(250 * time.Millisecond)
				return false, nil
			}},
			{Name: "sweep", Every: time.Minute, Step: func(context.Context, int64) (bool, error) {
				return false, errors.New("the disk is full")
			}},
		}
	})
	var ran []string
	for line := range strings.Lines(w.log.String()) {
		if strings.Contains(line, "level=DEBUG") {
			_, what, _ := strings.Cut(strings.TrimSpace(line), "level=DEBUG ")
			ran = append(ran, what)
		}
	}
	if want := []string{`msg="a job ran" job=follow project=7 took=250ms`}; !slices.Equal(ran, want) {
		t.Errorf("the log says %q of what ran, want %q", ran, want)
	}
}
