// Command bench measures the way in: reference events stored and filed a
// second by a real service over HTTP, beside a bare multi-row insert of the
// same bytes into the same MariaDB, in turns within one run. It prints rates,
// the processor time an event takes, and their ratios.
package main

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	_ "embed"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"runtime/pprof"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/app"
	"firethorn/internal/cli"
	"firethorn/internal/intake"
	"firethorn/internal/localdb"
)

//go:embed reference-event.json
var reference []byte

func main() {
	log.SetFlags(0)
	seconds := flag.Float64("seconds", 8, "how long each measurement takes")
	rounds := flag.Int("rounds", 2, "how often all are repeated, in turns")
	profile := flag.String("cpuprofile", "", "write a processor profile of the service to this file")
	flag.Parse()
	if *profile != "" {
		f, err := os.Create(*profile)
		if err != nil {
			log.Fatal(err)
		}
		if err := pprof.StartCPUProfile(f); err != nil {
			log.Fatal(err)
		}
		defer pprof.StopCPUProfile()
	}
	if err := run(context.Background(), time.Duration(*seconds*float64(time.Second)), *rounds); err != nil {
		log.Fatal(err)
	}
}

// scene is the service under test, in this process, and its database.
type scene struct {
	url, key string
	db       *sql.DB
	dbPID    int
	n        atomic.Int64
	client   *http.Client
}

func run(ctx context.Context, span time.Duration, rounds int) error {
	dir, err := os.MkdirTemp("", "firethorn-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	os.Setenv("XDG_CONFIG_HOME", dir)
	server, err := localdb.Start(ctx, localdb.Options{Dir: filepath.Join(dir, "db"), BufferPool: "2G", LogSize: "1G"})
	if err != nil {
		return err
	}
	defer func() { _ = server.Stop(context.Background()) }()
	s := &scene{dbPID: server.PID(), client: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 100}}}
	if s.db, err = sql.Open("mysql", server.DSN(localdb.Database)); err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	done := make(chan error, 1)
	r, w := io.Pipe()
	go func() {
		done <- app.Run(ctx, app.Config{Data: filepath.Join(dir, "data"), Listen: "127.0.0.1:0", Database: server.DSN(localdb.Database), SymbolMem: 256 << 20, Limits: intake.DefaultLimits, Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError}))}, w)
	}()
	defer func() { stop(); <-done }()
	line := make([]byte, 200)
	n, err := r.Read(line)
	if err != nil {
		return err
	}
	s.url = strings.TrimSpace(strings.TrimPrefix(strings.SplitN(string(line[:n]), "\n", 2)[0], "ready "))
	go func() { _, _ = io.Copy(io.Discard, r) }()
	if err := s.prepare(ctx); err != nil {
		return err
	}
	fmt.Printf("reference event: %d bytes; each figure is the best of %d turns of %s\n\n", len(reference), rounds, span)
	return s.measure(ctx, span, rounds)
}

func (s *scene) cli(ctx context.Context, v any, args ...string) error {
	var out, errs bytes.Buffer
	if code := cli.Run(ctx, append([]string{"firethorn", "--server", s.url, "--format", "json"}, args...), nil, &out, &errs); code != 0 {
		return errors.New(errs.String())
	}
	return json.Unmarshal(out.Bytes(), v)
}

func (s *scene) prepare(ctx context.Context) error {
	var p struct {
		IngestKey string `json:"ingest_key"`
	}
	if err := s.cli(ctx, &p, "project", "create", "quayside"); err != nil {
		return err
	}
	s.key = p.IngestKey
	maps, err := os.MkdirTemp("", "maps")
	if err != nil {
		return err
	}
	defer os.RemoveAll(maps)
	for from, to := range map[string]string{"quayside.js": "index-DyaqbKvu.js", "quayside.js.map": "index-DyaqbKvu.js.map"} {
		raw, err := os.ReadFile(filepath.Join("internal/core/symbolicate/testdata", from))
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(maps, to), raw, 0o644); err != nil {
			return err
		}
	}
	var pushed any
	return s.cli(ctx, &pushed, "symbols", "push", "--project", "quayside", "--release", "4.2.0", "--served-at", "https://quayside.example/assets", maps)
}

// event is the reference event as one of 1,000 issues, 30 % of new users.
func (s *scene) event() []byte {
	n := s.n.Add(1)
	user := fmt.Sprintf("p-%d", n%5000)
	if n%10 < 3 {
		user = fmt.Sprintf("new-%d", n)
	}
	e := bytes.Replace(reference, []byte("0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01"), []byte(uuid.Must(uuid.NewV7()).String()), 1)
	e = bytes.Replace(e, []byte("2026-11-23T04:39:02.123Z"), []byte(time.Now().UTC().Format(time.RFC3339Nano)), 1)
	e = bytes.Replace(e, []byte(`"type": "TypeError"`), fmt.Appendf(nil, `"type": "TypeError%d"`, n%1000), 1)
	return bytes.Replace(e, []byte("p-1182"), []byte(user), 1)
}

// figure is one measurement.
type figure struct {
	name         string
	rate         float64 // events a second
	self, server float64 // µs of processor time an event, of this process and of the database
	latency      time.Duration
}

