package main

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/localdb"
)

// How long each part of the scene of one frozen process takes.
const (
	freezeBefore = 8 * time.Second  // all three file
	maxFreeze    = 25 * time.Second // until somebody else has its shards
	freezeAfter  = 8 * time.Second  // it files again
)

// freezeOne freezes one of three processes while senders go on, says how long it
// takes until the others hold all its shards, and lets it go on.
func (s *stage) freezeOne(ctx context.Context) error {
	db, err := sql.Open("mysql", s.db.DSN(localdb.Database))
	if err != nil {
		return err
	}
	defer db.Close()
	victim := s.services[1]
	raw, err := os.ReadFile(filepath.Join(victim.dir, "owner-id"))
	if err != nil {
		return err
	}
	owner, err := uuid.Parse(strings.TrimSpace(string(raw)))
	if err != nil {
		return err
	}
	held := func() (n int) {
		_ = db.QueryRowContext(ctx, "SELECT COUNT(*) FROM shard_lease WHERE owner=?",
			owner[:]).Scan(&n) // asked again soon
		return n
	}
	load, enough := context.WithCancel(ctx)
	var g sync.WaitGroup
	for i := range s.opt.Senders {
		rnd := rand.New(rand.NewPCG(uint64(s.opt.Seed), uint64(i)))
		g.Go(func() { s.sender.run(load, rnd) })
	}
	defer g.Wait()
	defer enough()
	time.Sleep(freezeBefore)
	fmt.Fprintf(s.opt.Out, "%d events acknowledged; the process that is frozen now holds %d shards\n", s.sender.count(), held())
	victim.signal(syscall.SIGSTOP)
	s.report.Kills[freeze]++
	began := time.Now()
	for held() > 0 && time.Since(began) < maxFreeze {
		time.Sleep(100 * time.Millisecond)
	}
	fmt.Fprintf(s.opt.Out, "%.1f s later it holds %d; the others have them\n", time.Since(began).Seconds(), held())
	time.Sleep(max(0, 15*time.Second-time.Since(began))) // they file in its place
	fmt.Fprintf(s.opt.Out, "%d events acknowledged; it goes on\n", s.sender.count())
	victim.signal(syscall.SIGCONT)
	time.Sleep(freezeAfter)
	fmt.Fprintf(s.opt.Out, "%d events acknowledged; it holds %d shards again\n", s.sender.count(), held())
	return nil
}
