package main

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	_ "github.com/go-sql-driver/mysql" // the driver
	"github.com/google/uuid"

	"firethorn/internal/cli"
	"firethorn/internal/localdb"
)

// scene is a service in a process of its own, and its database.
type scene struct {
	dir, program, dsn string
	server            *localdb.Server
	db                *sql.DB
	service           *exec.Cmd
	url, key          string
	n                 atomic.Int64
	lines             chan *wire // connections that are open and free
	issues            int64      // different errors that event makes
}

// openScene makes a scene; close ends it.
func openScene(ctx context.Context, program string) (*scene, error) {
	dir, err := scratch()
	if err != nil {
		return nil, err
	}
	os.Setenv("XDG_CONFIG_HOME", dir)
	s := &scene{dir: dir, program: program, issues: 1000}
	if s.server, err = localdb.Start(ctx,
		localdb.Options{AllRights: true, Tied: true, Dir: filepath.Join(dir, "db"), BufferPool: "3G",
			LogSize: "1G"}); err != nil {
		return nil, err
	}
	s.dsn = s.server.DSN(localdb.Database)
	if s.db, err = sql.Open("mysql", s.dsn); err != nil {
		return nil, err
	}
	if err := s.start(); err != nil {
		s.close()
		return nil, err
	}
	return s, s.prepare(ctx)
}

func (s *scene) close() {
	s.stop()
	if s.db != nil {
		s.db.Close()
	}
	_ = s.server.Stop(context.Background())
	os.RemoveAll(s.dir)
}

// start runs the service with more flags.
func (s *scene) start(flags ...string) error {
	s.service = exec.Command(s.program,
		append([]string{"serve", "--data", filepath.Join(s.dir, "data"), "--listen", "127.0.0.1:0", "--database", s.dsn,
			"--log-level", "error"}, flags...)...)
	s.service.Stderr = os.Stderr
	out, err := s.service.StdoutPipe()
	if err != nil {
		return err
	}
	if err := localdb.StartTied(s.service); err != nil {
		return err
	}
	r := bufio.NewReader(out)
	line, err := r.ReadString('\n')
	if err != nil {
		return fmt.Errorf("the service does not get ready: %w", err)
	}
	go func() { _, _ = io.Copy(io.Discard, r) }()
	s.lines = make(chan *wire, 100)
	s.url = strings.TrimSpace(strings.TrimPrefix(line, "ready "))
	return nil
}

func (s *scene) stop() {
	if s.service == nil {
		return
	}
	_ = s.service.Process.Signal(syscall.SIGTERM) // it may have ended
	_ = s.service.Wait()
	s.service = nil
}

// again starts the service again with more flags.
func (s *scene) again(flags ...string) error {
	s.stop()
	return s.start(flags...)
}

func (s *scene) cli(ctx context.Context, v any, args ...string) error {
	var out, errs bytes.Buffer
	if code := cli.Run(ctx, append([]string{"firethorn", "--server", s.url, "--format", "json"}, args...), nil, &out,
		&errs); code != 0 {
		return fmt.Errorf("%s%s", errs.String(), out.String())
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
	if err := s.cli(ctx, &p, "project", "change", "quayside", "--allowance-minute", "0", "--allowance-day",
		"0"); err != nil {
		return err
	}
	maps := filepath.Join(s.dir, "maps")
	if err := os.MkdirAll(maps, 0o755); err != nil {
		return err
	}
	for from, to := range map[string]string{"quayside.js": "index-DyaqbKvu.js",
		"quayside.js.map": "index-DyaqbKvu.js.map"} {
		raw, err := os.ReadFile(filepath.Join("internal/core/symbolicate/testdata", from))
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(maps, to), raw, 0o644); err != nil {
			return err
		}
	}
	var pushed any
	return s.cli(ctx, &pushed, "symbols", "push", "--project", "quayside", "--release", "4.2.0", "--served-at",
		"https://quayside.example/assets", maps)
}

// event is the reference event as one of the scene's issues, 30 % of new users.
func (s *scene) event() []byte {
	n := s.n.Add(1)
	user := fmt.Sprintf("p-%d", n%5000)
	if n%10 < 3 {
		user = fmt.Sprintf("new-%d", n)
	}
	return s.eventOf(fmt.Sprintf("TypeError%d", n%s.issues), user)
}

