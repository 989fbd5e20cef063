package mariadb

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"math/rand/v2"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
	"github.com/pressly/goose/v3"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/owners"
)

//go:embed migrate/*.sql
var migrations embed.FS

// Store is the database. It is safe for concurrent use.
type Store struct {
	db          *sql.DB // what answers soon; texts are put together in the client, save prepared ones
	slow        *sql.DB // what may take minutes: changes of tables, recounts, retention
	stmts       statements
	inbox       *appender
	chunk       int // derived rows that follow a move at once
	names       *nameCache
	dicts       *dictionaries
	ruleSets    ruleSets
	graphs      graphs
	states      memo[int64, map[issue.State]int64]
	carriers    memo[int64, []owners.Person]
	overviews   memo[int64, *Overview]
	now         func() time.Time
	ahead       time.Duration // that now is set ahead on purpose
	newerSchema bool
	maxSkew     time.Duration // that the clocks of service and database may be apart
	log         *slog.Logger
}

// Options of Open.
type Options struct {
	DSN string // go-sql-driver's form: user:password@tcp(host:port)/database
	Now func() time.Time
	Log *slog.Logger
	// Ahead is how far Now is set ahead on purpose, for tests of days to come.
	Ahead time.Duration
	// NewerSchema lets this version use a schema that a newer one made.
	NewerSchema bool
}

// Open connects, checks what the server promises, and brings the schema up to date.
func Open(ctx context.Context, opt Options) (*Store, error) {
	cfg, err := mysql.ParseDSN(opt.DSN)
	if err != nil {
		return nil, fault.Wrap("mariadb.Open", fault.WrongUse, err, "--database is not understood: write it as user:password@tcp(host:port)/name")
	}
	cfg.Collation = "utf8mb4_nopad_bin"
	cfg.Timeout, cfg.ReadTimeout, cfg.WriteTimeout = 3*time.Second, 60*time.Second, 30*time.Second
	cfg.MaxAllowedPacket = 0
	cfg.Params = map[string]string{
		"sql_mode": "'TRADITIONAL'", "time_zone": "'+00:00'", "innodb_lock_wait_timeout": "5", "tx_isolation": "'READ-COMMITTED'", "idle_transaction_timeout": strconv.Itoa(transactionIdle),
	}
	cfg.InterpolateParams = true
	slow := cfg.Clone()
	slow.ReadTimeout, slow.WriteTimeout = time.Hour, time.Hour
	slow.Params["idle_transaction_timeout"] = strconv.Itoa(slowIdle)
	s := &Store{db: open(cfg, 16), slow: open(slow, 4), stmts: statements{by: map[string]*sql.Stmt{}}, chunk: chunkRows, names: newNameCache(), dicts: newDictionaries(), graphs: graphs{held: map[int64]heldGraph{}}, now: opt.Now, ahead: opt.Ahead, maxSkew: clockSkew, newerSchema: opt.NewerSchema, log: opt.Log}
	s.inbox = newAppender(s)
	if s.now == nil {
		s.now = time.Now
	}
	if s.log == nil {
		s.log = slog.New(slog.DiscardHandler)
	}
	if err := s.db.PingContext(ctx); err != nil {
		s.Close()
		return nil, fault.Wrap("mariadb.Open", fault.NoDatabase, err, "the database at %s does not answer", cfg.Addr)
	}
	if err := s.checkPromises(ctx); err != nil {
		s.Close()
		return nil, err
	}
	if err := s.migrate(ctx); err != nil {
		s.Close()
		return nil, fmt.Errorf("mariadb.migrate: %w", err)
	}
	return s, nil
}

// After so many seconds without a statement the server ends a transaction: whoever
// began it may have vanished with its host, and its locks hold up the others.
const (
	transactionIdle = 8
	slowIdle        = 120 // of jobs that work between statements
)

func open(cfg *mysql.Config, conns int) *sql.DB {
	c, err := mysql.NewConnector(cfg)
	if err != nil {
		panic(err) // the configuration was parsed before
	}
	db := sql.OpenDB(c)
	db.SetMaxOpenConns(conns)
	db.SetMaxIdleConns(conns)
	db.SetConnMaxLifetime(5 * time.Minute)
	return db
}

