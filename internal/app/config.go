// Package app wires the service together: it checks the configuration, opens
// the address, starts or reaches the database, runs intake, worker, API and
// console, and stops them in the reverse order.
package app

import (
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/intake"
)

// Config is how the service is run.
type Config struct {
	Data             string // directory for the private database, the admin token, the lock
	Listen           string // HOST:PORT; port 0 takes a free one
	Database         string // a data source name; "" runs a private database in Data
	DatabaseListen   string // HOST:PORT on loopback that the private database answers on beside its socket; "" is none
	PublicURL        string // how people reach the service; "" is http://LISTEN
	Terminal         bool   // somebody reads standard output
	SymbolMem        int    // bytes of decoded symbols held in memory
	SearchMem        int    // bytes of the search index held in memory
	GeoDatabase      string // file that tells the countries of addresses; "" is none
	Limits           intake.Limits
	NewerSchema      bool          // use a schema that a newer version made
	StoreOnly        bool          // take events in, let other processes file them
	Silence          time.Duration // after a heartbeat of a session was due, before it is called cut off
	FetchFrom        []string      // hosts that repositories may be fetched from, at public addresses
	FetchFromPrivate []string      // hosts that may also lie on loopback or in private networks
	Metrics          string        // HOST:PORT that answers /metrics to anyone; "" is none
	Log              *slog.Logger

	// DatabasePool and DatabaseLog are the sizes of the private database's buffer pool and log,
	// in MiB; 0: a quarter of the memory there is, and a quarter of that.
	DatabasePool, DatabaseLog int64
	// SmallDatabase keeps the private database small, for tests.
	SmallDatabase bool
	// ClockOffset sets the service's clock ahead, for tests of days to come.
	ClockOffset time.Duration
}

func (c Config) now() time.Time { return time.Now().Add(c.ClockOffset) }

// Validate finds all problems of a configuration.
func (c Config) Validate() error {
	var errs []error
	if c.Data == "" {
		errs = append(errs, problem.New(problem.WrongUse, "--data must name a directory"))
	}
	if _, _, err := net.SplitHostPort(c.Listen); err != nil {
		errs = append(errs, problem.New(problem.WrongUse, "--listen must be HOST:PORT, not %q", c.Listen))
	}
	if c.DatabaseListen != "" {
		host, _, err := net.SplitHostPort(c.DatabaseListen)
		if ip := net.ParseIP(host); err != nil || ip == nil || !ip.IsLoopback() {
			errs = append(errs, problem.New(problem.WrongUse, "--database-listen must be an address on loopback with a port, for example 127.0.0.1:3306, not %q", c.DatabaseListen))
		} else if c.Database != "" {
			errs = append(errs, problem.New(problem.WrongUse, "--database-listen is for the private database; with --database there is none"))
		}
	}
	if c.Metrics != "" {
		if _, _, err := net.SplitHostPort(c.Metrics); err != nil {
			errs = append(errs, problem.New(problem.WrongUse, "--metrics-listen must be HOST:PORT, not %q", c.Metrics))
		}
	}
	if c.Silence < 0 {
		errs = append(errs, problem.New(problem.WrongUse, "--session-silence is a time above 0, for example 30m, not %s", c.Silence))
	}
	if c.PublicURL != "" {
		u, err := url.Parse(c.PublicURL)
		if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
			errs = append(errs, problem.New(problem.WrongUse,
				"--public-url must be http://HOST or https://HOST, not %q",
				c.PublicURL))
		}
	}
	return errors.Join(errs...)
}

// publicURL is how links are written.
func (c Config) publicURL(bound net.Addr) (*url.URL, error) {
	if c.PublicURL != "" {
		return url.Parse(strings.TrimSuffix(c.PublicURL, "/"))
	}
	host, port, err := net.SplitHostPort(bound.String())
	if err != nil {
		return nil, err
	}
	if ip := net.ParseIP(host); ip != nil && ip.IsUnspecified() {
		host = "localhost"
	}
	return &url.URL{Scheme: "http", Host: net.JoinHostPort(host, port)}, nil
}

// listen opens the address.
func listen(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, problem.Wrap("app.listen", problem.PortTaken, err, "another program listens on %s already; stop it, or choose another address with --listen", address)
	}
	if err != nil {
		return nil, problem.Wrap("app.listen", problem.PortTaken, err, "cannot listen on %s", address)
	}
	return l, nil
}

// lockDir makes the data directory and takes it for this process alone. The
// lock goes with the process, however it ends.
func lockDir(dir string) (unlock func(), err error) {
	broken := func(err error) error {
		return problem.Wrap("app.lockDir", problem.DataDirBroken, err, "cannot write to the data directory %s: choose another with --data, or change its owner", dir)
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, broken(err)
	}
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, broken(err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		holder, _ := os.ReadFile(f.Name())
		f.Close()
		return nil, problem.Wrap("app.lockDir", problem.DataDirBroken, err, "the data directory %s is in use by process %s; stop it, or choose another with --data", dir, strings.TrimSpace(string(holder)))
	}
	if err := f.Truncate(0); err == nil {
		_, err = f.WriteAt([]byte(fmt.Sprint(os.Getpid())), 0)
		if err != nil {
			f.Close()
			return nil, broken(err)
		}
	}
	return func() { f.Close() }, nil
}
