// Package localdb runs a private MariaDB on loopback in a data directory: it creates the files, starts
// and stops the server, and takes over one that a killed process left running. The service uses it
// when no database is configured, and so do the tests.
//
// The server answers on its socket, and on loopback where that is asked for. Its
// socket and password lie in directories and files that only their owner can
// read; no account is without a password, and ours may touch our database alone.
package localdb

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/core/problem"
)

// Database is the name of the database that is made in the server.
const Database = "firethorn"

// startTimeout bounds creation and start together; replaying a log after a
// kill under load was measured at 8 s.
const startTimeout = 90 * time.Second

// Options say where and how big.
type Options struct {
	Dir        string // made when missing, mode 0700
	BufferPool string // "512M"
	LogSize    string // "256M"
	Listen     string // HOST:PORT on loopback beside the socket; "" is none
	Log        *slog.Logger

	// AllRights lets the account do everything in the server, for tests and
	// measurements. The service needs its own database alone.
	AllRights bool

	// Tied lets the server end with this process, however that ends, for measurements and tests. That
	// of a service goes on: the next service takes it over.
	Tied bool
}

// Server is a running private MariaDB.
type Server struct {
	opt    Options
	pass   string
	socket string
	pid    int
	exited chan struct{} // closed when our child ended; nil for one taken over
}

// Start brings the server up and waits until it answers.
func Start(ctx context.Context, opt Options) (*Server, error) {
	if opt.Log == nil {
		opt.Log = slog.New(slog.DiscardHandler)
	}
	ctx, cancel := context.WithTimeout(ctx, startTimeout)
	defer cancel()
	dir, err := filepath.Abs(opt.Dir) // the server changes its working directory
	if err != nil {
		return nil, err
	}
	opt.Dir = dir
	for _, d := range []string{opt.Dir, filepath.Join(opt.Dir, "run"), filepath.Join(opt.Dir, "tmp")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return nil, problem.Wrap("localdb.Start", problem.DataDirBroken, err, "cannot write to the data directory %s: choose another with --data, or change its owner", opt.Dir)
		}
	}
	s := &Server{opt: opt, socket: filepath.Join(opt.Dir, "run", "s.sock")}
	if len(s.socket) > 100 { // a socket's path has at most 107 bytes
		d, err := os.MkdirTemp("", "firethorn-db")
		if err != nil {
			return nil, err
		}
		s.socket = filepath.Join(d, "s.sock")
	}
	if err := s.loadPassword(); err != nil {
		return nil, err
	}
	if s.takeOver(ctx) {
		opt.Log.Info("took over the private database that was left running", "pid", s.pid)
		return s, nil
	}
	if err := s.install(ctx); err != nil {
		return nil, err
	}
	if err := s.launch(ctx); err != nil {
		return nil, err
	}
	return s, nil
}

// DSN is the data source name of a database of the server.
func (s *Server) DSN(database string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = "firethorn", s.pass, "unix", s.socket, database
	return c.FormatDSN()
}

// PID is the server's process id.
func (s *Server) PID() int { return s.pid }

func (s *Server) data() string { return filepath.Join(s.opt.Dir, "data") }

// tmp is for the server's temporary tables. In a directory that several
// servers share, each that starts removes those of the others.
func (s *Server) tmp() string     { return filepath.Join(s.opt.Dir, "tmp") }
func (s *Server) pidFile() string { return filepath.Join(s.opt.Dir, "run", "pid") }

func (s *Server) loadPassword() error {
	file := filepath.Join(s.opt.Dir, "password")
	b, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		raw := make([]byte, 24)
		rand.Read(raw)
		b = []byte(hex.EncodeToString(raw))
		err = os.WriteFile(file, b, 0o600)
	}
	if err != nil {
		return problem.Wrap("localdb.password", problem.DataDirBroken, err, "cannot use %s", file)
	}
	s.pass = strings.TrimSpace(string(b))
	return nil
}

// takeOver uses a server that still runs on our data, if there is one.
func (s *Server) takeOver(ctx context.Context) bool {
	b, err := os.ReadFile(s.pidFile())
	if err != nil {
		return false
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(b)))
	if err != nil || !ours(pid, s.data()) {
		return false
	}
	wait, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	if s.waitReady(wait, nil) != nil {
		_ = syscall.Kill(pid, syscall.SIGTERM) // it answers nobody: let it go, then start again
		waitGone(ctx, pid, s.data())
		return false
	}
	s.pid = pid
	return true
}

// ours says whether process pid is a database server on our data directory.
func ours(pid int, data string) bool {
	cmd, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err == nil && bytes.Contains(cmd, []byte("--datadir="+data+"\x00"))
}

func waitGone(ctx context.Context, pid int, data string) bool {
	for ours(pid, data) {
		select {
		case <-ctx.Done():
			return false
		case <-time.After(50 * time.Millisecond):
		}
	}
	return true
}

func program(names ...string) (string, error) {
	for _, n := range names {
		if p, err := exec.LookPath(n); err == nil {
			return p, nil
		}
		for _, dir := range []string{"/usr/sbin", "/usr/bin", "/usr/local/bin"} {
			if p, err := exec.LookPath(filepath.Join(dir, n)); err == nil &&
				os.Getenv("FIRETHORN_NO_SYSTEM_PATH") == "" {
				return p, nil
			}
		}
	}
	return "", problem.New(problem.NoDatabase, "%s is not on this machine: install it (apt-get install mariadb-server-core), or name a running MariaDB with --database", names[0])
}

