package main

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"runtime"
	"strconv"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/segments"
)

// made is a made-up store: what its events are drawn from.
type made struct {
	columns  []column
	ids      []uint32 // of the columns
	variants []int64
	releases []int64
	env      int64
	project  int64
	secret   []byte
	users    int
	perDay   int
	counts   []int64 // events of each variant
	mu       sync.Mutex
	pairs    map[[2]int64]int64 // variant and release → events
	seen     []uint32           // some users that have events
}

// draw is a number below n, small ones more often.
func draw(r *rand.Rand, n int, skew float64) int {
	return int(math.Pow(r.Float64(), skew) * float64(n))
}

// row draws an event of a day.
func (m *made) row(r *rand.Rand, position, at int64) columns.Row {
	v := draw(r, len(m.variants), 3)
	release := draw(r, len(m.releases), 2)
	row := columns.Row{Position: position, Time: at, Variant: uint32(m.variants[v]), Weight: 1}
	if r.Float64() < .9 {
		row.User = 1 + uint32(draw(r, m.users, 2))
	}
	handled := r.Float64() < .6
	f := columns.Facts{Release: m.releases[release], Environment: m.env, Severity: "error", Handled: &handled}
	row.Cells = f.Cells()
	for i, c := range m.columns {
		if r.Float64() >= c.present {
			continue
		}
		var value columns.Value
		switch {
		case c.values == 0 && row.User == 0:
			continue
		case c.values == 0:
			value = columns.TextValue(fmt.Sprintf("u-%d", row.User))
			if c.name == "user.email" {
				value.Text += "@quay.example"
			}
		case c.tends && r.Float64() < .7:
			value = c.value((v*7919 + i) % c.values)
		default:
			value = c.value(draw(r, c.values, c.skew))
		}
		row.Cells = append(row.Cells, columns.Cell{Column: m.ids[i], Value: value})
	}
	return row
}

// load writes rows into a table by the database's own way for many.
func (s *scene) load(ctx context.Context, table, fields string, write func(w *bufio.Writer)) error {
	name := table + strconv.FormatInt(time.Now().UnixNano(), 36)
	r, w := io.Pipe()
	mysql.RegisterReaderHandler(name, func() io.Reader { return r })
	defer mysql.DeregisterReaderHandler(name)
	go func() {
		b := bufio.NewWriterSize(w, 1<<20)
		write(b)
		w.CloseWithError(b.Flush())
	}()
	_, err := s.db.ExecContext(ctx, "LOAD DATA LOCAL INFILE 'Reader::"+name+"' INTO TABLE "+table+" "+fields)
	return err
}

// userHash is a made-up user as the project knows them.
func (m *made) userHash(n int) int64 { return pipeline.UserHash(m.secret, fmt.Sprintf("u-%d", n)) }

// makeEvents writes events with their index, spread over 28 days; it takes minutes where
// processing takes hours. Seeded: each run makes the same.
func (s *scene) makeEvents(ctx context.Context, events int) (*made, error) {
	began := time.Now()
	if _, err := s.db.ExecContext(ctx, "SET GLOBAL innodb_flush_log_at_trx_commit=0, local_infile=1"); err != nil {
		return nil, err
	}
	defer func() { _, _ = s.db.Exec("SET GLOBAL innodb_flush_log_at_trx_commit=1") }()
	m := &made{columns: fortyColumns(), users: 1_000_000, perDay: events / 28, pairs: map[[2]int64]int64{},
		project: s.count(
			"SELECT id FROM project WHERE name='quayside'",
		), env: s.count("SELECT MIN(id) FROM environment")}
	if err := s.db.QueryRowContext(ctx, "SELECT user_secret FROM project WHERE id=?",
		m.project).Scan(&m.secret); err != nil {
		return nil, err
	}
	if err := m.prepare(ctx, s); err != nil {
		return nil, err
	}
	base := s.count("SELECT filing FROM project_counter")
	today := time.Now().Unix() / 86400
	var wg sync.WaitGroup
	slots, errs := make(chan struct{}, runtime.GOMAXPROCS(0)), make(chan error, 28)
	for d := int64(28); d >= 1; d-- {
		wg.Go(func() {
			slots <- struct{}{}
			defer func() { <-slots }()
			if err := m.day(ctx, s, today-d, base+(28-d)*int64(m.perDay)); err != nil {
				errs <- err
			}
			if d%7 == 1 {
				fmt.Printf("  events up to %d days ago are there after %s\n", d, time.Since(began).Round(time.Second))
			}
		})
	}
	wg.Wait()
	select {
	case err := <-errs:
		return nil, err
	default:
	}
	return m, m.totals(ctx, s, base+int64(m.perDay)*28)
}

// prepare makes what events name: columns, releases, users.
func (m *made) prepare(ctx context.Context, s *scene) error {
	for _, c := range m.columns {
		hash := db.NameHash(c.name)
		if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO attribute (project, hash, name, first_seen, last_day) VALUES (?,?,?,0,65535)", m.project, hash[:], c.name); err != nil {
			return err
		}
		m.ids = append(m.ids, uint32(s.count("SELECT id FROM attribute WHERE name='"+c.name+"'")))
	}
	for i := range 12 {
		name := fmt.Sprintf("5.%d.0", 11-i)
		hash := db.NameHash(name)
		if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO app_release (project, hash, name, first_seen) VALUES (?,?,?,?)", m.project, hash[:], name, time.Now().UnixMicro()-int64(i)*86400_000_000); err != nil {
			return err
		}
	}
	var err error
	if m.releases, err = db.Numbers(ctx, s.db, "SELECT id FROM app_release WHERE name LIKE '5.%' ORDER BY first_seen DESC"); err != nil {
		return err
	}
	if m.variants, err = db.Numbers(ctx, s.db, "SELECT id FROM variant ORDER BY id"); err != nil {
		return err
	}
	m.counts = make([]int64, m.variants[len(m.variants)-1]+1)
	first := s.count("SELECT users FROM project_counter")
	if first > 0 { // numbers of those who are there stay; the others follow
		if _, err := s.db.ExecContext(ctx, "UPDATE user_number SET number=number+?", m.users); err != nil {
			return err
		}
	}
	return s.load(ctx, "user_number", "(project, user, number)", func(w *bufio.Writer) {
		for n := 1; n <= m.users; n++ {
			fmt.Fprintf(w, "%d\t%d\t%d\n", m.project, m.userHash(n), n)
		}
	})
}

