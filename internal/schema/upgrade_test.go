package schema_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/access"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/records"
	"firethorn/internal/schema"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/testdb"
	"firethorn/internal/worker"
)

// earlier are databases that versions before left behind.
var earlier = []string{"release-0.1.0.sql.gz", "schema-19.sql.gz"}

// earlierMade is when they were made.
var earlierMade = time.Date(2026, 11, 30, 11, 5, 0, 0, time.UTC)

// restore puts a database back, and says how to reach it.
func restore(t *testing.T, file string) (string, *sql.DB) {
	t.Helper()
	packed, err := os.ReadFile(filepath.Join("testdata", file))
	if err != nil {
		t.Fatal(err)
	}
	r, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		t.Fatal(err)
	}
	var text bytes.Buffer
	if _, err := text.ReadFrom(r); err != nil {
		t.Fatal(err)
	}
	dsn := testdb.DSN(t)
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	db.SetMaxOpenConns(1)
	t.Cleanup(func() { db.Close() })
	run(t, db, "SET sql_mode='NO_AUTO_VALUE_ON_ZERO'")
	for _, q := range statementsOf(text.String()) {
		run(t, db, q)
	}
	run(t, db, "SET sql_mode='TRADITIONAL'")
	return dsn, db
}

func run(t *testing.T, db *sql.DB, query string) {
	t.Helper()
	if _, err := db.Exec(query); err != nil {
		t.Fatalf("%.200s: %v", query, err)
	}
}

// statementsOf cuts a file into its statements.
func statementsOf(text string) (list []string) {
	for _, q := range strings.Split(text, ";\n") {
		if strings.TrimSpace(q) != "" {
			list = append(list, q)
		}
	}
	return list
}

// facts are what people see of a project's issues, as text.
func facts(t *testing.T, db *sql.DB) (list []string) {
	t.Helper()
	rows, err := db.Query("SELECT CONCAT_WS(' ', p.name, i.number, i.state, i.fixed_in, COALESCE(o.name,'-'), l.headline, l.events, l.users, l.first_seen, l.last_seen)" +
		" FROM issue_list l JOIN issue i ON i.id=l.issue JOIN project p ON p.id=i.project LEFT JOIN person o ON o.id=i.owner ORDER BY p.name, i.number")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var f string
		if err := rows.Scan(&f); err != nil {
			t.Fatal(err)
		}
		list = append(list, f)
	}
	if rows.Err() != nil || len(list) < 20 {
		t.Fatalf("%d issues, %v", len(list), rows.Err())
	}
	return list
}

// open opens a database as it was left, at the time at which it was.
func open(t *testing.T, dsn string) *records.Records {
	t.Helper()
	store, err := records.Open(t.Context(), records.Options{DSN: dsn, Now: func() time.Time { return earlierMade }})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { store.Close() })
	store.DB.MaxSkew = 200 * 365 * 24 * time.Hour
	return store
}

// What versions before left is upgraded without a loss: issues show what they
// showed, every count is right, bodies can be read, decisions be undone, and new
// events join the issues that are there.
func TestUpgrade_FromEveryVersion(t *testing.T) {
	for _, file := range earlier {
		t.Run(file, func(t *testing.T) {
			dsn, raw := restore(t, file)
			before := facts(t, raw)
			store := open(t, dsn)
			if after := facts(t, raw); !slices.Equal(before, after) {
				t.Errorf("issues:\n%s\nwere:\n%s", strings.Join(after, "\n"), strings.Join(before, "\n"))
			}
			if differences, _, err := store.Retention.Recount(t.Context()); err != nil || len(differences) != 0 {
				t.Errorf("counts differ: %+v, %v", differences, err)
			}
			undoOne(t, store)
			sendAgain(t, store)
			if differences, _, err := store.Retention.Recount(t.Context()); err != nil || len(differences) != 0 {
				t.Errorf("counts differ after new events: %+v, %v", differences, err)
			}
		})
	}
}

