package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/contract"
	"firethorn/internal/localdb"
)

// service is one serve process that is started again whenever it ends.
type service struct {
	s       *stage
	dir     string
	address string

	database string
	network  *network // to the database

	mu      sync.Mutex
	cmd     *exec.Cmd
	kept    int // rounds that it was not started again
	ending  bool
	restart sync.WaitGroup
}

func newService(s *stage, dir string) (*service, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	defer l.Close()
	v := &service{s: s, dir: dir, address: l.Addr().String()}
	dsn, err := mysql.ParseDSN(s.db.DSN(localdb.Database))
	if err != nil {
		return nil, err
	}
	if v.network, err = newNetwork(dir+".sock", dsn.Addr); err != nil {
		return nil, err
	}
	dsn.Addr = dir + ".sock"
	v.database = dsn.FormatDSN()
	v.restart.Go(v.keep)
	return v, nil
}

// keep runs the process again and again until stop.
func (v *service) keep() {
	for {
		v.mu.Lock()
		if v.ending {
			v.mu.Unlock()
			return
		}
		offset := time.Duration(v.s.offset.Load())
		v.cmd = exec.Command(v.s.opt.Program, "serve", "--data", v.dir, "--listen", v.address, "--clock-offset",
			offset.String(), "--log-level", "error")
		v.cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+v.dir, "FIRETHORN_DATABASE="+v.database)
		out, err := v.cmd.StdoutPipe()
		if log, lerr := os.OpenFile(v.dir+".log", os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600); lerr == nil {
			v.cmd.Stderr = log
			defer log.Close()
		}
		if err == nil {
			err = v.cmd.Start()
		}
		cmd := v.cmd
		v.mu.Unlock()
		if err != nil {
			fmt.Fprintln(v.s.opt.Out, "the service does not start:", err)
			return
		}
		_, _ = io.Copy(io.Discard, bufio.NewReader(out)) // until it ends
		_ = cmd.Wait()                                   // killed: that is the point
		time.Sleep(50 * time.Millisecond)                // while the database is away it ends at once
	}
}

func (v *service) kill() {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.cmd != nil && v.cmd.Process != nil {
		_ = v.cmd.Process.Kill() // it may have ended
	}
}

// signal sends a signal to the process, if it runs.
func (v *service) signal(sig syscall.Signal) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.cmd != nil && v.cmd.Process != nil {
		_ = v.cmd.Process.Signal(sig) // it may have ended
	}
}

func (v *service) stop() {
	v.mu.Lock()
	v.ending = true
	v.mu.Unlock()
	v.signal(syscall.SIGCONT)
	v.kill()
	v.restart.Wait()
	v.network.close()
}

func (v *service) url(path string) string { return "http://" + v.address + path }

func (v *service) waitReady(ctx context.Context, limit time.Duration) error {
	for until := time.Now().Add(limit); ; time.Sleep(30 * time.Millisecond) {
		if res, err := http.Get(v.url("/readyz")); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return nil
			}
		}
		if time.Now().After(until) {
			log, _ := os.ReadFile(v.dir + ".log")
			return fmt.Errorf("%s does not get ready: %s", v.address, log[max(0, len(log)-2000):])
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// call calls the API as its admin.
func (v *service) call(ctx context.Context, method, path, body string, out any) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	token, err := os.ReadFile(filepath.Join(v.dir, "admin-token"))
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, method, v.url(path), strings.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode >= 400 {
		err = fmt.Errorf("%s %s: %s %s", method, path, res.Status, raw)
	}
	if err != nil || out == nil {
		return err
	}
	return json.Unmarshal(raw, out)
}

func (v *service) post(ctx context.Context, path, body string) error {
	return v.call(ctx, http.MethodPost, path, body, nil)
}

func (v *service) status(ctx context.Context) (st contract.Status, err error) {
	return st, v.call(ctx, http.MethodGet, "/api/status", "", &st)
}