// Close ends all connections.
func (s *Store) Close() error {
	s.inbox.close()
	return errors.Join(s.db.Close(), s.slow.Close())
}

// Ping says whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

// migrate brings the schema up to date. Several processes may start at once:
// a lease row, which holds in a cluster as well, lets one of them work.
func (s *Store) migrate(ctx context.Context) error {
	const ddl = "CREATE TABLE IF NOT EXISTS lease (name VARCHAR(64) NOT NULL PRIMARY KEY, owner BINARY(16) NOT NULL, until BIGINT NOT NULL) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin"
	if _, err := s.db.ExecContext(ctx, ddl); err != nil {
		return err
	}
	me := uuid.New()
	release, err := s.waitLease(ctx, "migrate", me[:], migrateHold)
	if err != nil {
		return err
	}
	defer release()
	defer s.keepLease(ctx, "migrate", me, migrateHold)()
	dir, err := fs.Sub(migrations, "migrate")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectMySQL, s.slow, dir, goose.WithTableName("schema_version"))
	if err != nil {
		return err
	}
	if err := s.checkVersion(ctx, p); err != nil {
		return err
	}
	if _, err := p.Up(ctx); err != nil {
		return err
	}
	return s.EnsurePartitions(ctx)
}

// migrateHold is for how long a process that changes the schema has the lease
// before it renews it. A change of a large table may take hours.
const migrateHold = time.Minute

// checkVersion refuses a schema that a newer version made: this one does not
// know what stands there.
func (s *Store) checkVersion(ctx context.Context, p *goose.Provider) error {
	have, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	known := int64(0)
	for _, m := range p.ListSources() {
		known = max(known, m.Version)
	}
	if have <= known {
		return nil
	}
	s.log.Warn("a newer version of Firethorn made this database's schema", "schema", have, "known_here", known)
	if s.newerSchema {
		return nil
	}
	return fault.New(fault.NoDatabase, "a newer version of Firethorn made this database: its schema is %d, and this version knows up to %d. Start the newer version; or, if you know that both fit, start this one with --allow-newer-schema", have, known)
}

// keepLease renews a lease that this process holds until stop is called.
func (s *Store) keepLease(ctx context.Context, name string, owner uuid.UUID, hold time.Duration) (stop func()) {
	ctx, cancel := context.WithCancel(ctx)
	var done sync.WaitGroup
	done.Go(func() {
		tick := time.NewTicker(hold / 4)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			// It is not cut off: what the database does after the lease was let go would take it again.
			renewal, end := context.WithTimeout(context.WithoutCancel(ctx), hold)
			_, err := s.db.ExecContext(renewal, "UPDATE lease SET until="+dbNow+"+? WHERE name=? AND owner=?", hold.Microseconds(), name, owner[:])
			end()
			if err != nil && ctx.Err() == nil {
				s.log.Warn("a lease could not be renewed", "lease", name, "err", err)
			}
		}
	})
	return func() { cancel(); done.Wait() }
}

// HoldLease takes the lease of a name and renews it until it is released, so that
// a process that ends holds the others up for no longer than hold. release is nil
// when another process has it.
func (s *Store) HoldLease(ctx context.Context, name string, owner uuid.UUID, hold time.Duration) (release func(), err error) {
	let, err := s.TryLease(ctx, name, owner, hold)
	if err != nil || let == nil {
		return nil, err
	}
	stop := s.keepLease(ctx, name, owner, hold)
	return func() { stop(); let() }, nil
}