// undoOne undoes a decision that was made before the upgrade.
func undoOne(t *testing.T, store *records.Records) {
	t.Helper()
	p, err := store.Projects.Project(t.Context(), "gangway")
	if err != nil {
		t.Fatal(err)
	}
	is, err := store.Issues.Issue(t.Context(), p, 1)
	if err != nil || is.State != "dismissed" {
		t.Fatalf("gangway/1: %+v, %v", is, err)
	}
	if err := store.Triage.Act(t.Context(), is.ID, issue.Action{Verb: issue.Undo}, "", accounts.Service, 0); err != nil {
		t.Fatalf("undo: %v", err)
	}
	if is, err = store.Issues.Issue(t.Context(), p, 1); err != nil || is.State != "new" {
		t.Errorf("gangway/1 is %s after the undo, %v", is.State, err)
	}
}

// sendAgain sends one kept event of each issue again, under another id and under its
// own: the former counts, in its issue, and the latter is a repeat.
func sendAgain(t *testing.T, store *records.Records) {
	t.Helper()
	p, err := store.Projects.Project(t.Context(), "quayside")
	if err != nil {
		t.Fatal(err)
	}
	list, _, err := store.Issues.Issues(t.Context(), issues.IssueQuery{Project: p.ID, States: issue.States, Order: issues.ByImpact, Limit: 100})
	if err != nil || len(list) < 8 {
		t.Fatalf("%d issues, %v", len(list), err)
	}
	batch := &pipeline.Batch{Received: earlierMade}
	want := map[int64]int64{}
	for _, is := range list {
		kept, _, err := store.Events.Events(t.Context(), events.EventQuery{Project: p.ID, Issue: is.ID, Kept: true, Limit: 1})
		if err != nil || len(kept) != 1 {
			t.Fatalf("%d kept events of %d, %v", len(kept), is.Number, err)
		}
		body, err := store.Events.EventBody(t.Context(), kept[0])
		if err != nil {
			t.Fatal(err)
		}
		sent, err := pipeline.UnpackBody(body)
		if err != nil {
			t.Fatal(err)
		}
		fresh := uuid.New()
		batch.IDs = append(batch.IDs, fresh, kept[0].ID)
		batch.Events = append(batch.Events, bytes.ReplaceAll(sent.Event, []byte(kept[0].ID.String()), []byte(fresh.String())), sent.Event)
		want[is.Number] = is.Events + 1
	}
	if err := store.Inbox.Append(t.Context(), p.ID, batch); err != nil {
		t.Fatal(err)
	}
	process(t, store)
	list, _, err = store.Issues.Issues(t.Context(), issues.IssueQuery{Project: p.ID, States: issue.States, Order: issues.ByImpact, Limit: 100})
	if err != nil || len(list) != len(want) {
		t.Errorf("%d issues after, want %d, %v", len(list), len(want), err)
	}
	for _, is := range list {
		if is.Events != want[is.Number] {
			t.Errorf("%s has %d events, want %d", fmt.Sprintf("quayside/%d", is.Number), is.Events, want[is.Number])
		}
	}
}

// process runs a worker until the inbox is empty.
func process(t *testing.T, store *records.Records) {
	t.Helper()
	w := worker.New(worker.Needs{Queue: store.Inbox, Projects: store.Projects, Batches: store.Ingest, Grouping: store.Regrouping,
		Symbols: store.Symbols, Units: pipeline.NewUnits(store.Symbols, 1<<20), Log: slog.New(slog.DiscardHandler), Owner: uuid.New()})
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- w.Run(ctx, nil) }()
	for until := time.Now().Add(30 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		st, err := store.Overview.Inbox(t.Context())
		if err != nil || time.Now().After(until) {
			t.Fatalf("%+v waits, %v", st, err)
		}
		if st.Rows == 0 {
			break
		}
	}
	stop()
	if err := <-ended; err != nil {
		t.Fatal(err)
	}
}