// usage is processor time so far: of this process and of the database.
func (s *scene) usage() (self, server float64) {
	var r syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &r) == nil {
		self = float64(r.Utime.Nano()+r.Stime.Nano()) / 1e3
	}
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", s.dbPID))
	if err != nil {
		return self, 0
	}
	f := strings.Fields(string(raw[bytes.LastIndexByte(raw, ')')+1:]))
	var u, k float64
	fmt.Sscan(f[11], &u)
	fmt.Sscan(f[12], &k)
	return self, (u + k) * 1e4
}

// timed runs senders side by side for a span; each call of one sends n events.
func (s *scene) timed(name string, span time.Duration, senders, n int, send func() error, settle func() error) (figure, error) {
	var events atomic.Int64
	var mu sync.Mutex
	var all []time.Duration
	var wg sync.WaitGroup
	errs := make(chan error, senders)
	selfA, serverA := s.usage()
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
		return figure{}, err
	default:
	}
	if settle != nil {
		if err := settle(); err != nil {
			return figure{}, err
		}
	}
	took := time.Since(began).Seconds()
	selfB, serverB := s.usage()
	slices.Sort(all)
	total := float64(events.Load())
	return figure{name, total / took, (selfB - selfA) / total, (serverB - serverA) / total, all[len(all)*99/100]}, nil
}

// post sends one request of n events.
func (s *scene) post(n int) error {
	var body bytes.Buffer
	for range n {
		body.Write(bytes.TrimSpace(s.event()))
		body.WriteByte('\n')
	}
	req, err := http.NewRequest(http.MethodPost, s.url+"/v1/events", &body)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+s.key)
	req.Header.Set("Content-Type", "application/x-ndjson")
	res, err := s.client.Do(req)
	if err != nil {
		return err
	}
	answer, err := io.ReadAll(res.Body)
	res.Body.Close()
	if err == nil && res.StatusCode != http.StatusAccepted {
		err = fmt.Errorf("%s: %s", res.Status, answer)
	}
	return err
}

// drained waits until everything that was stored is filed.
func (s *scene) drained() error {
	for {
		var n int
		if err := s.db.QueryRow("SELECT COUNT(*) FROM inbox").Scan(&n); err != nil || n == 0 {
			return err
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// bare writes the same bytes in multi-row inserts, one commit each.
func (s *scene) bare(rows int) (func() error, error) {
	if _, err := s.db.Exec("CREATE TABLE IF NOT EXISTS bare (id BINARY(16) PRIMARY KEY, payload MEDIUMBLOB NOT NULL)"); err != nil {
		return nil, err
	}
	payload := make([]byte, len(reference))
	rand.Read(payload)
	stmt, err := s.db.Prepare("INSERT INTO bare (id, payload) VALUES " + strings.TrimSuffix(strings.Repeat("(?,?),", rows), ","))
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

func (s *scene) measure(ctx context.Context, span time.Duration, rounds int) error {
	insert, err := s.bare(20)
	if err != nil {
		return err
	}
	best := map[string]figure{}
	order := []string{"bare insert, 2 connections, 20 rows", "stored and filed: 2 senders of 50", "stored and filed: 64 senders of 1", "stored and filed: 1 sender of 1"}
	for range rounds {
		for i, name := range order {
			var f figure
			var err error
			switch i {
			case 0:
				f, err = s.timed(name, span, 2, 20, insert, nil)
			case 1:
				f, err = s.timed(name, span, 2, 50, func() error { return s.post(50) }, s.drained)
			case 2:
				f, err = s.timed(name, span, 64, 1, func() error { return s.post(1) }, s.drained)
			case 3:
				f, err = s.timed(name, span, 1, 1, func() error { return s.post(1) }, s.drained)
			}
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			if f.rate > best[name].rate {
				best[name] = f
			}
			if _, err := s.db.Exec("TRUNCATE TABLE bare"); err != nil {
				return err
			}
		}
	}
	floor := best[order[0]]
	fmt.Printf("%-38s %9s %7s %14s %15s %10s\n", "", "events/s", "ratio", "service µs", "database µs", "p99")
	for _, name := range order {
		f := best[name]
		fmt.Printf("%-38s %9.0f %7.2f %14.0f %15.0f %10s\n", name, f.rate, f.rate/floor.rate, f.self, f.server, f.latency.Round(100*time.Microsecond))
	}
	return s.reads(ctx)
}

// reads times the list of issues as the console asks for it.
func (s *scene) reads(ctx context.Context) error {
	var events, issues int
	if err := s.db.QueryRow("SELECT (SELECT COUNT(*) FROM event), (SELECT COUNT(*) FROM issue)").Scan(&events, &issues); err != nil {
		return err
	}
	fmt.Printf("\nwith %d events in %d issues:\n", events, issues)
	for _, args := range [][]string{{"issue", "list", "--project", "quayside"}, {"issue", "list", "--project", "quayside", "--order", "events"}, {"issue", "list", "--project", "quayside", "--text", "typeerror77"}, {"event", "list", "--issue", "quayside/1"}, {"issue", "show", "quayside/1"}} {
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
		fmt.Printf("%-60s p50 %8s  p95 %8s\n", strings.Join(args, " "), all[len(all)/2].Round(10*time.Microsecond), all[len(all)*95/100].Round(10*time.Microsecond))
	}
	return nil
}