func (s *Server) asRoot() []string {
	if os.Geteuid() == 0 {
		return []string{"--user=root"}
	}
	return nil
}

// launch starts the server in a process group of its own, so that a signal
// from the terminal reaches the service alone, which stops it in order.
func (s *Server) launch(ctx context.Context) error {
	bin, err := program("mariadbd")
	if err != nil {
		return err
	}
	initFile := filepath.Join(s.opt.Dir, "run", "init.sql")
	if err := os.WriteFile(initFile, []byte(s.initSQL()), 0o600); err != nil {
		return err
	}
	args := []string{
		"--no-defaults", "--datadir=" + s.data(), "--tmpdir=" + s.tmp(), "--socket=" + s.socket, "--pid-file=" +
			s.pidFile(), "--init-file=" + initFile,
		"--skip-log-bin", "--skip-name-resolve", "--local-infile=0", "--secure-file-priv=" + s.tmp(),
		"--innodb-flush-log-at-trx-commit=1", "--innodb-flush-method=O_DIRECT", "--innodb-doublewrite=1",
		"--innodb-log-file-size=" + orElse(s.opt.LogSize, "256M"), "--innodb-buffer-pool-size=" +
			orElse(s.opt.BufferPool, "512M"),
		"--innodb-io-capacity=2000", "--innodb-io-capacity-max=8000", "--character-set-server=utf8mb4",
		"--collation-server=utf8mb4_nopad_bin",
		"--default-time-zone=+00:00", "--transaction-isolation=READ-COMMITTED", "--max-allowed-packet=64M",
		"--max-connections=200", "--log-warnings=1",
		"--sql-mode=STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION",
	}
	if host, port, err := net.SplitHostPort(s.opt.Listen); err == nil {
		args = append(args, "--bind-address="+host, "--port="+port)
	} else {
		args = append(args, "--skip-networking")
	}
	logFile, err := os.OpenFile(filepath.Join(s.opt.Dir, "mariadb.log"), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer logFile.Close()
	cmd := exec.Command(bin, append(args, s.asRoot()...)...)
	cmd.Stdout, cmd.Stderr = logFile, logFile
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	start := cmd.Start
	if s.opt.Tied {
		start = func() error { return StartTied(cmd) }
	}
	if err := start(); err != nil {
		return problem.Wrap("localdb.launch", problem.NoDatabase, err, "the private database does not start")
	}
	s.pid, s.exited = cmd.Process.Pid, make(chan struct{})
	go func() {
		_ = cmd.Wait() // how it ended stands in its own log
		close(s.exited)
	}()
	if err := s.waitReady(ctx, s.exited); err != nil {
		_ = cmd.Process.Kill()
		log, _ := os.ReadFile(logFile.Name())
		return problem.Wrap("localdb.launch", problem.NoDatabase, err,
			"the private database does not start; the end of %s: %s", logFile.Name(), tail(log))
	}
	return nil
}

func (s *Server) waitReady(ctx context.Context, exited <-chan struct{}) error {
	db, err := sql.Open("mysql", s.DSN(Database))
	if err != nil {
		return err
	}
	defer db.Close()
	for {
		err := db.PingContext(ctx)
		if err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("it does not answer: %w", err)
		case <-exited:
			return errors.New("it ended at once")
		case <-time.After(40 * time.Millisecond):
		}
	}
}

// Watch starts the server again when it ends by itself, until ctx ends. A
// server that was taken over is watched by its process id.
func (s *Server) Watch(ctx context.Context) {
	for {
		if s.exited != nil {
			select {
			case <-ctx.Done():
				return
			case <-s.exited:
			}
		} else {
			for ours(s.pid, s.data()) {
				select {
				case <-ctx.Done():
					return
				case <-time.After(200 * time.Millisecond):
				}
			}
		}
		if ctx.Err() != nil {
			return
		}
		s.opt.Log.Error("the private database has ended; starting it again", "log",
			filepath.Join(s.opt.Dir, "mariadb.log"))
		start, cancel := context.WithTimeout(ctx, startTimeout)
		err := s.launch(start)
		cancel()
		if err != nil {
			s.opt.Log.Error("the private database does not start", "err", err)
			select {
			case <-ctx.Done():
				return
			case <-time.After(2 * time.Second):
			}
		}
	}
}

// Stop ends the server in order and waits for it.
func (s *Server) Stop(ctx context.Context) error {
	if err := syscall.Kill(s.pid, syscall.SIGTERM); err != nil && !errors.Is(err, syscall.ESRCH) {
		return err
	}
	if s.exited != nil {
		select {
		case <-s.exited:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	if !waitGone(ctx, s.pid, s.data()) {
		return ctx.Err()
	}
	return nil
}

func tail(b []byte) string {
	b = bytes.TrimSpace(b)
	if len(b) > 600 {
		b = b[len(b)-600:]
	}
	return string(b)
}

func orElse(s, or string) string {
	if s == "" {
		return or
	}
	return s
}