// template is the reference event cut where events differ.
var template = func() [][]byte {
	rest, out := reference, [][]byte(nil)
	for _, mark := range []string{"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01", "2026-11-23T04:39:02.123Z", `"TypeError"`,
		"p-1182"} {
		before, after, ok := bytes.Cut(rest, []byte(mark))
		if !ok {
			panic("the reference event lacks " + mark)
		}
		rest, out = after, append(out, before)
	}
	return append(out, bytes.TrimSpace(rest))
}()

func (s *scene) eventOf(kind, user string) []byte {
	out := make([]byte, 0, len(reference)+100)
	for i, value := range []string{uuid.Must(uuid.NewV7()).String(), time.Now().UTC().Format(time.RFC3339Nano),
		strconv.Quote(kind), user} {
		out = append(append(out, template[i]...), value...)
	}
	return append(out, template[4]...)
}

// post sends one request of n events; a refused one is sent again.
// The request is written by hand: an HTTP client of its own would take as much
// processor time as the service does.
func (s *scene) post(n int, make func() []byte) error {
	var body bytes.Buffer
	for range n {
		body.Write(make())
		body.WriteByte('\n')
	}
	for {
		status, answer, err := s.send(body.Bytes())
		switch {
		case err != nil:
			return err
		case status == http.StatusAccepted:
			return nil
		case status == http.StatusServiceUnavailable || status == http.StatusTooManyRequests:
			time.Sleep(time.Second)
		default:
			return fmt.Errorf("%d: %s", status, answer)
		}
	}
}

// wire is a connection that is kept open.
type wire struct {
	net.Conn
	r *bufio.Reader
}

// send sends events.
func (s *scene) send(body []byte) (status int, answer []byte, err error) {
	return s.sendTo("/v1/events", body)
}

// sendTo uses a connection that is open; one that the service has closed meanwhile is
// replaced.
func (s *scene) sendTo(path string, body []byte) (status int, answer []byte, err error) {
	for {
		var c *wire
		old := true
		select {
		case c = <-s.lines:
		default:
			conn, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
			if err != nil {
				return 0, nil, err
			}
			c, old = &wire{conn, bufio.NewReader(conn)}, false
		}
		status, answer, err = s.exchange(c, path, body)
		if err == nil || !old {
			return status, answer, err
		}
	}
}

func (s *scene) exchange(c *wire, path string, body []byte) (status int, answer []byte, err error) {
	head := fmt.Sprintf("POST %s HTTP/1.1\r\nHost: bench\r\nAuthorization: Bearer %s\r\nContent-Type: application/x-ndjson\r\nContent-Length: %d\r\n\r\n", path, s.key, len(body))
	bufs := net.Buffers{[]byte(head), body}
	if _, err := bufs.WriteTo(c); err != nil {
		c.Close()
		return 0, nil, err
	}
	res, err := http.ReadResponse(c.r, nil)
	if err != nil {
		c.Close()
		return 0, nil, err
	}
	answer, err = io.ReadAll(res.Body)
	res.Body.Close()
	if err != nil || res.Close {
		c.Close()
		return res.StatusCode, answer, err
	}
	select {
	case s.lines <- c:
	default:
		c.Close()
	}
	return res.StatusCode, answer, nil
}

// drained waits until everything that was stored is processed.
func (s *scene) drained() error {
	for {
		var n int
		if err := s.db.QueryRow("SELECT COUNT(*) FROM inbox").Scan(&n); err != nil || n == 0 {
			return err
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// count asks the database for one number.
func (s *scene) count(query string) (n int64) {
	_ = s.db.QueryRow(query).Scan(&n) // shown as 0
	return n
}

// disk is how many bytes the tables of events take.
func (s *scene) disk() (n int64) {
	_, _ = s.db.Exec("ANALYZE TABLE event, event_body, newest_body, issue_user, issue_user_day, exemplar")
	return s.count("SELECT COALESCE(SUM(data_length+index_length),0) FROM information_schema.tables WHERE table_schema=DATABASE() AND table_name NOT IN ('bare','symbol_content','inbox')")
}
