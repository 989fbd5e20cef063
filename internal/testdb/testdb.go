// Package testdb gives each test a fresh database on one private MariaDB for
// the whole run of a test program.
package testdb

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"sync/atomic"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql" // the driver

	"firethorn/internal/localdb"
)

var (
	server *localdb.Server
	number atomic.Int64
)

// Main runs the tests of a package with a database server beside them. Call it
// from TestMain.
func Main(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	InMemory()
	dir, err := os.MkdirTemp("", "firethorn-test")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	server, err = localdb.Start(context.Background(),
		localdb.Options{AllRights: true, Dir: dir, BufferPool: "128M", LogSize: "16M", Tied: true})
	if err != nil {
		fmt.Fprintln(os.Stderr, "no database for the tests:", err)
		return 1
	}
	defer func() {
		ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
		defer cancel()
		if err := server.Stop(ctx); err != nil {
			fmt.Fprintln(os.Stderr, err)
		}
	}()
	return m.Run()
}

// DSN makes a fresh database and returns how to reach it.
func DSN(t testing.TB) string {
	t.Helper()
	db, err := sql.Open("mysql", server.DSN(""))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	name := fmt.Sprintf("test_%d", number.Add(1))
	if _, err := db.Exec("CREATE DATABASE " + name); err != nil {
		t.Fatal(err)
	}
	return server.DSN(name)
}
