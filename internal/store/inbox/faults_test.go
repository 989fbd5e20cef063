package inbox_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"

	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/store/inbox"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/ingest"
)

// A transaction that is rolled back after it made a name leaves nothing behind
// that a later one would use.
func TestFile_NamesOfARolledBackTransactionAreNotUsed(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Store(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", Env: "harbour", At: testbed.Noon})
	f := b.Batch()
	f.Sessions = []ingest.SessionMessage{{Message: &session.Message{ID: "s-1", Sequence: 1}, Started: testbed.Noon, Received: testbed.Noon}}
	f.Sessions[0].About.Resource = map[string]any{"service.version": "4.2.0", "deployment.environment.name": "harbour"}
	lost := f
	lost.Lease.Epoch++ // the last statement finds the shard taken
	if _, err := b.Ingest.Process(t.Context(), lost); !errors.Is(err, inbox.ErrLeaseLost) {
		t.Fatalf("File = %v", err)
	}
	if _, err := b.Ingest.Process(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	if n := b.One("SELECT COUNT(*) FROM event e JOIN app_release r ON r.id=e.app_release JOIN environment n ON n.id=e.environment WHERE r.name='4.2.0' AND n.name='harbour'"); n != 1 {
		t.Error("the event's release or environment is not there")
	}
	b.Recounted()
}

func TestRecount_FindsNumbersThatLeadNowhere(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "tideAt", Release: "4.2.0", At: testbed.Noon})
	if _, err := b.DB.Exec("UPDATE event SET app_release=4711"); err != nil {
		t.Fatal(err)
	}
	diff, _, err := b.Retention.Recount(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	found := false
	for _, d := range diff {
		found = found || d.What == "event.app_release that leads nowhere" && d.Stored == 1
	}
	if !found {
		t.Errorf("recount says %+v", diff)
	}
}

// losing is a connection that loses the answer to a statement: the server gets
// and does it, and the sender learns of an end.
type losing struct {
	net.Conn
	lose *atomic.Pointer[[]byte] // what the statement holds; nil: nothing is lost
	gone atomic.Bool
}

func (c *losing) Write(p []byte) (int, error) {
	n, err := c.Conn.Write(p)
	if what := c.lose.Load(); err == nil && what != nil && bytes.Contains(p, *what) {
		c.lose.Store(nil)
		c.gone.Store(true)
	}
	return n, err
}

func (c *losing) Read(p []byte) (int, error) {
	n, err := c.Conn.Read(p) // the server has answered: it is done
	if c.gone.Load() {
		c.Conn.Close()
		return 0, errors.New("the connection broke")
	}
	return n, err
}

// A commit whose answer is lost is a commit: the sender is told so, and the
// event counts once.
func TestAppend_LostAnswerOfACommit(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	lose := &atomic.Pointer[[]byte]{}
	cfg, err := mysql.ParseDSN(b.DSN)
	if err != nil {
		t.Fatal(err)
	}
	network := "losing" + fmt.Sprint(time.Now().UnixNano())
	mysql.RegisterDialContext(network, func(ctx context.Context, address string) (net.Conn, error) {
		c, err := (&net.Dialer{}).DialContext(ctx, "unix", address)
		return &losing{Conn: c, lose: lose}, err
	})
	cfg.Net = network
	s, err := records.Open(t.Context(), records.Options{DSN: cfg.FormatDSN(), Now: func() time.Time { return b.Now }})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	batch := func() *pipeline.Batch {
		return &pipeline.Batch{Received: testbed.Noon, IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{testbed.Event{Function: "tideAt", At: testbed.Noon}.JSON()}}
	}
	if err := s.Inbox.Append(t.Context(), b.Project.ID, batch()); err != nil { // statements are prepared from here on
		t.Fatal(err)
	}
	for name, rows := range map[string]int{"one row": 1, "several rows": 3} {
		before := b.One("SELECT COUNT(*) FROM inbox")
		word := []byte("INSERT INTO inbox")
		if rows > 1 {
			word = []byte("COMMIT")
		}
		var list []*pipeline.Batch
		for range rows {
			list = append(list, batch())
		}
		lose.Store(&word)
		if rows == 1 {
			// A prepared statement is sent by its number: any write that follows is it.
			any := []byte{}
			lose.Store(&any)
		}
		if err := s.Inbox.Insert(t.Context(), b.Project.ID, list); err != nil {
			t.Errorf("%s: insert = %v", name, err)
		}
		if lose.Load() != nil {
			t.Errorf("%s: no answer was lost", name)
		}
		if n := b.One("SELECT COUNT(*) FROM inbox") - before; n != int64(rows) {
			t.Errorf("%s: %d rows were written", name, n)
		}
	}
}

// Upserts of files that are known use up no numbers.
func TestFile_KnownFilesUseNoNumbers(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	file := func(n int) {
		for i := range n {
			b.File(testbed.Event{Function: "tideAt", Release: "4.2.0", At: testbed.Noon.Add(time.Duration(i) * time.Second)})
		}
	}
	raw := func() {
		batch := &pipeline.Batch{Received: b.Now, IDs: []uuid.UUID{uuid.New()}, Events: []json.RawMessage{json.RawMessage(`{"exceptions":[{"type":"E","message":"x","stack":"E: x\n    at f (https://quayside.example/app-1.js:1:100)\n    at g (https://quayside.example/lib-2.js:1:100)"}],"resource":{"service.version":"4.2.0"}}`)}}
		if err := b.Inbox.Append(b.T.Context(), b.Project.ID, batch); err != nil {
			t.Fatal(err)
		}
		if _, err := b.Ingest.Process(t.Context(), b.Batch()); err != nil {
			t.Fatal(err)
		}
	}
	file(1)
	for range 30 {
		raw()
	}
	if files, next := b.One("SELECT COUNT(*) FROM trace_file"), b.One("SELECT MAX(id) FROM trace_file"); files < 2 || next > files+4 {
		t.Errorf("%d files, the last has number %d", files, next)
	}
	if _, err := b.DB.Exec("INSERT INTO trace_file (project, app_release, hash, address, events, first_seen, last_seen) VALUES (?, 0, UNHEX('00'), 'x', 1, 1, 1)", b.Project.ID); err != nil {
		t.Fatal(err)
	}
	if next := b.One("SELECT MAX(id) FROM trace_file"); next > 20 {
		t.Errorf("the next file gets number %d after 31 events of two files", next)
	}
	if n := b.One("SELECT MIN(events) FROM trace_file WHERE app_release<>0"); n != 30 {
		t.Errorf("a file counts %d events, want 30", n)
	}
}

// Events of a form that a later version writes stay where they are.
func TestClaim_LeavesWhatANewerVersionWrote(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Store(testbed.Event{Function: "tideAt", At: testbed.Noon})
	newer := pipeline.Compress(append([]byte{2}, append([]byte("v9"), 1, 'x')...))
	id := uuid.Must(uuid.NewV7())
	if _, err := b.DB.Exec("INSERT INTO inbox (shard, project, id, received, events, body) VALUES (?,?,?,?,1,?)", inbox.ShardOf(b.Project.ID), b.Project.ID, id[:], db.Micros(testbed.Noon), newer); err != nil {
		t.Fatal(err)
	}
	f := b.Batch()
	if len(f.Items) != 1 || len(f.Deliveries) != 1 {
		t.Fatalf("%d events of %d deliveries are claimed", len(f.Items), len(f.Deliveries))
	}
	if _, err := b.Ingest.Process(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	if st, err := b.Overview.Inbox(t.Context()); err != nil || st.Rows != 1 || st.Failed != 0 {
		t.Errorf("%+v, %v: what a newer version wrote must wait", st, err)
	}
	if c, err := b.Inbox.Claim(t.Context(), b.Leases[inbox.ShardOf(b.Project.ID)], b.Project.ID, false); err != nil || len(c.Deliveries) != 0 {
		t.Errorf("claimed: %+v, %v", c, err)
	}
}

// A process whose host vanished in the middle of a transaction holds up nobody:
// its shards pass on although one row is locked, and the server ends the
// transaction before long.
func TestLeases_PassOnWhileARowIsLocked(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	vanished, err := b.DB.BeginTx(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer vanished.Rollback()
	if err := b.Inbox.Fence(t.Context(), vanished, b.Leases[7]); err != nil {
		t.Fatal(err)
	}
	if list, err := b.Inbox.TakeLeases(t.Context(), b.Owner, time.Hour); err != nil || len(list) != inbox.Shards {
		t.Errorf("renewed with a row locked: %d, %v", len(list), err)
	}
	for _, q := range []string{"UPDATE shard_lease SET until=1 WHERE shard<>7", "UPDATE processor SET until=1"} {
		if _, err := b.DB.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	other := uuid.New()
	began := time.Now()
	list, err := b.Inbox.TakeLeases(t.Context(), other, time.Hour)
	if err != nil || len(list) != inbox.Shards-1 || time.Since(began) > 3*time.Second {
		t.Errorf("taken over with a row locked: %d of %d after %s, %v", len(list), inbox.Shards-1, time.Since(began), err)
	}
	if seconds := b.One("SELECT @@idle_transaction_timeout"); seconds != db.TransactionIdle {
		t.Errorf("a transaction may be idle for %d s", seconds)
	}
	until := time.Now().Add(3 * db.TransactionIdle * time.Second)
	for {
		if _, err := b.DB.Exec("SET STATEMENT innodb_lock_wait_timeout=0 FOR UPDATE shard_lease SET until=1 WHERE shard=7"); err == nil {
			break
		}
		if time.Now().After(until) {
			t.Fatal("the row stays locked")
		}
		time.Sleep(200 * time.Millisecond)
	}
	if list, err := b.Inbox.TakeLeases(t.Context(), other, time.Hour); err != nil || len(list) != inbox.Shards {
		t.Errorf("when the transaction has ended: %d, %v", len(list), err)
	}
}

// What is said again of a session that is not kept any more counts no second
// time.
func TestSessions_RepeatsAfterTheirTime(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	say := func() {
		f := ingest.Batch{Project: b.Project.Project, Lease: b.Leases[inbox.ShardOf(b.Project.ID)]}
		f.Sessions = []ingest.SessionMessage{{Message: &session.Message{ID: "s-1", Sequence: 1, Outcome: session.Clean}, Started: testbed.Noon, Received: b.Now}}
		if _, err := b.Ingest.Process(t.Context(), f); err != nil {
			t.Fatal(err)
		}
	}
	say()
	b.RetireAt(testbed.Noon.Add(40 * testbed.Day))
	if n := b.One("SELECT COUNT(*) FROM app_session"); n != 0 {
		t.Fatalf("%d sessions are kept", n)
	}
	say()
	if n := b.One("SELECT SUM(sessions) FROM session_day"); n != 1 {
		t.Errorf("one session counts %d", n)
	}
}