// waitLease takes the lease of a name, waiting for another holder.
func (s *Store) waitLease(ctx context.Context, name string, owner []byte, hold time.Duration) (release func(), err error) {
	for {
		release, err := s.TryLease(ctx, name, uuid.UUID(owner), hold)
		if err != nil || release != nil {
			return release, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// TryLease takes the lease of a name for at most hold; release is nil when
// another has it.
func (s *Store) TryLease(ctx context.Context, name string, owner uuid.UUID, hold time.Duration) (release func(), err error) {
	if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO lease (name, owner, until) VALUES (?, ?, 0)", name, owner[:]); err != nil {
		return nil, err
	}
	r, err := s.db.ExecContext(ctx, "UPDATE lease SET owner=?, until="+dbNow+"+? WHERE name=? AND until<"+dbNow, owner[:], hold.Microseconds(), name)
	if err != nil {
		return nil, err
	}
	if n, err := r.RowsAffected(); err != nil || n != 1 {
		return nil, err
	}
	return func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		_, _ = s.db.ExecContext(ctx, "UPDATE lease SET until=0 WHERE name=? AND owner=?", name, owner[:]) // else it runs out
	}, nil
}

// retryable are the server's error numbers after which the same transaction
// may succeed: deadlock, lock wait, snapshot conflict, cluster not ready,
// too many connections, shutdown, killed.
var retryable = []uint16{1213, 1205, 1020, 1047, 1040, 1053, 1927}

// unusable are those that say that the server cannot write now: disk full,
// table full for the same reason, error writing a file, read only.
var unusable = []uint16{1021, 1114, 1026, 1290, 1836}

// Away says whether err means that the database cannot be reached or used now.
func Away(err error) bool {
	if e, ok := errors.AsType[*mysql.MySQLError](err); ok {
		return slices.Contains(retryable, e.Number) || slices.Contains(unusable, e.Number)
	}
	var netErr net.Error
	return errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, driver.ErrBadConn) || errors.As(err, &netErr)
}

// InTx runs fn in a transaction and runs it again, whole, when the database
// asks for that; fn keeps no state between tries.
func (s *Store) InTx(ctx context.Context, fn func(tx *sql.Tx) error) error {
	return s.inTxOf(ctx, s.db, fn)
}

func (s *Store) inTxOf(ctx context.Context, db *sql.DB, fn func(tx *sql.Tx) error) error {
	for try := 1; ; try++ {
		err := once(ctx, db, fn)
		if err == nil || !Away(err) || try == 5 || ctx.Err() != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return errors.Join(err, ctx.Err())
		case <-time.After(time.Duration(5+rand.IntN(40*try)) * time.Millisecond):
		}
	}
}

func once(ctx context.Context, db *sql.DB, fn func(tx *sql.Tx) error) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback() // after a commit it does nothing
	if err := fn(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// querier is a pool or a transaction.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// each calls scan for every row of a query.
func each(ctx context.Context, q querier, scan func(*sql.Rows) error, query string, args ...any) error {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := scan(rows); err != nil {
			return err
		}
	}
	return rows.Err()
}

// numbers reads the one column of a query.
func numbers(ctx context.Context, q querier, query string, args ...any) (list []int64, err error) {
	err = each(ctx, q, func(r *sql.Rows) error {
		var n int64
		err := r.Scan(&n)
		list = append(list, n)
		return err
	}, query, args...)
	return list, err
}

// texts reads a column of texts.
func texts(ctx context.Context, q querier, query string, args ...any) (list []string, err error) {
	err = each(ctx, q, func(r *sql.Rows) error {
		var t string
		err := r.Scan(&t)
		list = append(list, t)
		return err
	}, query, args...)
	return list, err
}

// marks is "?,?,?" for n values.
func marks(n int) string { return strings.TrimSuffix(strings.Repeat("?,", n), ",") }

// statementRows is how many rows one statement writes or asks for at most.
const statementRows = 200

// insertRows writes rows in statements of at most statementRows; head is all
// before VALUES, tail what follows the rows.
func insertRows(ctx context.Context, q querier, head, tail string, rows [][]any) error {
	for chunk := range slices.Chunk(rows, statementRows) {
		var b strings.Builder
		b.WriteString(head)
		b.WriteString(" VALUES ")
		args := make([]any, 0, len(chunk)*len(chunk[0]))
		for i, r := range chunk {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteByte('(')
			b.WriteString(marks(len(r)))
			b.WriteByte(')')
			args = append(args, r...)
		}
		b.WriteString(tail)
		if _, err := q.ExecContext(ctx, b.String(), args...); err != nil {
			return err
		}
	}
	return nil
}

func micros(t time.Time) int64 { return t.UnixMicro() }

func fromMicros(n int64) time.Time { return time.UnixMicro(n).UTC() }

// Day is the number of days since 1970-01-01 UTC.
func Day(t time.Time) int { return int(t.Unix() / 86400) }

// Now is the store's clock.
func (s *Store) Now() time.Time { return s.now() }