// An upgrade that was cut off goes on where it was: of every migration some
// statements ran, or all of them, and nobody noted it.
func TestUpgrade_GoesOnWhereItWasCutOff(t *testing.T) {
	all, err := schema.Migrations()
	if err != nil {
		t.Fatal(err)
	}
	files, err := fs.Glob(all, "*.sql")
	if err != nil || len(files) < 20 {
		t.Fatalf("%d migrations, %v", len(files), err)
	}
	for name, part := range map[string]func(n int) int{
		"after the first statement": func(int) int { return 1 },
		"in the middle":             func(n int) int { return (n + 1) / 2 },
		"at the end":                func(n int) int { return n },
	} {
		t.Run(name, func(t *testing.T) {
			dsn, raw := restore(t, "release-0.1.0.sql.gz")
			before := facts(t, raw)
			d, err := db.Open(t.Context(), db.Options{DSN: dsn})
			if err != nil {
				t.Fatal(err)
			}
			defer d.Close()
			applied := fstest.MapFS{}
			for i, f := range files {
				text, err := fs.ReadFile(all, f)
				if err != nil {
					t.Fatal(err)
				}
				applied[f] = &fstest.MapFile{Data: text}
				if i == 0 {
					continue // the release made that one
				}
				list := statementsOf(string(text))
				for _, q := range list[:part(len(list))] {
					run(t, raw, q)
				}
				if err := schema.ApplyTo(t.Context(), d, applied); err != nil {
					t.Fatalf("%s: %v", f, err)
				}
			}
			store := open(t, dsn)
			if after := facts(t, raw); !slices.Equal(before, after) {
				t.Errorf("issues:\n%s\nwere:\n%s", strings.Join(after, "\n"), strings.Join(before, "\n"))
			}
			if differences, _, err := store.Retention.Recount(t.Context()); err != nil || len(differences) != 0 {
				t.Errorf("counts differ: %+v, %v", differences, err)
			}
		})
	}
}

// Nobody is locked out by roles: who worked here is a member of all projects, admins
// operate the service and maintain them; sessions go on; tokens keep what they could,
// with a warning.
func TestOpen_LocksNobodyOut(t *testing.T) {
	for _, file := range earlier {
		t.Run(file, func(t *testing.T) {
			dsn, before := restore(t, file)
			var person int64
			if err := before.QueryRow("SELECT MIN(id) FROM person WHERE admin=0").Scan(&person); err != nil {
				t.Fatal(err)
			}
			now := time.Now()
			if _, err := before.Exec("INSERT INTO web_session (hash, person, created, expires) VALUES (UNHEX(SHA2('open',256)),?,?,?)",
				person, now.AddDate(0, 0, -9).UnixMicro(), now.AddDate(0, 0, 9).UnixMicro()); err != nil {
				t.Fatal(err)
			}
			if _, err := before.Exec("INSERT INTO token (hash, label, scope, person, created) VALUES (UNHEX(SHA2('terminal',256)),'terminal','person',?,1)", person); err != nil {
				t.Fatal(err)
			}
			if _, err := before.Exec("UPDATE token SET permissions='symbols:push releases:announce rules:check rules:push issues:read issues:triage events:read' WHERE label='terminal'"); err != nil {
				t.Logf("older than permissions: %v", err)
			}
			r, err := records.Open(t.Context(), records.Options{DSN: dsn, Log: slog.New(slog.DiscardHandler)})
			if err != nil {
				t.Fatal(err)
			}
			defer r.Close()
			people, err := r.Accounts.People(t.Context(), accounts.EverybodySees)
			if err != nil || len(people) < 2 {
				t.Fatalf("%d people, %v", len(people), err)
			}
			operators := 0
			for _, p := range people {
				role, err := r.Accounts.RoleIn(t.Context(), p.ID, 1)
				want := access.Member
				if p.Operator {
					want, operators = access.Maintainer, operators+1
				}
				if err != nil || role != want {
					t.Errorf("%s is %s of a project, want %s (%v)", p.Name, role, want, err)
				}
			}
			if operators == 0 {
				t.Error("nobody operates the service")
			}
			if g, err := r.Accounts.GrantOfSession(t.Context(), "open", ""); err != nil || g.Everywhere != access.Member {
				t.Errorf("a session of before: %+v, %v", g, err)
			}
			g, err := r.Accounts.GrantOfToken(t.Context(), "terminal", "")
			if err != nil || !g.Before || g.InProject(access.DeleteIssues, access.None, true) != access.Allowed {
				t.Errorf("a token of before: %+v, %v", g, err)
			}
			list, err := r.Accounts.Tokens(t.Context(), accounts.TokensOf{All: true})
			if err != nil || list[0].Kind != access.KindPerson || !strings.Contains(list[0].Warning(), "older than roles") {
				t.Errorf("listed: %+v, %v", list[0], err)
			}
		})
	}
}
