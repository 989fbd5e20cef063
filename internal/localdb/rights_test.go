package localdb

import (
	"context"
	"database/sql"
	"net"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
)

// The service's account may use its own database and nothing else, and the
// server answers on its socket alone unless an address was asked for.
func TestStart_GivesFewRightsAndOneWayIn(t *testing.T) {
	if _, err := program("mariadbd"); err != nil {
		t.Skip(err)
	}
	dir := filepath.Join(t.TempDir(), "db")
	begin := func(listen string) (*Server, *sql.DB) {
		t.Helper()
		s, err := Start(t.Context(), Options{Dir: dir, BufferPool: "32M", LogSize: "16M", Listen: listen})
		if err != nil {
			t.Fatal(err)
		}
		db, err := sql.Open("mysql", s.DSN(Database))
		if err != nil {
			t.Fatal(err)
		}
		return s, db
	}
	end := func(s *Server, db *sql.DB) {
		t.Helper()
		ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
		defer cancel()
		db.Close()
		if err := s.Stop(ctx); err != nil {
			t.Fatal(err)
		}
	}
	s, db := begin("")
	for _, q := range []string{"CREATE TABLE tide (id INT PRIMARY KEY) PARTITION BY RANGE (id) (PARTITION pmax VALUES LESS THAN MAXVALUE)", "INSERT INTO tide VALUES (1)", "ALTER TABLE tide REORGANIZE PARTITION pmax INTO (PARTITION p1 VALUES LESS THAN (2), PARTITION pmax VALUES LESS THAN MAXVALUE)", "DROP TABLE tide"} {
		if _, err := db.Exec(q); err != nil {
			t.Errorf("%s: %v", q, err)
		}
	}
	for _, q := range []string{"CREATE DATABASE other", "SELECT 1 INTO OUTFILE '/tmp/firethorn-x'", "SET GLOBAL max_connections=1", "CREATE USER stranger@localhost", "SELECT COUNT(*) FROM mysql.global_priv", "FLUSH PRIVILEGES", "GRANT ALL ON firethorn.* TO stranger@localhost"} {
		if _, err := db.Exec(q); err == nil {
			t.Errorf("%s: the service's account may do that", q)
		}
	}
	var file sql.NullString
	if err := db.QueryRow("SELECT LOAD_FILE(?)", filepath.Join(dir, "password")).Scan(&file); err != nil || file.Valid {
		t.Errorf("a file was read: %v, %v", file.Valid, err)
	}
	var off string
	if err := db.QueryRow("SELECT @@skip_networking").Scan(&off); err != nil || off != "1" {
		t.Errorf("skip_networking is %q, %v", off, err)
	}
	end(s, db)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := l.Addr().String()
	l.Close()
	s, db = begin(address)
	cfg, err := mysql.ParseDSN(s.DSN(Database))
	if err != nil {
		t.Fatal(err)
	}
	cfg.Net, cfg.Addr = "tcp", address
	over, err := sql.Open("mysql", cfg.FormatDSN())
	if err != nil {
		t.Fatal(err)
	}
	defer over.Close()
	if err := over.Ping(); err != nil {
		t.Errorf("over %s: %v", address, err)
	}
	end(s, db)
}
