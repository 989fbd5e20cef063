// Package db connects to MariaDB and has what every statement needs: transactions with retries,
// leases, prepared statements, rows and values. It knows only its own tables.
package db

import (
	"context"
	"database/sql"
	"errors"
	"log/slog"
	"strconv"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/core/problem"
)

// DB is the database. It is safe for concurrent use. Its own statements are
// quick ones.
type DB struct {
	*sql.DB         // what answers soon; texts are put together in the client, save prepared ones
	Slow    *sql.DB // what may take minutes: changes of tables, recounts, retention
	Log     *slog.Logger

	// Ahead is how far Now is set ahead on purpose, for tests of days to come.
	Ahead time.Duration
	// MaxSkew is how far the clocks of service and database may be apart.
	MaxSkew time.Duration

	now   func() time.Time
	stmts statements
}

// Options of Open.
type Options struct {
	DSN   string // go-sql-driver's form: user:password@tcp(host:port)/database
	Now   func() time.Time
	Log   *slog.Logger
	Ahead time.Duration // see DB.Ahead
}

// After so many seconds without a statement the server ends a transaction: its
// process may have vanished with its host, and its locks hold up the others.
const (
	TransactionIdle = 8
	slowIdle        = 120 // of jobs that work between statements
)

// ClockSkew is how far the clocks of service and database may be apart before
// nothing is processed or deleted: one of them is wrong, and deleted data is gone.
const ClockSkew = time.Hour

// ErrClocks says that service and database disagree about the time.
var ErrClocks = errors.New("the clocks of the service and of the database are apart")

// Open connects, and fails when the database does not answer.
func Open(ctx context.Context, opt Options) (*DB, error) {
	cfg, err := mysql.ParseDSN(opt.DSN)
	if err != nil {
		return nil, problem.Wrap("db.Open", problem.WrongUse, err, "--database is not understood: write it as user:password@tcp(host:port)/name")
	}
	cfg.Collation = "utf8mb4_nopad_bin"
	cfg.Timeout, cfg.ReadTimeout, cfg.WriteTimeout = 3*time.Second, 60*time.Second, 30*time.Second
	cfg.MaxAllowedPacket = 0
	cfg.Params = map[string]string{
		"sql_mode": "'TRADITIONAL'", "time_zone": "'+00:00'", "innodb_lock_wait_timeout": "5",
		"tx_isolation": "'READ-COMMITTED'", "idle_transaction_timeout": strconv.Itoa(TransactionIdle),
	}
	cfg.InterpolateParams = true
	slow := cfg.Clone()
	slow.ReadTimeout, slow.WriteTimeout = time.Hour, time.Hour
	slow.Params["idle_transaction_timeout"] = strconv.Itoa(slowIdle)
	d := &DB{DB: connect(cfg, 16), Slow: connect(slow, 4), Log: opt.Log, Ahead: opt.Ahead, MaxSkew: ClockSkew,
		now: opt.Now, stmts: statements{by: map[string]*sql.Stmt{}}}
	if d.now == nil {
		d.now = time.Now
	}
	if d.Log == nil {
		d.Log = slog.New(slog.DiscardHandler)
	}
	if err := d.PingContext(ctx); err != nil {
		d.Close()
		return nil, problem.Wrap("db.Open", problem.NoDatabase, err, "the database at %s does not answer", cfg.Addr)
	}
	return d, nil
}

func connect(cfg *mysql.Config, conns int) *sql.DB {
	c, err := mysql.NewConnector(cfg)
	if err != nil {
		panic(err) // the configuration was parsed before
	}
	pool := sql.OpenDB(c)
	pool.SetMaxOpenConns(conns)
	pool.SetMaxIdleConns(conns)
	pool.SetConnMaxLifetime(5 * time.Minute)
	return pool
}

// Close ends all connections.
func (d *DB) Close() error { return errors.Join(d.DB.Close(), d.Slow.Close()) }

// Now is the service's clock.
func (d *DB) Now() time.Time { return d.now() }

// ClockSkew is how far the database's clock is ahead of the service's.
func (d *DB) ClockSkew(ctx context.Context) (time.Duration, error) {
	var at int64
	err := d.QueryRowContext(ctx, "SELECT "+Clock).Scan(&at)
	return FromMicros(at).Sub(d.now().Add(-d.Ahead)), err
}

// PoolUse is how a pool of connections is used.
type PoolUse struct {
	Open, InUse, Limit int
	Waited             time.Duration
}

// Pools says how the connections are used.
func (d *DB) Pools() map[string]PoolUse {
	out := map[string]PoolUse{}
	for name, pool := range map[string]*sql.DB{"quick": d.DB, "slow": d.Slow} {
		st := pool.Stats()
		out[name] = PoolUse{st.OpenConnections, st.InUse, st.MaxOpenConnections, st.WaitDuration}
	}
	return out
}