// day writes the events of one day, and their segments.
func (m *made) day(ctx context.Context, s *scene, day, base int64) error {
	random := rand.New(rand.NewPCG(34, uint64(day)))
	keepDay := int(day + 30)
	codec := columns.NewCodec()
	step := int64(86400_000_000 / m.perDay)
	counts, pairs, seen := map[int64]int64{}, map[[2]int64]int64{}, []uint32(nil)
	for done := 0; done < m.perDay; done += columns.MaxRows {
		n := min(columns.MaxRows, m.perDay-done)
		rows := make([]columns.Row, n)
		for i := range rows {
			position := base + int64(done+i) + 1
			rows[i] = m.row(random, position, day*86400_000_000+int64(done+i)*step)
			counts[int64(rows[i].Variant)]++
			if i%2003 == 0 && rows[i].User != 0 {
				seen = append(seen, rows[i].User)
			}
			pairs[[2]int64{int64(rows[i].Variant), int64(rows[i].Cells[0].Value.Number)}]++
		}
		if err := m.events(ctx, s, day, keepDay, rows); err != nil {
			return err
		}
		seg := columns.Build(rows)
		tx, err := s.db.BeginTx(ctx, nil)
		if err != nil {
			return err
		}
		if err := segments.Write(ctx, tx, m.project, segments.Encode(codec, segments.MetaOf(keepDay, 5,
			segments.Large, seg), seg)); err != nil {
			return err
		}
		if err := tx.Commit(); err != nil {
			return err
		}
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.seen = append(m.seen, seen...)
	for v, n := range counts {
		m.counts[v] += n
	}
	for k, n := range pairs {
		m.pairs[k] += n
	}
	return nil
}

// events writes the rows of events.
func (m *made) events(ctx context.Context, s *scene, day int64, keepDay int, rows []columns.Row) error {
	return s.load(
		ctx,
		"event",
		"(project, filing, keep_day, store_day, @id, thrown, received, variant, app_release, environment, user, handled, odd_time, has_body, stands_for) SET id=UNHEX(@id)",
		func(w *bufio.Writer) {
			for _, r := range rows {
				var id [16]byte
				binary.BigEndian.PutUint64(id[:], uint64(r.Time))
				binary.BigEndian.PutUint64(id[8:], uint64(r.Position))
				user, handled := `\N`, "0"
				if r.User != 0 {
					user = strconv.FormatInt(m.userHash(int(r.User)), 10)
				}
				for _, c := range r.Cells {
					if c.Column == columns.Handled && c.Value.Text == "true" {
						handled = "1"
					}
				}
				fmt.Fprintf(
					w,
					"%d\t%d\t%d\t%d\t%s\t%d\t%d\t%d\t%d\t%d\t%s\t%s\t0\t0\t1\n",
					m.project,
					r.Position,
					keepDay,
					day,
					hex.EncodeToString(id[:]),
					r.Time,
					r.Time+1000,
					r.Variant,
					int64(r.Cells[0].Value.Number),
					m.env,
					user,
					handled,
				)
			}
		},
	)
}

// totals writes what is counted of the events.
func (m *made) totals(ctx context.Context, s *scene, last int64) error {
	if err := s.load(ctx, "issue_release", "(issue, app_release, variant, events, first_seen, last_seen)", func(w *bufio.Writer) {
		now := time.Now().UnixMicro()
		for k, n := range m.pairs {
			fmt.Fprintf(w, "%d\t%d\t%d\t%d\t%d\t%d\n", k[0], k[1], k[0], n, now, now) // the issue is put right below
		}
	}); err != nil {
		return err
	}
	for _, q := range []string{
		"CREATE TABLE made_count (variant INT UNSIGNED NOT NULL PRIMARY KEY, n BIGINT NOT NULL)",
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return err
		}
	}
	if err := s.load(ctx, "made_count", "(variant, n)", func(w *bufio.Writer) {
		for v, n := range m.counts {
			if n > 0 {
				fmt.Fprintf(w, "%d\t%d\n", v, n)
			}
		}
	}); err != nil {
		return err
	}
	for _, q := range []string{
		"UPDATE variant v JOIN made_count c ON c.variant=v.id SET v.events=v.events+c.n",
		"UPDATE issue_list l JOIN (SELECT v.issue, SUM(c.n) n FROM made_count c JOIN variant v ON v.id=c.variant GROUP BY v.issue) x ON x.issue=l.issue SET l.events=l.events+x.n, l.users=1+x.n DIV 7, l.impact=LEAST(1000, 5*SQRT(x.n)+l.issue%50)",
		"UPDATE IGNORE issue_release r JOIN variant v ON v.id=r.variant SET r.issue=v.issue",
		"DROP TABLE made_count",
		fmt.Sprintf("UPDATE project_counter SET filing=%[1]d, indexed=%[1]d, users=users+%[2]d, memberships=memberships+1", last, m.users),
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("%.60s: %w", q, err)
		}
	}
	return nil
}
