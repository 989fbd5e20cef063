package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/google/uuid"
)

// comeLate pushes maps after 50,000 events in 40 raw issues, while events go on
// and the list is read; then again, with the service killed twice on the way.
func (s *scene) comeLate(ctx context.Context) error {
	for _, kills := range []int{0, 2} {
		if err := s.late(ctx, fmt.Sprintf("late-%d", kills), kills); err != nil {
			return err
		}
	}
	return nil
}

func (s *scene) late(ctx context.Context, name string, kills int) error {
	var p struct {
		IngestKey string `json:"ingest_key"`
	}
	if err := s.cli(ctx, &p, "project", "create", name); err != nil {
		return err
	}
	if err := s.cli(ctx, &p, "project", "change", name, "--allowance-minute", "0", "--allowance-day", "0"); err != nil {
		return err
	}
	keep := s.key
	s.key = p.IngestKey
	defer func() { s.key = keep }()
	event := s.rawEvent
	for range 500 {
		if err := s.post(100, event); err != nil {
			return err
		}
	}
	if err := s.drained(); err != nil {
		return err
	}
	project := s.count("SELECT id FROM project WHERE name='" + name + "'")
	issues := func() int64 {
		return s.count(fmt.Sprintf("SELECT COUNT(*) FROM issue_list WHERE project=%d", project))
	}
	fmt.Printf("\n%d events in %d raw issues, %d variants; %d kills\n",
		s.count(fmt.Sprintf("SELECT COUNT(*) FROM event WHERE project=%d", project)), issues(),
		s.count(fmt.Sprintf("SELECT COUNT(*) FROM variant WHERE project=%d", project)), kills)
	dir := filepath.Join(s.dir, name)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	if err := writeBundle(dir, "index.js", 7); err != nil {
		return err
	}
	flow, enough := context.WithCancel(ctx)
	defer enough()
	var wg sync.WaitGroup
	var sent, lists, slowest atomic.Int64
	if kills == 0 {
		wg.Go(func() {
			for flow.Err() == nil {
				if s.post(10, event) == nil {
					sent.Add(10)
				}
				time.Sleep(20 * time.Millisecond)
			}
		})
		wg.Go(func() {
			for flow.Err() == nil {
				began := time.Now()
				var list any
				if s.cli(ctx, &list, "issue", "list", "--project", name) == nil {
					lists.Add(1)
					slowest.Store(max(slowest.Load(), int64(time.Since(began))))
				}
				time.Sleep(20 * time.Millisecond)
			}
		})
	}
	began := time.Now()
	if err := s.pushAndKill(ctx, name, dir, kills); err != nil {
		return err
	}
	for s.count("SELECT (SELECT COUNT(*) FROM variant WHERE again=1)+(SELECT COUNT(*) FROM move WHERE following=1)") > 0 {
		time.Sleep(10 * time.Millisecond)
	}
	fmt.Printf("  all has moved after %s: %d issues\n", time.Since(began).Round(10*time.Millisecond), issues())
	enough()
	wg.Wait()
	if err := s.drained(); err != nil {
		return err
	}
	if kills == 0 {
		fmt.Printf("  meanwhile %d events came in and the list was read %d times, %s at most\n", sent.Load(), lists.Load(), time.Duration(slowest.Load()).Round(time.Millisecond))
	}
	return s.recounted(ctx)
}

// rawEvent is an event of one of 40 raw issues: as many messages, each at some of
// five places in three releases.
func (s *scene) rawEvent() []byte {
	n := s.n.Add(1)
	column := []int{8671, 8000, 9500, 9800, 11000}[n%5]
	return fmt.Appendf(nil, `{"id":%q,"time":%q,"exceptions":[{"type":"TypeError","message":"%s","frames":[{"function":"a","file":"https://quayside.example/assets/index.js","line":2,"column":%d}]}],"resource":{"service.version":"1.%d"},"attributes":{"user.id":"p-%d"}}`,
		uuid.Must(uuid.NewV7()), time.Now().UTC().Format(time.RFC3339Nano), strings.Repeat("shut ", int(n/5%40)+1),
		column, n%3, n%5000)
}

// pushAndKill pushes the maps of three releases, and kills the service as often
// while what was processed raw is read again.
func (s *scene) pushAndKill(ctx context.Context, name, dir string, kills int) error {
	began := time.Now()
	for i := range 3 {
		var pushed any
		if err := s.cli(ctx, &pushed, "symbols", "push", "--project", name, "--release", fmt.Sprint("1.", i),
			"--served-at", "https://quayside.example/assets", dir); err != nil {
			return err
		}
	}
	fmt.Printf("  pushed for three releases after %s\n", time.Since(began).Round(10*time.Millisecond))
	unread := func() int64 { return s.count("SELECT COUNT(*) FROM variant WHERE again=1") }
	all := unread()
	for i := range kills {
		for unread() > all*int64(kills-i)/int64(kills+1) {
			time.Sleep(time.Millisecond)
		}
		if err := s.service.Process.Signal(syscall.SIGKILL); err != nil {
			return err
		}
		_ = s.service.Wait()
		s.service = nil
		fmt.Printf("  killed: %d variants are still to be read again, %d moves on their way\n", unread(), s.count("SELECT COUNT(*) FROM move WHERE following=1"))
		if err := s.start(); err != nil {
			return err
		}
	}
	return nil
}
